import { execFile } from 'node:child_process';
import { chmod, mkdir, mkdtemp, readdir, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, jest } from '@jest/globals';
import { demoCollection } from '@flagstone/demo/collection';
import { demoFileBytes } from '@flagstone/demo/make-collection';
import type { Page } from 'puppeteer-core';
import { RunningServer } from '../running-server.ts';
import { openBrowser, signInPage } from './open-browser.ts';
import { stepsOf, Walker } from './walker.ts';

const run = promisify(execFile);
jest.setTimeout(60_000);
const ACTION_MS = 15_000;

let folder = '';
let drive = '';
let server: RunningServer;
let page: Page;
let closeBrowser: () => Promise<void>;
let walker: Walker;
const before = new Map<string, string>();

/** Short demo sounds with different metadata inside, in folders, and one file that cannot be read. */
async function makeDrive(): Promise<void> {
  const wanted = ['/HARROW & SLUICE/', '/KestrelYard/PotteryClink/', '/lowside_textures/geese/'];
  const sounds = demoCollection()
    .filter((sound) => wanted.some((part) => sound.path.includes(part)) && sound.seconds < 3)
    .slice(0, 14);
  for (const sound of sounds) {
    const full = path.join(drive, sound.path);
    await mkdir(path.dirname(full), { recursive: true });
    await writeFile(full, demoFileBytes(sound));
  }
  await writeFile(path.join(drive, 'empty.wav'), '');
}

/** MD5 of the decoded audio, by ffmpeg: an outside reader's word that the audio is the same. */
async function audioMd5(file: string): Promise<string> {
  const { stdout } = await run('ffmpeg', ['-v', 'error', '-i', `file:${file}`, '-map', '0:a', '-f', 'md5', '-']);
  return stdout.trim();
}

async function filesOnDrive(): Promise<string[]> {
  const entries = await readdir(drive, { recursive: true });
  return entries
    .filter((entry) => entry.endsWith('.wav') && entry !== 'empty.wav')
    .map((entry) => path.join(drive, entry))
    .sort();
}

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-walk-'));
  await chmod(folder, 0o755);
  drive = path.join(folder, 'drive');
  await makeDrive();
  for (const file of await filesOnDrive()) before.set(await audioMd5(file), file);
  server = new RunningServer(path.join(folder, 'data'), drive);
  await server.start();
  const opened = await openBrowser();
  page = opened.page;
  closeBrowser = opened.close;
  await signInPage(page, server.headers);
  walker = new Walker(page, ACTION_MS);
}, 120_000);

afterAll(async () => {
  await closeBrowser();
  await server.end();
  await rm(folder, { recursive: true, force: true });
});

const button = (name: string) => walker.button(name);
const text = (words: string) => walker.text(words);
const shows = (words: string) => walker.shows(words);
const step = stepsOf(() => walker);

describe('from a folder of messy files to the catalogue', () => {
  step('1. reads the folder and lists every file, and the one that cannot be read with its reason', async () => {
    await page.goto(`${server.address}/intake`);
    await page.locator('input[aria-label="Path of the folder"]').fill(drive);
    await button('Read the folder').click();
    await shows('14 sounds');
    await text('1 file unreadable').click();
    await shows('The file is empty (0 bytes).');
    await text('1 Describe').click();
    const rows = await walker.rowTexts();
    expect(rows).toHaveLength(14);
    expect(rows.some((row) => row.includes('KY_PotteryClink_GlazedBowl_03.wav') && row.includes('Stereo'))).toBe(true);
  });

  step('refuses a folder outside the roots with what to do', async () => {
    await page.goto(`${server.address}/intake`);
    await page.locator('input[aria-label="Path of the folder"]').fill('/etc');
    await button('Read the folder').click();
    await shows('/etc lies outside the allowed roots');
    await shows('start Flagstone with --root DIR');
    await page.goto(`${server.address}/intake/1`);
    await shows('14 sounds');
  });

  step('shows what stands in a file and where it disagrees, and takes a value with one click', async () => {
    await page.locator('[role="grid"]').click({ offset: { x: 500, y: 640 } });
    await walker.press('Control+a');
    await shows('All selected');
    await button('In the file').click();
    await shows('say different things in different places');
    await page.locator('.card a ::-p-text(Description)').click();
    await page.waitForFunction(() => location.search.includes('disagrees=description'));
    await shows('Disagree on Description');
    await page.waitForFunction(() => document.querySelectorAll('[role="rowgroup"] [role="row"]').length < 14);
    await page.keyboard.press('ArrowDown');
    await shows('Fields by place');
    await shows('bext description');
    await shows('Broadcast extension');
    await page.locator('.field.differs li.differs button').click();
    await shows('The record says: ');
    await page.keyboard.press('Escape');
    await page.keyboard.press('u');
    await page.waitForFunction(() => !document.body.innerText.includes('The record says: '));
    await button('Record').click();
    await page.locator('.narrowed button').click();
    await shows('14 sounds');
  });

  step('2. suggests for all, sets fields of all at once, a category by a word, and a name in the table', async () => {
    await button('Suggest for all').click();
    await shows('sounds filled in');
    await shows('Boat Narrowboat Horn');
    await page.locator('[role="grid"]').click({ offset: { x: 500, y: 640 } });
    await walker.press('Control+a');
    await shows('All selected');
    await walker.typeInto('[data-field="creatorId"] input', 'ORV');
    await page.keyboard.press('Tab');
    await shows('CreatorID: 14 sounds changed');
    await walker.typeInto('[data-field="sourceId"] input', 'CLAY');
    await page.keyboard.press('Tab');
    await shows('SourceID: 14 sounds changed');

    // The honk files have no word for a goose in their names: choose the category by typing a part of it.
    await walker.searchFor('honk');
    await page.waitForFunction(() => document.querySelectorAll('[role="rowgroup"] [role="row"]').length < 14);
    const honks = (await walker.rowTexts()).length;
    await page.keyboard.press('Escape');
    await walker.press('Control+a');
    await walker.typeInto('[data-field="catId"] input', 'goose');
    await page.locator('.category-options li ::-p-text(BIRDFowl)').click();
    await shows(`CatID: ${honks} sounds changed`);

    // Some have no sure suggestion: go to the next with something missing, and accept the first of the guesses, each with one key.
    await walker.searchFor('');
    await shows('14 sounds');
    await page.keyboard.press('Escape');
    for (;;) {
      const missing =
        14 - Number(/(\d+) of 14 with a category/.exec(await page.$eval('body', (body) => body.innerText))?.[1]);
      if (missing === 0) break;
      await page.keyboard.press('m');
      await shows('Still missing: CatID');
      await page.waitForSelector('.suggestion');
      await page.keyboard.press('1');
      await shows(`${15 - missing} of 14 with a category`);
      await page.keyboard.press('Home');
    }
    await shows('14 of 14 with a category, 14 ready to name');

    await page.keyboard.press('Escape');
    await page.keyboard.press('Home');
    await page.keyboard.press('F2');
    await page.waitForSelector('.editor');
    await page.keyboard.type('Named By Hand');
    await page.keyboard.press('Enter');
    await page.keyboard.press('Escape');
    await page.waitForFunction(() =>
      [...document.querySelectorAll('[role="rowgroup"] [role="row"]')].some((row) =>
        row.textContent?.includes('Named By Hand'),
      ),
    );
  });

  step('pastes cells from a spreadsheet, undoes and does it again from the keyboard', async () => {
    const holds = (words: string) =>
      page.waitForFunction(
        (wanted) => [...document.querySelectorAll('[role="row"]')].some((row) => row.textContent?.includes(wanted)),
        {},
        words,
      );
    await page.keyboard.press('Home');
    await page.evaluate(() => {
      const clipboardData = new DataTransfer();
      clipboardData.setData('text/plain', 'Pasted One\r\nPasted Two\r\n');
      window.dispatchEvent(new ClipboardEvent('paste', { clipboardData, cancelable: true }));
    });
    await holds('Pasted Two');
    await page.keyboard.press('u');
    await page.waitForFunction(
      () => ![...document.querySelectorAll('[role="row"]')].some((row) => row.textContent?.includes('Pasted')),
    );
    await walker.press('Shift+u');
    await holds('Pasted One');
    await page.keyboard.press('u');
    await page.waitForFunction(
      () => ![...document.querySelectorAll('[role="row"]')].some((row) => row.textContent?.includes('Pasted')),
    );
  });

  step('runs a recipe on all after showing what it would change, and takes it back as one', async () => {
    await button('Recipe…').click();
    await button('+ Add a step').click();
    await page.locator('[role="menuitem"] ::-p-text(Set a value)').click();
    await page.locator('input[aria-label="Value"]').fill('Canal Company');
    await shows('of 14 would change');
    await button('Change 14 sounds').click();
    await shows('14 sounds changed');
    // Columns out of view are not there.
    await page.$eval('[role="grid"]', (grid) => (grid.scrollLeft = grid.scrollWidth));
    await page.waitForFunction(
      () => document.querySelector('.el-drawer') === null || !document.body.innerText.includes('would change'),
    );
    await page.waitForFunction(() =>
      [...document.querySelectorAll('[role="rowgroup"] [role="row"]')].every((row) =>
        row.textContent?.includes('Canal Company'),
      ),
    );
    await page.keyboard.press('Escape');
    await page.keyboard.press('u');
    await page.waitForFunction(
      () =>
        ![...document.querySelectorAll('[role="rowgroup"] [role="row"]')].some((row) =>
          row.textContent?.includes('Canal Company'),
        ),
    );
  });

  step('3. shows the names in blocks, tries one, renames all, undoes, and renames again', async () => {
    const original = await filesOnDrive();
    await page.keyboard.press('Escape');
    await page.keyboard.press('r');
    await shows('14 files to rename');
    await page.waitForFunction(() => document.querySelectorAll('.plan .block').length > 4 * 4);
    await button('Try one').click();
    await shows('1 done');
    await button('Rename 13 files').click();
    await shows('14 done');
    const renamed = await filesOnDrive();
    for (const file of renamed) expect(path.basename(file)).toMatch(/^[A-Z]+[A-Za-z]*_[^_]+_ORV_CLAY( \d\d)?\.wav$/);
    await button('Undo 14 files').click();
    await page.waitForFunction(() => !document.body.innerText.includes('14 done'));
    expect(await filesOnDrive()).toEqual(original);
    await button('Plan again').click();
    await shows('14 files to rename');
    await button('Rename 14 files').click();
    await shows('14 done');
    expect(await filesOnDrive()).toEqual(renamed);
  });

  step('4. writes the records into the files, as outside readers confirm, with the same audio', async () => {
    await page.keyboard.press('w');
    await shows('14 files to write');
    await button('Write 14 files').click();
    await shows('14 done');
    const files = await filesOnDrive();
    for (const file of files) {
      expect(before.has(await audioMd5(file))).toBe(true);
      const { stdout, stderr } = await run('ffprobe', [
        '-v',
        'warning',
        '-of',
        'json',
        '-show_entries',
        'format_tags',
        `file:${file}`,
      ]);
      expect(stderr).toBe('');
      const { tags } = (JSON.parse(stdout) as { format: { tags: Record<string, string> } }).format;
      const [catId = '', fxName = ''] = path.basename(file).split('_');
      // A block holds no `_`; the field keeps what it was.
      expect(tags['title']?.replaceAll('_', ' ')).toBe(fxName);
      const { stdout: listed } = await run('exiftool', ['-j', '-G1', '-a', file]);
      const [exif] = JSON.parse(listed) as Record<string, unknown>[];
      expect(exif).toMatchObject({
        'XML:BwfxmlAswgCatId': catId,
        'XML:BwfxmlAswgFxName': tags['title'],
        'XML:BwfxmlAswgCreatorId': 'ORV',
        'XML:BwfxmlAswgSourceId': 'CLAY',
      });
    }
  });

  step('5. files the batch; the catalogue lists, finds, filters and sorts it', async () => {
    await text('5 File').click();
    await button('File them').click();
    await page.waitForFunction(() => location.pathname === '/catalogue');
    await shows('14 sounds');
    await walker.searchFor('named hand');
    await shows('1 sound');
    await walker.searchFor('');
    await page.keyboard.press('Escape');
    await shows('14 sounds');
    await text('BIRDS').click();
    await page.waitForFunction(() => location.search.includes('category=BIRDS'));
    await page.waitForFunction(() =>
      [...document.querySelectorAll('[role="rowgroup"] [role="row"]')].every((row) =>
        row.textContent?.includes('BIRDFowl'),
      ),
    );
    await text('Everything').click();
    await shows('14 sounds');
    await page.locator('.head .sort ::-p-text(Length)').click();
    await page.waitForSelector('[role="columnheader"][aria-sort="ascending"] ::-p-text(Length)');
    await page.waitForFunction(() => {
      const rows = [...document.querySelectorAll<HTMLElement>('[role="rowgroup"] [role="row"]')];
      const lengths = rows.map((row) => Number(/0:(\d\d\.\d)/.exec(row.innerText)?.[1]));
      return (
        lengths.length === 14 && lengths.every((length, index) => index === 0 || length >= (lengths[index - 1] ?? 0))
      );
    });
  });

  step('plays a row at once when an arrow key selects it; space pauses, the next arrow goes on', async () => {
    const position = () =>
      page.$eval('[role="slider"][aria-label="Position"]', (slider) => Number(slider.getAttribute('aria-valuenow')));
    const shown = () => page.$eval('.strip .name', (name) => name.textContent);
    await page.keyboard.press('Home');
    await page.keyboard.press('End');
    await page.keyboard.press('ArrowDown');
    await page.waitForFunction(
      () => Number(document.querySelector('[role="slider"][aria-label="Position"]')?.getAttribute('aria-valuenow')) > 0,
    );
    const first = await shown();
    expect(await position()).toBeGreaterThan(0);
    await page.keyboard.press('ArrowDown');
    await page.waitForFunction((name) => document.querySelector('.strip .name')?.textContent !== name, {}, first);
    await page.waitForSelector('button[aria-label="Pause"]');
    await page.keyboard.press('Space');
    await page.waitForSelector('button[aria-label="Play"]');
    const drawn = await page.$eval('.strip canvas', (canvas) => {
      const { width, height } = canvas;
      const pixels = canvas.getContext('2d')?.getImageData(0, 0, width, height).data ?? new Uint8ClampedArray();
      return pixels.some((value) => value > 0);
    });
    expect(drawn).toBe(true);
  });

  step('tells what was measured of a sound, and takes its form into the record', async () => {
    await page.keyboard.press('ArrowDown');
    await button('Sound').click();
    await shows('Integrated loudness');
    await shows('LUFS');
    await page.locator('.take[aria-label="Take Form into the record"]').click();
    await shows('✓ in the record');
    await page.keyboard.press('Escape');
    await page.keyboard.press('u');
    await page.waitForSelector('.take[aria-label="Take Form into the record"]');
    await button('Record').click();
  });

  step('shows the collection on Today, each number opening the list behind it', async () => {
    await page.locator('nav[aria-label="Places"] ::-p-text(Today)').click();
    await shows('Sounds by category');
    await shows('(14 of 14 measured)');
    // The chart's numbers stand as links for the keyboard.
    await page.$eval('.chart a[href*="missing=licence"]', (link) => (link as HTMLElement).focus());
    await page.keyboard.press('Enter');
    await shows('○ Without Licence');
    await shows('14 sounds');
    await page.locator('header ::-p-text(Jobs)').click();
    await page.locator('.jobs a ::-p-text(14 new)').click();
    await page.waitForFunction(() => location.search.includes('found=new'));
    await shows('Found: New');
  });

  step('manages the drive from the keyboard, and says what is wrong with a path', async () => {
    await page.locator('nav[aria-label="Places"] ::-p-text(Setup)').click();
    await shows('Folder that was read');
    const answer = async (act: string, words: string): Promise<void> => {
      await page
        .locator(`::-p-aria([name="${act}"][role="button"])`)
        .map((found) => found as HTMLElement)
        .wait();
      await page.evaluate((name) => {
        [...document.querySelectorAll<HTMLElement>('.drive button')]
          .find((each) => each.innerText.trim() === name)
          ?.focus();
      }, act);
      await page.keyboard.press('Enter');
      await page.waitForFunction(() => document.activeElement?.closest('.el-message-box') !== null);
      await page.keyboard.down('Control');
      await page.keyboard.press('a');
      await page.keyboard.up('Control');
      await page.keyboard.type(words);
      await page.keyboard.press('Enter');
      await page.waitForFunction(() => !document.querySelector('.el-message-box'));
    };
    await answer('Rename', 'Canal recordings');
    await shows('Canal recordings');
    await answer('Change the path', '/etc');
    await shows('/etc lies outside the allowed roots');
    await page.locator('.el-tabs__item ::-p-text(Lost files)').click();
    await shows('No file is lost.');
  });

  step('6. has everything still after the server was restarted', async () => {
    await server.end();
    await server.start();
    await page.goto(`${server.address}/catalogue`);
    await shows('14 sounds');
    await page.waitForFunction(() => document.body.innerText.includes('In step'));
    await page.goto(`${server.address}/setup`);
    await shows('Canal recordings');
    // The line for live events breaks while the server is down; that is no fault of the page.
    expect(
      walker.faults.filter(
        (fault) =>
          !/ERR_CONNECTION_REFUSED|ERR_INCOMPLETE_CHUNKED|ERR_EMPTY_RESPONSE|403|Failed to load resource/.test(fault),
      ),
    ).toEqual([]);
  });
});
