import { chmod, mkdir, mkdtemp, readdir, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, jest } from '@jest/globals';
import type { Page } from 'puppeteer-core';
import { RunningServer } from '../running-server.ts';
import { toneBytes } from '../server/test-application.ts';
import { zipBytes } from '../zip-bytes.ts';
import { openBrowser, signInPage } from './open-browser.ts';
import { stepsOf, Walker } from './walker.ts';

jest.setTimeout(60_000);
const ACTION_MS = 15_000;

let folder = '';
let drive = '';
let server: RunningServer;
let page: Page;
let closeBrowser: (() => Promise<void>) | undefined;
let walker: Walker;

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-bring-'));
  await chmod(folder, 0o755);
  drive = path.join(folder, 'drive');
  await mkdir(path.join(drive, 'Landing'), { recursive: true });
  await mkdir(path.join(drive, 'Shelf'));
  server = new RunningServer(path.join(folder, 'data'), drive);
  await server.start();
  const opened = await openBrowser();
  page = opened.page;
  closeBrowser = opened.close;
  await signInPage(page, server.headers);
  walker = new Walker(page, ACTION_MS);
});

afterAll(async () => {
  await closeBrowser?.();
  await server.end('SIGTERM');
  await rm(folder, { recursive: true, force: true });
});

/** Drops files on the page as somebody does who drags them from a window of their computer. */
async function drop(files: Record<string, Uint8Array>): Promise<void> {
  const given = Object.entries(files).map(([name, bytes]) => ({ name, base64: Buffer.from(bytes).toString('base64') }));
  await page.evaluate((all) => {
    const dataTransfer = new DataTransfer();
    for (const { name, base64 } of all) {
      const bytes = Uint8Array.from(atob(base64), (letter) => letter.charCodeAt(0));
      dataTransfer.items.add(new File([bytes], name));
    }
    for (const kind of ['dragover', 'drop'])
      document.body.dispatchEvent(new DragEvent(kind, { dataTransfer, bubbles: true, cancelable: true }));
  }, given);
}

const below = async (within: string): Promise<string[]> =>
  (await readdir(path.join(drive, within), { recursive: true, withFileTypes: true }))
    .filter((entry) => entry.isFile())
    .map(({ name }) => name)
    .sort();

describe('a librarian with a pack of sounds', () => {
  const step = stepsOf(() => walker);

  step('drops it on whatever page is open, and says where such things land', async () => {
    await page.goto(`${server.address}/today`);
    await walker.shows('Batches in preparation');
    const pack = zipBytes([
      { name: 'Kiln room/door.wav', bytes: toneBytes(1), packed: true },
      { name: 'Kiln room/vent.wav', bytes: toneBytes(2) },
      { name: 'Kiln room/licence.pdf', bytes: toneBytes(3) },
    ]);
    await drop({ 'Kiln room.zip': pack, 'gate.wav': toneBytes(4), 'notes.txt': toneBytes(5) });
    await walker.shows('1 sound and 1 pack to be unpacked');
    await walker.shows('None of the sounds is held yet');
    await walker.shows('1 file left out');
    // It was not opened in the place of the application.
    expect(new URL(page.url()).pathname).toBe('/today');
    await walker.shows('Nobody chose yet where files land');
    await walker.typeInto('[aria-label="Landing folder"]', path.join(drive, 'Landing'));
    await walker.button('Keep it').click();
    await walker.shows('in a folder of its own');
  });

  step('sends it, and has it as a batch with all that was left out', async () => {
    await page.locator('[aria-label="Name of the batch"]').click();
    await walker.press('Control+a');
    await page.keyboard.type('Kiln pack');
    await walker.button('Send 2 files').click();
    await walker.shows('“Kiln pack” is sent');
    await page.locator('.batch a').click();
    await walker.shows('3 sounds');
    await walker.shows('◇ 2 files left out');
    await walker.text('◇ 2 files left out').click();
    await walker.shows('licence.pdf');
    await walker.shows('notes.txt');
    expect(await below('Landing')).toEqual(['door.wav', 'gate.wav', 'vent.wav']);
  });

  step('drops it once more, and is told that all of it is held', async () => {
    await drop({ 'gate.wav': toneBytes(4) });
    await walker.shows('1 sound is held already, and not sent');
    await walker.shows('Nothing to send');
    await page.keyboard.press('Escape');
    await walker.showsNoMore('Nothing to send');
  });

  step('splits the batch by folder, and folds it back', async () => {
    await walker.text('1 Describe').click();
    await walker.menu('What is done with the batch', 'Split it…');
    await walker.shows('Kiln pack · Kiln room');
    await walker.button('Split into 2 batches').click();
    await walker.shows('Split into 2 batches');
    await walker.shows('1 sound');
    await page.goto(`${server.address}/intake`);
    await walker.shows('part of Kiln pack');
    await walker.text('Kiln pack · Kiln room').click();
    await walker.shows('2 sounds');
    await walker.menu('What is done with the batch', 'Fold it back into “Kiln pack”…');
    await walker.button('Fold it back').click();
    await walker.shows('3 sounds');
  });

  step('lays the files out on the shelf of the collection, and takes it back', async () => {
    const [collection] = (await (
      await fetch(`${server.address}/api/collections`, { headers: server.headers })
    ).json()) as { id: number }[];
    const headers = { 'Content-Type': 'application/json', ...server.headers };
    const body = JSON.stringify({ shelfPath: path.join(drive, 'Shelf'), shelfTemplate: '{category}' });
    await fetch(`${server.address}/api/collections/${collection?.id}`, { method: 'PATCH', headers, body });
    const batchId = Number(/\d+$/.exec(new URL(page.url()).pathname)?.[0]);
    const edit = { selection: { kind: 'batch', batchId }, edit: { set: { catId: 'CERMBrk' } } };
    await fetch(`${server.address}/api/records`, { method: 'PATCH', headers, body: JSON.stringify(edit) });
    await walker.shows('3 of 3 with a category');
    await walker.text('4 Shelf').click();
    await walker.shows('3 files to lay out on the shelf');
    await walker.button('Lay out 3 files').click();
    await walker.shows('✓ 3 done');
    expect(await below('Shelf/CERAMICS')).toEqual(['door.wav', 'gate.wav', 'vent.wav']);
    await walker.button('Undo 3 files').click();
    await walker.shows('The plan is made anew.');
    expect(await below('Landing')).toEqual(['door.wav', 'gate.wav', 'vent.wav']);
  });

  step('files them, takes one out for a reason, and brings it back', async () => {
    await walker.text('5 File').click();
    await walker.button('File them').click();
    await page.waitForFunction(() => location.pathname === '/catalogue');
    await walker.searchFor('vent');
    await page.locator('[role="rowgroup"] [role="row"] .pinned').click();
    await walker.press('Control+a');
    await walker.menu('More for the selected sounds', 'Take out of the catalogue…');
    await walker.typeInto('#removal-reason', 'bought twice');
    await walker.button('Take 1 sound out').click();
    await walker.shows('1 sound taken out of the catalogue');
    await page.goto(`${server.address}/setup?show=removed`);
    await walker.shows('bought twice');
    await page.locator('[aria-label="vent.wav"]').click();
    await walker.button('Bring 1 sound back').click();
    await walker.shows('Nothing was taken out.');
  });

  step('without a fault in the page', () => {
    expect(walker.faults).toEqual([]);
    return Promise.resolve();
  });
});
