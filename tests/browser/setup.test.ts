import { chmod, mkdir, mkdtemp, rename, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, jest } from '@jest/globals';
import { wavBytes } from '@flagstone/demo/wav-file';
import { RunningServer } from '../running-server.ts';
import { openBrowser, signInPage } from './open-browser.ts';
import { stepsOf, Walker } from './walker.ts';

jest.setTimeout(60_000);
const NAMES = ['Canal Co/Weir/weir_roar_01', 'Canal Co/Weir/weir_roar_02', 'Canal Co/wobblat one', 'shelf/wobblat two'];

let folder = '';
let drive = '';
let server: RunningServer;
let walker: Walker;
let closeBrowser: () => Promise<void>;

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-setup-'));
  await chmod(folder, 0o755);
  drive = path.join(folder, 'drive');
  for (const [at, name] of NAMES.entries()) {
    const full = path.join(drive, `${name}.wav`);
    await mkdir(path.dirname(full), { recursive: true });
    const signal = Float32Array.from({ length: 4800 }, (_, index) => Math.sin(index / (5 + at)) * 0.5);
    await writeFile(full, wavBytes([signal], { rate: 48_000, bits: 16 }));
  }
  server = new RunningServer(path.join(folder, 'data'), drive);
  await server.start();
  const { page, close } = await openBrowser();
  closeBrowser = close;
  await signInPage(page, server.headers);
  walker = new Walker(page, 15_000);
}, 120_000);

afterAll(async () => {
  await closeBrowser();
  await server.end();
  await rm(folder, { recursive: true, force: true });
});

const shows = (words: string) => walker.shows(words);
const goTo = (address: string) => walker.page.goto(`${server.address}${address}`);
const fill = (label: string, words: string) => walker.page.locator(`input[aria-label="${label}"]`).fill(words);
async function asked(method: string, address: string, body?: object): Promise<unknown> {
  const answer = await fetch(`${server.address}/api/${address}`, {
    method,
    headers: { ...server.headers, 'Content-Type': 'application/json' },
    ...(body ? { body: JSON.stringify(body) } : {}),
  });
  if (!answer.ok) throw new Error(`${address}: ${await answer.text()}`);
  return answer.json();
}
const step = stepsOf(() => walker);

describe('what is set up for a collection', () => {
  step('a path rule, which fills the library of what is read', async () => {
    await goTo('/setup?show=rules');
    await fill('Pattern on the path', 'Canal Co/**');
    await fill('Value', 'Canal Company');
    await walker.button('Add the rule').click();
    await shows('Library: Canal Company');
    await goTo('/intake');
    await fill('Path of the folder', drive);
    await walker.button('Read the folder').click();
    await shows('4 sounds');
    // Columns out of view are not there.
    await walker.page.$eval('[role="grid"]', (grid) => (grid.scrollLeft = grid.scrollWidth));
    await walker.page.waitForFunction(
      () =>
        [...document.querySelectorAll('[role="rowgroup"] [role="row"]')].filter((row) =>
          row.textContent?.includes('Canal Company'),
        ).length === 3,
    );
  });

  step('a collection; a name that is taken is refused with what to do', async () => {
    await goTo('/setup?show=collections');
    await fill('Name of a new collection', 'Music');
    await walker.press('Enter');
    await shows('0 folders, 0 files');
    await fill('Name of a new collection', 'music');
    await walker.press('Enter');
    await shows('There is a collection “music” already.');
    await goTo('/setup');
    await walker.pick('Collection of drive', 'Music');
    await goTo('/setup?show=collections');
    await shows('1 folder, 4 files');
  });

  step('its naming pattern; a fault in it is pointed at while it is typed', async () => {
    await walker.page.locator('section:nth-of-type(2) dd ::-p-text(Change)').click();
    await walker.page.locator('label ::-p-text(Freely)').click();
    await fill('The pattern', '{fxName} {pitch}');
    await shows('There is no field “pitch” (character 10)');
    await fill('The pattern', '{fxName:upper}[ - {library}]');
    await shows('NARROWBOAT HULL, LAPPING AT 20 Hz - Clay and Canal.wav');
    await walker.press('Enter');
    await shows('{fxName:upper}[ - {library}]');
  });

  step('decisions by key, from which suggestions learn, and names after the pattern', async () => {
    await goTo('/intake/1');
    await shows('4 sounds');
    await walker.searchFor('one');
    await shows('1 sound');
    await walker.press('Escape');
    await walker.press('Control+a');
    await walker.typeInto('[data-field="catId"] input', 'CERMBrk');
    await walker.page.locator('.category-options li ::-p-text(CERMBrk)').click();
    await shows('1 of 4 with a category');
    await walker.searchFor('two');
    await walker.press('Escape');
    await walker.press('ArrowDown');
    await shows('1 of 1 decisions on “wobblat…”');
    await walker.typeInto('[data-field="fxName"] input', 'wobblat');
    await walker.press('Tab');
    await walker.searchFor('');
    await shows('4 sounds');
    await walker.press('Escape');
    await walker.press('r');
    await shows('WOBBLAT.wav');
    await shows('FXName is missing.');
  });

  step('lists of names, gathered from the records and completed in the card with their code', async () => {
    await goTo('/setup?show=names');
    await walker.button('Take over what the records say').click();
    await walker.page.locator('label ::-p-text(Libraries)').click();
    await shows('Canal Company');
    await fill('Name', 'Canal Company');
    await fill('SourceID', 'CANAL');
    await walker.press('Enter');
    await shows('CANAL');
    await goTo('/intake/1?q=two');
    await shows('1 sound');
    await walker.press('ArrowDown');
    await walker.typeInto('[data-field="library"] input', 'Canal Company');
    await walker.press('Tab');
    await walker.page.waitForFunction(
      () => document.querySelector<HTMLInputElement>('[data-field="sourceId"] input')?.value === 'CANAL',
    );
  });

  step('a folder that stands elsewhere now: refused outside the roots, found inside', async () => {
    await rename(path.join(drive, 'Canal Co'), path.join(drive, 'moved'));
    await goTo('/setup?show=lost');
    await shows('A whole folder stands elsewhere now');
    await walker.pick('Drive of the folder', 'drive');
    await fill('Folder', 'Canal Co');
    await fill('Path where it is now', '/etc');
    await walker.press('Enter');
    await shows('/etc lies outside the allowed roots');
    await fill('Path where it is now', path.join(drive, 'moved'));
    await walker.press('Enter');
    await shows('3 copies found there.');
    await walker.button('Take the new place of 3 copies').click();
    await shows('3 copies took the new place.');
    await walker.button('Undo').click();
    await shows('3 back at the first place.');
  });

  step(
    'a recipe with a fault says so, and one that is kept is there after a restart, with what was learned',
    async () => {
      await goTo('/intake/1');
      await shows('4 sounds');
      await walker.button('Recipe…').click();
      await walker.button('+ Add a step').click();
      await walker.page.locator('[role="menuitem"] ::-p-text(Find and replace)').click();
      await walker.pick('How it is found', 'As a pattern');
      await fill('Find', '(');
      await shows('Step 1: Invalid regular expression');
      await fill('Find', 'wob(.*)');
      await fill('Becomes', 'Wob$1');
      await shows('of 4 would change');
      await walker.button('Keep').click();
      await walker.page.waitForSelector('.el-message-box input');
      await walker.page.locator('.el-message-box input').fill('Wobble rightly');
      await walker.press('Enter');
      await walker.page.waitForFunction(() => document.querySelector('.el-message-box') === null);
      await server.end();
      await server.start();
      await goTo('/setup?show=collections');
      await shows('words and folders from decisions');
      await goTo('/intake/1');
      await shows('4 sounds');
      await walker.button('Recipe…').click();
      await walker.pick('Recipes that are kept', 'Wobble rightly');
      await shows('“wob(.*)” becomes “Wob$1” in FXName');
    },
  );

  step('another category list: its records go where one says, and their files follow as one plan', async () => {
    const { categories } = (await asked('GET', 'categories')) as { categories: Record<string, string>[] };
    const rows = categories
      .filter(({ catId }) => catId !== 'CERMBrk')
      .map(({ category, subCategory, catId, catShort }) => [category, subCategory, catId, catShort].join(','));
    const content = Buffer.from(['Category,SubCategory,CatID,CatShort', ...rows].join('\n')).toString('base64');
    // The files stand where they did, and say the category of before.
    await rename(path.join(drive, 'moved'), path.join(drive, 'Canal Co'));
    const selection = { kind: 'batch', batchId: 1 };
    const { id } = (await asked('POST', 'plans', { kind: 'write', selection })) as { id: number };
    await asked('POST', `plans/${id}/run`, {});
    await walker.page.waitForFunction(
      async (planId: number) => {
        const plan = (await (await fetch(`/api/plans/${planId}`)).json()) as { counts: { done: number } };
        return plan.counts.done === 4;
      },
      {},
      id,
    );
    await asked('POST', 'category-lists/adopt', {
      list: { fileName: 'Release 9.csv', content },
      source: 'Release 9',
      moves: {},
    });
    await goTo('/setup?show=categories');
    await shows('1 CatID of records is not on this list');
    await walker.button('Take the likeliest for all').click();
    await walker.button('Move 1 record').click();
    await shows('1 file states a category otherwise than this list');
    await walker.button('Bring these files up to date…').click();
    await shows('1 change to make');
    await walker.button('Make 1 change').click();
    await shows('✓ 1 done');
    await walker.press('Escape');
    await walker.showsNoMore('states a category otherwise');
  });

  step('an address that nobody could have meant narrows nothing', async () => {
    await goTo('/catalogue?collection=99999999999&state=behind');
    await shows('Nothing found');
    // Answers that refuse are told by the browser too; anything else would be a fault of the page.
    expect(
      walker.faults.filter((fault) => !/status of (403|409|422)|ERR_CONNECTION_REFUSED|net::ERR/.test(fault)),
    ).toEqual([]);
  });
});
