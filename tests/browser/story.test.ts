import { execFile } from 'node:child_process';
import { createHash } from 'node:crypto';
import { chmod, mkdtemp, readdir, readFile, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, jest } from '@jest/globals';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';
import { parseName, splitExtension } from '@flagstone/core/naming/name-blocks';
import type { Page } from 'puppeteer-core';
import { RunningServer } from '../running-server.ts';
import { openBrowser, signInPage } from './open-browser.ts';
import { stepsOf, Walker } from './walker.ts';

/**
 * A hundred and twenty files without a standard become filed in UCS form, by the keyboard alone: read, names read back, suggested, corrected,
 * named, written, filed; and all of it is taken back.
 */
const run = promisify(execFile);
jest.setTimeout(240_000);
const FILES = 120;
const ACTION_MS = 60_000;

let folder = '';
let drive = '';
let server: RunningServer;
let page: Page;
let closeBrowser: () => Promise<void>;
let walker: Walker;
/** What each file held before anything was done, by its path. */
let before = new Map<string, string>();
let audioBefore: string[] = [];

/** In a process of its own: sounds are synthesised several times faster than in the context of a test. */
async function makeDrive(): Promise<void> {
  const maker = fileURLToPath(new URL('story-drive.ts', import.meta.url));
  await run(process.execPath, ['--import', 'tsx', maker, drive, String(FILES)], {
    env: { ...process.env, NODE_OPTIONS: '' },
  });
}

async function filesOnDrive(): Promise<string[]> {
  const entries = await readdir(drive, { recursive: true });
  return entries.filter((entry) => /\.(wav|txt)$/.test(entry)).sort();
}

async function contents(): Promise<Map<string, string>> {
  const files = await filesOnDrive();
  const digests = await Promise.all(
    files.map(async (file) =>
      createHash('sha256')
        .update(await readFile(path.join(drive, file)))
        .digest('hex'),
    ),
  );
  return new Map(files.map((file, at) => [file, digests[at] ?? '']));
}

/** MD5 of the decoded audio of every file, by ffmpeg. */
async function audioOnDrive(): Promise<string[]> {
  const found: string[] = [];
  for (const file of (await filesOnDrive()).filter((each) => each.endsWith('.wav'))) {
    const { stdout } = await run('ffmpeg', [
      '-v',
      'error',
      '-i',
      `file:${path.join(drive, file)}`,
      '-map',
      '0:a',
      '-f',
      'md5',
      '-',
    ]);
    found.push(stdout.trim());
  }
  return found.sort();
}

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-story-'));
  await chmod(folder, 0o755);
  drive = path.join(folder, 'drive');
  await makeDrive();
  before = await contents();
  audioBefore = await audioOnDrive();
  server = new RunningServer(path.join(folder, 'data'), drive);
  await server.start();
  const opened = await openBrowser();
  page = opened.page;
  closeBrowser = opened.close;
  await signInPage(page, server.headers);
  walker = new Walker(page, ACTION_MS);
}, 240_000);

afterAll(async () => {
  await closeBrowser();
  await server.end();
  await rm(folder, { recursive: true, force: true });
});

const step = stepsOf(() => walker);
const enter = () => page.keyboard.press('Enter');
const shows = (words: string) => walker.shows(words);
/** Waits for a condition on the text of the page that words alone cannot say. */
const showsLike = (pattern: string) =>
  page.waitForFunction((wanted) => new RegExp(wanted).test(document.body.innerText), {}, pattern);
/** Waits for the disk to be as asked. */
async function until(isSo: () => Promise<boolean>): Promise<void> {
  for (const end = Date.now() + ACTION_MS; Date.now() < end; await pause(200)) if (await isSo()) return;
  throw new Error('the disk did not become as asked in time');
}
const missing = async (): Promise<number> => {
  const found = /(\d+) ready to name/.exec(await page.evaluate(() => document.body.innerText));
  return FILES - Number(found?.[1] ?? 0);
};

describe(`${FILES} files from no standard to filed, by the keyboard alone`, () => {
  step('reads the folder', async () => {
    await page.goto(`${server.address}/intake`);
    await page.waitForSelector('input[aria-label="Path of the folder"]');
    await walker.tabTo('Path of the folder');
    await page.keyboard.type(drive);
    await enter();
    await shows(`${FILES} sounds`);
    await walker.showsNoMore('Reading the folder');
  });

  step('reads back the names that are nearly in UCS form, and shows what it puts right', async () => {
    await walker.tabTo('Recipes that are often needed');
    await enter();
    await page.waitForFunction(() => document.activeElement?.closest('[role="menu"]') !== null);
    await page.keyboard.press('ArrowDown');
    await enter();
    await shows('▲ Blanks around the separators “_” are left out.');
    await shows('▲ A block is missing: ');
    await walker.tabTo('Change ');
    await enter();
    await shows('sounds changed');
  });

  step('suggests for all, and sets what all have in common', async () => {
    await walker.tabTo('Suggest for all');
    await enter();
    await showsLike('\\d+ sounds filled in');
    await walker.tabTo('Sounds of the batch');
    await walker.press('Control+a');
    await shows('All selected');
    await page.keyboard.press('e');
    await page.keyboard.press('Escape');
    await walker.tabTo('CreatorID');
    await page.keyboard.type('ORV');
    await walker.tabTo('SourceID');
    await page.keyboard.type('CLAY');
    await enter();
    await shows('SourceID: ');
  });

  step('goes from one that lacks something to the next, and decides each with a key or a word', async () => {
    await page.keyboard.press('Escape');
    await walker.tabTo('Sounds of the batch');
    await page.keyboard.press('Escape');
    for (let left = await missing(); left > 0; left = await missing()) {
      await page.keyboard.press('m');
      await shows('Still missing: CatID');
      await page.waitForFunction(() => document.querySelector('.suggestion, .none') !== null);
      const hasGuess = (await page.$('.suggestion')) !== null;
      if (hasGuess) await page.keyboard.press('1');
      else {
        await page.keyboard.press('e');
        await page.keyboard.type('cermm');
        await enter();
      }
      await showsLike(`(^|\\D)${FILES - left + 1} ready to name`);
      await page.keyboard.press('Escape');
    }
  });

  step('shows all names, tries one, and renames the rest', async () => {
    await page.keyboard.press('r');
    await shows(`${FILES} files to rename`);
    await shows('+ ratchet_001.txt → ');
    await enter();
    await shows('✓ 1 done');
    await walker.tabTo(`Rename ${FILES - 1} files`);
    await enter();
    await shows(`✓ ${FILES} done`);
    const categories = builtInCategoryList();
    const names = (await filesOnDrive()).map((file) => splitExtension(path.basename(file)));
    for (const { base } of names) expect(parseName(base, categories)?.problems).toEqual([]);
    expect(names.filter(({ extension }) => extension === '.txt')).toHaveLength(1);
  });

  step('writes the records into the files, and files them', async () => {
    await page.keyboard.press('w');
    await showsLike('\\d+ files to write');
    await walker.tabTo('Write ');
    await enter();
    await showsLike('✓ \\d+ done');
    await walker.tabTo('5 File');
    await enter();
    await walker.tabTo('File them');
    await enter();
    await shows(`${FILES} sounds filed into the catalogue`);
    expect(await audioOnDrive()).toEqual(audioBefore);
    const [file = ''] = (await filesOnDrive()).filter((each) => /CERMBrk_.*\.wav$/.test(each));
    const { stdout } = await run('exiftool', [
      '-json',
      '-Title',
      '-Originator',
      '-Description',
      path.join(drive, file),
    ]);
    const fxName = parseName(splitExtension(path.basename(file)).base, builtInCategoryList())?.blocks.fxName;
    expect(JSON.parse(stdout)).toMatchObject([{ Title: fxName }]);
  });

  step('takes all of it back, to the very same bytes', async () => {
    await page.goto(`${server.address}/intake/1`);
    await shows(`${FILES} sounds`);
    const digests = (files: Map<string, string>) => [...files.values()].sort().join();
    // Filing was the last of it; then come the files, of which it is said first what becomes of them.
    await page.keyboard.press('u');
    await shows('Undo: Filed');
    const takeFilesBack = async (what: string): Promise<void> => {
      await page.keyboard.press('u');
      await shows(what);
      await page.keyboard.press('Enter');
    };
    await takeFilesBack('back what they said before?');
    await until(async () => digests(await contents()) === digests(before));
    await takeFilesBack('files back?');
    await until(async () => (await filesOnDrive()).join() === [...before.keys()].join());
    expect(await contents()).toEqual(before);
    expect(walker.faults).toEqual([]);
  });
});
