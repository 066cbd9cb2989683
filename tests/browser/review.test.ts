import { chmod, mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, jest } from '@jest/globals';
import type { SoundPage } from '@flagstone/contract/record';
import { wavBytes } from '@flagstone/demo/wav-file';
import type { Page } from 'puppeteer-core';
import { RunningServer } from '../running-server.ts';
import { openBrowser, signInPage } from './open-browser.ts';
import { stepsOf, Walker } from './walker.ts';

jest.setTimeout(60_000);
const ROW = '[role="rowgroup"] [role="row"]';

let folder = '';
let server: RunningServer;
/** A librarian, and an assistant in a browser of their own. */
let walker: Walker;
let page: Page;
let assistant: Walker;
let theirs: Page;
let batch = '';
let closeBrowser: () => Promise<void>;

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-review-'));
  await chmod(folder, 0o755);
  const drive = path.join(folder, 'drive');
  await mkdir(drive);
  for (const [at, name] of ['kiln door.wav', 'wheel brake.wav'].entries()) {
    const hum = Float32Array.from({ length: 4800 }, (_, frame) => Math.sin(frame / (7 + at)) * 0.4);
    await writeFile(path.join(drive, name), wavBytes([hum], { rate: 48_000, bits: 16 }));
  }
  server = new RunningServer(path.join(folder, 'data'), drive);
  await server.start();
  const colleague = await server.addPerson('Ines Talbot', 'ines');
  await send('PATCH', '/collections/1', { asksReview: true });
  const people = await send<{ id: number; name: string }[]>('GET', '/people');
  const ines = people.find(({ name }) => name === 'Ines Talbot');
  await send('PATCH', `/accounts/${ines?.id}`, { roles: [{ collectionId: 1, role: 'assistant' }] });
  const { batch: read } = await send<{ batch: { id: number } }>('POST', '/intake', { path: drive });
  batch = `/intake/${read.id}`;
  while ((await rows()).length < 2) await new Promise((resolve) => setTimeout(resolve, 50));
  const opened = await openBrowser();
  closeBrowser = opened.close;
  page = opened.page;
  walker = new Walker(page, 15_000);
  await signInPage(page, server.headers);
  theirs = await (await opened.browser.createBrowserContext()).newPage();
  await theirs.setViewport({ width: 1280, height: 800 });
  assistant = new Walker(theirs, 15_000);
  await signInPage(theirs, colleague);
}, 120_000);

afterAll(async () => {
  await closeBrowser();
  await server.end();
  await rm(folder, { recursive: true, force: true });
});

const step = stepsOf(() => walker);
async function send<Answer>(method: string, address: string, body?: object): Promise<Answer> {
  const answer = await fetch(`${server.address}/api${address}`, {
    method,
    headers: { ...server.headers, 'Content-Type': 'application/json' },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  if (!answer.ok) throw new Error(`${method} ${address}: ${answer.status} ${await answer.text()}`);
  return (await answer.json()) as Answer;
}
const rows = async () => (await send<SoundPage>('GET', `/batches/${batch.split('/').at(-1)}/rows`)).rows;
const recordOf = async (name: string) => (await rows()).find((row) => row.name === name)?.record;

describe('what an assistant writes', () => {
  step('is said to wait for review, at the card and in the list, and changes no record', async () => {
    await theirs.goto(`${server.address}${batch}`);
    await theirs.waitForSelector(ROW);
    await theirs.keyboard.press('ArrowDown');
    await assistant.shows('What you change here waits until a librarian accepts it.');
    for (const [field, words] of [
      ['fxName', 'Kiln Door Slams'],
      ['notes', 'two takes'],
    ]) {
      const at = `[data-field="${field}"] :is(input, textarea)`;
      await theirs.locator(at).click();
      await theirs.keyboard.type(words ?? '');
      await assistant.press('Tab');
      await assistant.shows(`You propose: ${words}`);
    }
    await theirs.waitForSelector('[role="row"] [title="Waits for review: FXName, Notes"]');
    expect(await recordOf('kiln door.wav')).toMatchObject({ fxName: '', notes: '' });
  });

  step('reaches the librarian while they look at the queue, who accepts it by a key and goes on', async () => {
    await page.goto(`${server.address}/review`);
    await walker.shows('Kiln Door Slams');
    await page.waitForFunction(() => document.querySelector('tr.current')?.textContent?.includes('FXName') === true);
    await walker.press('Enter');
    await page.waitForFunction(() => document.querySelector('tr.current')?.textContent?.includes('Notes') === true);
    await walker.showsNoMore('Kiln Door Slams');
    expect(await recordOf('kiln door.wav')).toMatchObject({ fxName: 'Kiln Door Slams', notes: '' });
    // The assistant's page knows by itself.
    await assistant.showsNoMore('You propose: Kiln Door Slams');
  });

  step('comes back with what the librarian has to say', async () => {
    await walker.press('r');
    await page.waitForFunction(() => document.activeElement?.getAttribute('aria-label') === 'Remark');
    await page.keyboard.type('Which takes?');
    await walker.press('Enter');
    await walker.shows('Nothing waits.');
    await theirs.goto(`${server.address}/review`);
    await assistant.shows('“Which takes?”');
    await assistant.shows('returned by Orla Venn');
    await theirs.locator('[aria-label="Put away Notes of kiln door.wav"]').click();
    await assistant.showsNoMore('Which takes?');
    expect(await recordOf('kiln door.wav')).toMatchObject({ notes: '' });
  });

  step('is taken back by the key that takes back everything, and is accepted at the card', async () => {
    await theirs.goto(`${server.address}${batch}`);
    // The row that they were at is the current one again; the first is meant.
    await theirs.locator(ROW).click();
    const at = '[data-field="description"] textarea';
    for (const words of ['One slam.', 'Two slams.']) {
      await theirs.locator(at).click();
      await assistant.press('Control+a');
      await theirs.keyboard.type(words);
      await assistant.press('Tab');
      await assistant.shows(`You propose: ${words}`);
    }
    await theirs.locator(ROW).click();
    await assistant.press('u');
    await assistant.shows('You propose: One slam.');
    await page.goto(`${server.address}${batch}`);
    await page.locator(ROW).click();
    await walker.shows('Ines Talbot proposes: One slam.');
    await page.locator('[aria-label="Accept Description of Ines Talbot"]').click();
    await walker.showsNoMore('proposes:');
    expect(await recordOf('kiln door.wav')).toMatchObject({ description: 'One slam.' });
    expect([...walker.faults, ...assistant.faults]).toEqual([]);
  });
});

describe('a remark that names somebody', () => {
  step('is said at the card, with a name chosen from those that there are', async () => {
    await theirs.locator('.views ::-p-text(Remarks)').click();
    await theirs.locator('textarea[aria-label="Remark"]').click();
    await theirs.keyboard.type('Which door? @orla');
    await theirs.locator('.el-mention-dropdown ::-p-text(Orla Venn)').click();
    await theirs.keyboard.type('@Nobody knows.');
    await assistant.shows('Nobody is called @Nobody');
    await assistant.press('Control+Enter');
    await assistant.shows('Orla Venn is asked');
    expect(await theirs.$eval('textarea[aria-label="Remark"]', (field) => field.value)).toBe('');
  });

  step('waits for them on their first page until they settle it, and whoever said it sees that', async () => {
    await page.waitForSelector('[title="Remarks that name you"]');
    await page.locator('nav[aria-label="Places"] ::-p-text(Today)').click();
    await walker.shows('Which door? @Orla Venn');
    await page.locator('[aria-label="The remark on kiln door.wav is settled"]').click();
    await walker.showsNoMore('Which door?');
    await page.waitForFunction(() => document.querySelector('[title="Remarks that name you"]') === null);
    await assistant.shows('Orla Venn has settled it');
    // It was the last act of the one who settled it.
    await walker.press('u');
    await walker.shows('Which door? @Orla Venn');
    await page.locator('.remark a').click();
    await page.waitForSelector('textarea[aria-label="Remark"]');
    await walker.shows('Orla Venn is asked');
    expect([...walker.faults, ...assistant.faults]).toEqual([]);
  });
});
