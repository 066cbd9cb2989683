import { chmod, mkdtemp, rm } from 'node:fs/promises';
import type { AddressInfo } from 'node:net';
import os from 'node:os';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { openContext } from '@flagstone/server/application';
import { connect } from '@flagstone/server/db/connect';
import { startLocalPostgres } from '@flagstone/server/db/local-postgres';
import { httpServer } from '@flagstone/server/http-server';
import { sql } from 'drizzle-orm';
import pino from 'pino';
import { addTestPeople, signedInAs } from '../signed-in.ts';
import { openBrowser, signInPage } from '../browser/open-browser.ts';
import { fillCatalogue } from './fill-catalogue.ts';
import { fillWaveforms } from './fill-searchable.ts';
import { FRAMES, WATCH_FRAMES } from './watch-frames.ts';

/**
 * `bench describe [--rows 100000]`: a batch of so many made-up sounds in a browser at 1280x800: frames while it is scrolled, how long it takes to select all
 * and to see the first rows of a recipe, and the longest frame of each, with server and browser on this one machine.
 */
const { values } = parseArgs({ options: { rows: { type: 'string', default: '100000' } } });
const count = Number(values.rows);
const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-bench-'));
await chmod(folder, 0o755);

const postgres = await startLocalPostgres(path.join(folder, 'data'));
const log = pino({ level: 'warn' }, pino.destination(2));
const { context, close } = await openContext(postgres.connectionString, [folder], log);
// Filling sets numbers and statistics, which is the owner's right.
const owner = await connect(postgres.connectionString, undefined, true);
await addTestPeople(context.db);
await fillCatalogue(owner.db, count);
await fillWaveforms(context.db);
await context.db.execute(sql`insert into collections (name) values ('Bench') on conflict do nothing`);
await context.db.execute(sql`
  insert into folders (drive_id, path, collection_id, added_by)
  select d.id, '', (select min(id) from collections), 1 from drives d`);
await context.db.execute(
  sql`insert into batches (name, folder_id, created_by) select 'Bench', min(id), 1 from folders`,
);
await context.db.execute(sql`insert into batch_items (batch_id, copy_id) select 1, id from copies`);
await owner.db.execute(sql`analyze`);
await owner.close();
const server = httpServer(context).listen(0, '127.0.0.1');
await new Promise((resolve) => server.once('listening', resolve));
const address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
const { page, close: closeBrowser } = await openBrowser();
await signInPage(page, signedInAs(1));
page.setDefaultTimeout(120_000);

/** Does something in the page and prints how long it took, and its frames. */
async function measured(what: string, act: () => Promise<unknown>): Promise<void> {
  await page.evaluate(WATCH_FRAMES);
  const started = performance.now();
  await act();
  const seconds = (performance.now() - started) / 1000;
  const sorted = (await page.evaluate(FRAMES)) as number[];
  const at = (share: number): string => (sorted[Math.floor((sorted.length - 1) * share)] ?? 0).toFixed(0);
  process.stdout.write(
    `${what.padEnd(34)} ${seconds.toFixed(2).padStart(6)} s  ${String(sorted.length).padStart(4)} frames: median ${at(0.5)} ms, 95 % ${at(0.95)} ms, longest ${at(1)} ms\n`,
  );
}

const shows = (words: string) => page.waitForFunction(`document.body.innerText.includes(${JSON.stringify(words)})`);
let pages = 0;
page.on('request', (request) => (pages += /\/batches\/\d+\/rows/.test(request.url()) ? 1 : 0));

try {
  process.stdout.write(
    `${count.toLocaleString('en')} rows, Node.js ${process.version}, ${os.availableParallelism()} cores, ${await page.browser().version()}\n`,
  );
  const opened = performance.now();
  await page.goto(`${address}/intake/1`);
  await shows(`${count.toLocaleString('en')} sounds`);
  process.stdout.write(
    `${'first rows, with the page itself'.padEnd(34)} ${((performance.now() - opened) / 1000).toFixed(2).padStart(6)} s\n`,
  );
  await page.mouse.move(600, 400);
  await measured('scrolling by the wheel', async () => {
    for (let turn = 0; turn < 150; turn += 1) await page.mouse.wheel({ deltaY: 240 });
  });
  await page.locator('[role="grid"]').click({ offset: { x: 300, y: 200 } });
  await measured('200 rows by arrow key', async () => {
    for (let row = 0; row < 200; row += 1) await page.keyboard.press('ArrowDown');
  });
  await measured('select all, values of all counted', async () => {
    await page.keyboard.down('Control');
    await page.keyboard.press('a');
    await page.keyboard.up('Control');
    await shows('All selected');
    await page.waitForSelector('.values');
  });
  await measured('recipe: first rows before and after', async () => {
    await page.locator('::-p-aria([name="Recipes that are often needed"])').click();
    await page.locator('.el-dropdown-menu ::-p-text(Hints on spelling)').click();
    await shows('Recipe for');
    await page.locator('::-p-aria([name="Leave step 1 out"])').click();
    await page.locator('::-p-text(+ Add a step)').click();
    await page.locator('.el-dropdown-menu ::-p-text(Find and replace)').click();
    await page.locator('input[aria-label="Find"]').click();
    await page.keyboard.type('Made');
    await page.locator('input[aria-label="Becomes"]').click();
    await page.keyboard.type('Found');
    await page.waitForFunction(`document.querySelectorAll('.preview .row').length > 5`);
  });
  await measured('recipe: all rows counted', () => shows('would change'));
  const held = pages * 200;
  process.stdout.write(`rows that were sent to the page: at most ${held.toLocaleString('en')}\n`);
} finally {
  await closeBrowser();
  server.closeAllConnections();
  server.close();
  await close();
  await postgres.stop();
  await rm(folder, { recursive: true, force: true });
}
