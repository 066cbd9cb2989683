import { execFile } from 'node:child_process';
import { chmod, mkdir, mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, expect, jest } from '@jest/globals';
import { memorySource } from '@flagstone/core/formats/byte-source';
import { readAudio } from '@flagstone/server/disk/read-audio';
import { demoCollection } from '@flagstone/demo/collection';
import { demoFileBytes } from '@flagstone/demo/make-collection';
import { sines } from '@flagstone/demo/test-signals';
import { wavBytes } from '@flagstone/demo/wav-file';
import type { Page } from 'puppeteer-core';
import { RunningServer } from '../running-server.ts';
import { WATCH_SOUNDS, type BegunSound } from './heard-sounds.ts';
import { openBrowser, signInPage } from './open-browser.ts';
import { stepsOf, Walker } from './walker.ts';

const run = promisify(execFile);
jest.setTimeout(120_000);
const RATE = 48_000;
const SHORT_SOUNDS = 50;
const LEVEL_DBFS = -20;

let folder = '';
let drive = '';
let server: RunningServer;
let page: Page;
let closeBrowser: () => Promise<void>;
let walker: Walker;
const step = stepsOf(() => walker);

/** Fifty short sounds, a tone of a known level, one in a container that no browser plays, and a series of takes. */
async function makeDrive(): Promise<void> {
  const short = demoCollection()
    .filter(({ path: file }) => file.endsWith('.wav'))
    .slice(0, SHORT_SOUNDS);
  for (const [index, sound] of short.entries())
    await writeFile(
      path.join(drive, `a${String(index).padStart(2, '0')}.wav`),
      demoFileBytes({ ...sound, seconds: 0.6 }),
    );
  const tone = sines(RATE, [[LEVEL_DBFS, 8]], 1000);
  await writeFile(path.join(drive, 'b tone.wav'), wavBytes([tone, tone], { rate: RATE, bits: 24 }));
  await run('sox', ['-D', path.join(drive, 'b tone.wav'), path.join(drive, 'c tone.aiff')]);
  const latch = demoCollection().find(({ path: file }) => file.includes('mill door latch'));
  if (!latch) throw new Error('the demo has no series of latches');
  await writeFile(path.join(drive, 'd latch.wav'), demoFileBytes(latch));
}

const begun = async (): Promise<BegunSound[]> => (await page.evaluate('heard.begun')) as BegunSound[];
/** Until more sounds than that have begun; what the page says of it when they do not. */
async function begunAfter(count: number): Promise<void> {
  await page.waitForFunction(`heard.begun.length > ${count}`).catch(async (cause: unknown) => {
    const said = await page.evaluate(`({
      begun: heard.begun.length,
      strip: document.querySelector('[aria-label="Listening strip"]')?.innerText,
      row: document.querySelector('[role="row"][aria-current]')?.innerText ?? document.querySelector('[role="row"].current')?.innerText,
      rows: document.querySelector('[role="grid"]')?.getAttribute('aria-rowcount'),
    })`);
    throw new Error(`after key ${count + 1} nothing began: ${JSON.stringify(said)}`, { cause });
  });
}
const playing = (name: string) =>
  page.waitForFunction(
    (wanted) => {
      const strip = document.querySelector('[aria-label="Listening strip"]') as HTMLElement;
      return strip.innerText.includes(wanted) && strip.querySelector('[aria-label="Pause"]') !== null;
    },
    {},
    name,
  );
/** Until the place of the play line, seconds, is beyond one. */
const playedBeyond = (seconds: number) =>
  page.waitForFunction(
    (wanted) => Number(document.querySelector('[aria-label="Position"]')?.getAttribute('aria-valuenow')) > wanted,
    {},
    seconds,
  );

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-listen-'));
  await chmod(folder, 0o755);
  drive = path.join(folder, 'drive');
  await mkdir(drive);
  await makeDrive();
  server = new RunningServer(path.join(folder, 'data'), drive);
  await server.start();
  const opened = await openBrowser();
  page = opened.page;
  closeBrowser = opened.close;
  await signInPage(page, server.headers);
  walker = new Walker(page, 20_000);
  await page.evaluateOnNewDocument(WATCH_SOUNDS);
}, 120_000);

afterAll(async () => {
  await closeBrowser();
  await server.end();
  await rm(folder, { recursive: true, force: true });
});

step('hears fifty sounds by the arrow key alone', async () => {
  await page.goto(`${server.address}/intake`);
  await walker.tabTo('Path of the folder');
  await page.keyboard.type(drive);
  await page.keyboard.press('Enter');
  await walker.shows(`${SHORT_SOUNDS + 3} sounds`);
  await walker.showsNoMore('Reading the folder');
  await page.waitForSelector('[role="rowgroup"] [role="row"]');
  for (let index = 0; index < SHORT_SOUNDS; index += 1) {
    await walker.nextRow();
    await begunAfter(index);
  }
  const sources = (await begun()).map(({ source }) => source);
  expect(new Set(sources).size).toBe(SHORT_SOUNDS);
});

step('shows the level that the samples have, and brings it to the same loudness', async () => {
  await page.keyboard.press('ArrowDown');
  await playing('b tone.wav');
  await playedBeyond(0.5);
  // What the samples say, by the browser's own decoder.
  const expected = (await page.evaluate(`(async () => {
    const bytes = await (await fetch(heard.begun.at(-1).source)).arrayBuffer();
    const decoded = await new OfflineAudioContext(2, 48000, 48000).decodeAudioData(bytes);
    return 20 * Math.log10(decoded.getChannelData(0).reduce((most, value) => Math.max(most, Math.abs(value)), 0));
  })()`)) as number;
  expect(Math.abs(expected - LEVEL_DBFS)).toBeLessThan(0.1);
  const shownPeak = (): number => Number(document.querySelector('.meter')?.getAttribute('data-peak'));
  await page.waitForFunction(
    (wanted) => Math.abs(Number(document.querySelector('.meter')?.getAttribute('data-peak')) - wanted) < 0.5,
    {},
    expected,
  );
  expect(Math.abs((await page.evaluate(shownPeak)) - expected)).toBeLessThan(0.5);
  // A tone of -20 dBFS in two channels is -20 LUFS (EBU Tech 3341, case 1); evened it is -23.
  const shownLoudness = (wanted: string) =>
    page.waitForFunction(
      (words) => document.querySelector('.meter')?.getAttribute('aria-label')?.includes(words),
      {},
      wanted,
    );
  await shownLoudness('−20.0 LUFS');
  await walker.tabTo('How sounds are heard');
  await page.keyboard.press('Enter');
  await page.waitForSelector('[aria-label="Even levels"]');
  await walker.tabTo('Even levels');
  await page.keyboard.press('Space');
  await shownLoudness('−23.0 LUFS');
  await page.keyboard.press('Space');
  await page.keyboard.press('Escape');
});

step('plays what the browser cannot, marks a part and repeats it, without the mouse', async () => {
  await walker.tabTo('Sounds of the batch');
  await page.keyboard.press('ArrowDown');
  await playing('c tone.aiff');
  await playedBeyond(0.3);
  await page.keyboard.press('[');
  await playedBeyond(0.9);
  await page.keyboard.press(']');
  await walker.shows('marked');
  await page.keyboard.press('l');
  // The part begins again: the place goes back.
  await page.waitForFunction(
    `(() => { const now = Number(document.querySelector('[aria-label="Position"]').getAttribute('aria-valuenow')); const back = now < (globalThis.lastPlace ?? 0); globalThis.lastPlace = now; return back; })()`,
  );
  await page.keyboard.press('l');
  await page.keyboard.press('x');
  await page.keyboard.press('z');
  await page.keyboard.press('+');
  await page.keyboard.press('f');
  await page.keyboard.press('Space');
  await page.waitForSelector('[aria-label="Listening strip"] [aria-label="Play"]');
});

step('finds the takes of a series, keeps them with sync points, and plays them by number', async () => {
  await page.keyboard.press('ArrowDown');
  await playing('d latch.wav');
  await page.keyboard.press('o');
  await page.waitForSelector('[aria-label^="Spectrogram"][data-ready="true"]');
  await walker.tabTo('Find slices');
  await page.keyboard.press('Enter');
  await walker.shows('4 slices found');
  await page.keyboard.press('Escape');
  await walker.tabTo('Find slices');
  await page.keyboard.press('Enter');
  await walker.shows('4 slices found');
  await walker.tabTo('Keep 4 slices');
  await page.keyboard.press('Enter');
  await walker.shows('4 sync points');
  const before = (await begun()).length;
  for (const key of ['3', '1', '2'] as const) await page.keyboard.press(key);
  await page.waitForFunction(`heard.begun.length > ${before}`);
  await page.waitForSelector('.slice.chosen');
});

step('moves a sync point by samples, and cuts the takes out', async () => {
  await walker.tabTo('Choose sync point 1');
  await page.keyboard.press('Enter');
  await walker.shows('move it by one sample');
  await page.evaluate('document.activeElement.blur()');
  await walker.press('ArrowRight');
  await walker.press('Shift+ArrowRight');
  await walker.press('Escape');
  await page.keyboard.press('c');
  await walker.shows('d latch 04.wav');
  await walker.tabTo('Cut out 4 files');
  await page.keyboard.press('Enter');
  await walker.shows('4 cut out of it');
  const names = await readdir(drive);
  for (const number of [1, 2, 3, 4]) expect(names).toContain(`d latch 0${number}.wav`);
});

step('tries a room and another pitch, hears it, and pulls it', async () => {
  await walker.tabTo('Try out');
  await page.keyboard.press('Enter');
  await walker.tabTo('Room or device');
  await page.keyboard.press('Space');
  await page.evaluate('document.activeElement.blur()');
  await page.keyboard.press('h');
  await walker.shows('Trying out');
  // What is dragged out of the strip is what is heard: a file of its own, not the sound as it is.
  const dragged = await page.$eval('.strip .name', (name) => {
    const dataTransfer = new DataTransfer();
    name.dispatchEvent(new DragEvent('dragstart', { dataTransfer, bubbles: true }));
    return dataTransfer.getData('DownloadURL');
  });
  const [, address = ''] = /tried out\.wav:(.*)$/.exec(dragged) ?? [];
  const head = await page.evaluate(async (from) => {
    const answer = await fetch(from);
    const bytes = new Uint8Array(await answer.arrayBuffer());
    return [answer.status, String.fromCharCode(...bytes.slice(0, 4))];
  }, address);
  expect(head).toEqual([200, 'RIFF']);
  await page.waitForFunction(() => Number(document.querySelector('.meter')?.getAttribute('data-peak')) > -50, {});
  await walker.tabTo('Speed in semitones');
  for (let half = 0; half < 4; half += 1) await page.keyboard.press('ArrowLeft');
  await walker.shows('−2 st');
  await page.evaluate('document.activeElement.blur()');
  await page.keyboard.press('p');
  await walker.shows('pulled into');
  await page.goto(`${server.address}/pull`);
  await walker.shows('speed 89.09 %, small tiled room 40 %');
});

step('writes slices and sync points back into the file, where others read them', async () => {
  await page.goto(`${server.address}/intake/1?step=write`);
  await walker.shows('to write');
  const planned = await page.evaluate(() => /(\d+) files? to write/.exec(document.body.innerText)?.[1] ?? '');
  await walker.tabTo('Write ');
  await page.keyboard.press('Enter');
  await walker.shows(`${planned} done`);
  const { stdout } = await run('sndfile-info', [path.join(drive, 'd latch.wav')]);
  expect(stdout).toMatch(/Count : 8/);
  const { record, issues } = await readAudio(
    memorySource(new Uint8Array(await readFile(path.join(drive, 'd latch.wav')))),
  );
  expect(record.slices?.split('\n')).toHaveLength(4);
  expect(record.syncPoints?.split('\n')).toHaveLength(4);
  expect(issues).toEqual([]);
  expect(walker.faults).toEqual([]);
});
