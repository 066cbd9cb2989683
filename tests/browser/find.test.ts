import { execFile } from 'node:child_process';
import { chmod, mkdir, mkdtemp, readdir, readFile, rm, stat, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, jest } from '@jest/globals';
import { parse } from 'csv-parse/sync';
import { demoCollection } from '@flagstone/demo/collection';
import { demoFileBytes } from '@flagstone/demo/make-collection';
import type { ElementHandle, Page } from 'puppeteer-core';
import { RunningServer } from '../running-server.ts';
import { openBrowser, signInPage } from './open-browser.ts';
import { stepsOf, Walker } from './walker.ts';

jest.setTimeout(60_000);
const ACTION_MS = 15_000;

let folder = '';
let server: RunningServer;
let page: Page;
let closeBrowser: (() => Promise<void>) | undefined;
let walker: Walker;

async function send(
  method: string,
  address: string,
  body: unknown,
): Promise<{ batch?: { id: number }; job?: { id: string } }> {
  const answer = await fetch(`${server.address}/api${address}`, {
    method,
    headers: { 'Content-Type': 'application/json', ...server.headers },
    body: JSON.stringify(body),
  });
  expect(answer.status).toBe(200);
  return (await answer.json()) as { batch?: { id: number }; job?: { id: string } };
}

/** Short sounds of the demo with names of their own, read and filed. */
beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-find-'));
  await chmod(folder, 0o755);
  const drive = path.join(folder, 'drive');
  const isWanted = /narrowboat|clang|clank|mill door|goose|geese/i;
  for (const sound of demoCollection()
    .filter((each) => each.seconds < 3 && isWanted.test(each.path))
    .slice(0, 24)) {
    const full = path.join(drive, sound.path);
    await mkdir(path.dirname(full), { recursive: true });
    await writeFile(full, demoFileBytes(sound));
  }
  server = new RunningServer(path.join(folder, 'data'), drive);
  await server.start();
  const opened = await openBrowser();
  page = opened.page;
  closeBrowser = opened.close;
  await signInPage(page, server.headers);
  walker = new Walker(page, ACTION_MS);
  const { batch } = await send('POST', '/intake', { path: drive });
  await page.goto(`${server.address}/intake/${batch?.id}`);
  await walker.shows('sounds');
  await page.waitForFunction(
    async () => {
      const jobs = (await (await fetch('/api/jobs')).json()) as { state: string }[];
      return jobs.length > 1 && jobs.every(({ state }) => state === 'done');
    },
    { timeout: 60_000, polling: 500 },
  );
  await send('POST', `/batches/${batch?.id}/file`, {});
}, 150_000);

afterAll(async () => {
  await closeBrowser?.();
  await server.end();
  await rm(folder, { recursive: true, force: true });
});

const rowsAre = (expected: RegExp) =>
  page.waitForFunction(
    (source) => {
      const rows = [...document.querySelectorAll<HTMLElement>('[role="rowgroup"] [role="row"]')];
      return rows.length > 0 && rows.every((row) => new RegExp(source, 'i').test(row.innerText));
    },
    {},
    expected.source,
  );
/** Waits until there are at least, and at most, so many rows. */
const rowsReach = (least: number, most: number) =>
  page.waitForFunction(
    (from, to) => {
      const { length } = document.querySelectorAll('[role="rowgroup"] [role="row"]');
      return length >= from && length <= to;
    },
    {},
    least,
    most,
  );
/** Clicks a value of the index when its counts are those of the list, and nothing moves any more. */
async function narrowBy(term: string): Promise<void> {
  await page.waitForFunction(() => document.querySelector('.facets') && !document.querySelector('[aria-busy="true"]'));
  await page.locator(`[title="${term}"]`).click();
  await page.waitForFunction((wanted) => new URLSearchParams(location.search).get('q')?.includes(wanted), {}, term);
}
const dialogIsGone = () =>
  page.waitForFunction(() => !document.querySelector('.el-overlay:not([style*="display: none"])'));
/** A folder of its own for what the browser saves; `next` is there when something is. */
async function downloadsTo(name: string): Promise<{ folder: string; next: () => Promise<void> }> {
  const downloads = path.join(folder, name);
  await mkdir(downloads);
  const client = await page.createCDPSession();
  await client.send('Browser.setDownloadBehavior', {
    behavior: 'allow',
    downloadPath: downloads,
    eventsEnabled: true,
  });
  const saved = new Promise<void>((resolve) =>
    client.on('Browser.downloadProgress', ({ state }) => state === 'completed' && resolve()),
  );
  return { folder: downloads, next: () => saved };
}
/** Drags one thing onto another that appears meanwhile. */
async function dragTo(what: string, onto: string): Promise<void> {
  const middle = async (selector: string) => {
    const box = await (await page.waitForSelector(selector))?.boundingBox();
    return { x: (box?.x ?? 0) + (box?.width ?? 0) / 2, y: (box?.y ?? 0) + (box?.height ?? 0) / 2 };
  };
  // A row that is made anew under the mouse is not dragged. (The network is no sign: requests of a page that was left may count as under way for ever.)
  await walker.rowsRest();
  const from = await middle(what);
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move(from.x + 30, from.y + 30, { steps: 4 });
  const to = await middle(onto);
  await page.mouse.move(to.x, to.y, { steps: 4 });
  // Once more within it: only there a drop is allowed.
  await page.mouse.move(to.x + 4, to.y + 2, { steps: 4 });
  await page.mouse.up();
}
const step = stepsOf(() => walker);

describe('finding a sound', () => {
  step('with a wrong spelling: it is put right, and said so', async () => {
    await page.goto(`${server.address}/catalogue`);
    await walker.searchFor('narowboat ');
    await walker.shows('Nothing for “narowboat”');
    await rowsAre(/narrowboat/);
    expect(await page.$$eval('mark', (marks) => marks.map((mark) => mark.textContent?.toLowerCase()))).toContain(
      'narrowboat',
    );
  });

  step('as typed, when that is wanted', async () => {
    await walker.button('Search as typed').click();
    await walker.shows('Nothing found for “narowboat');
    // That was said of this line alone: the next one is put right again, without a space behind it too.
    await walker.searchFor('narrowbaot');
    await walker.shows('Nothing for “narrowbaot”');
    await rowsAre(/narrowboat/);
  });

  step('with another word for it, which can be switched off', async () => {
    await page.goto(`${server.address}/catalogue?q=${encodeURIComponent('clang ')}`);
    // The word itself is answered at once; what stands beside it comes a moment later.
    await page.waitForSelector('.chip[aria-pressed="true"]');
    await rowsReach(2, 100);
    await rowsAre(/clang|clank/);
    await page.locator('.chip[aria-pressed="true"]').click();
    await page.waitForFunction(() => new URLSearchParams(location.search).get('widen') === 'off');
    await rowsReach(1, 1);
    await rowsAre(/clang/);
  });

  step('by length and channels, by mouse, and sends the link to somebody', async () => {
    await page.goto(`${server.address}/catalogue`);
    await narrowBy('channels:2');
    await rowsAre(/stereo/);
    await narrowBy('length:1..3');
    await rowsAre(/0:0[12]\./);
    const before = await walker.rowTexts();
    await page.goto(page.url());
    await rowsAre(/stereo/);
    expect(await walker.rowTexts()).toEqual(before);
  });

  step('by the folder that it lies in, with another search beside it, after a reload too', async () => {
    await page.goto(`${server.address}/catalogue`);
    await page.locator('.facets ::-p-text(Folders)').click();
    await page.waitForSelector('.folder .turn[aria-expanded="false"]');
    await page.locator('.folder .turn[aria-expanded="false"]').click();
    await page.waitForFunction(() => document.querySelectorAll('.folder').length > 1);
    const place = await page.$$eval('.folder .own', ([, first]) => first?.getAttribute('title') ?? '');
    const own = await page.$$eval('.folder .own .count', ([, first]) => Number(first?.textContent));
    await page.locator(`.folder .own[title="${place}"]`).click();
    await rowsReach(own, own);
    expect(new URL(page.url()).searchParams.get('q')).toBe(`in:"${place}"`);
    await page.keyboard.press('n');
    await walker.searchFor('goose ');
    await rowsAre(/goose|geese|honk/);
    await page.reload();
    await rowsAre(/goose|geese|honk/);
    const tabs = await page.$$eval('[role="tab"]', (all) =>
      all.map((tab) => [tab.textContent?.trim(), tab.getAttribute('aria-selected')]),
    );
    expect(tabs.slice(-2)).toEqual([
      [`in:"${place}"`, 'false'],
      ['goose', 'true'],
    ]);
    await page.focus('[aria-label="Close the search goose"]');
    await page.keyboard.press('Enter');
    await rowsReach(own, own);
  });

  step('by a value that the line offers with its count', async () => {
    await page.goto(`${server.address}/catalogue?q=${encodeURIComponent('narrowboat ')}`);
    await rowsAre(/narrowboat/);
    await page.focus('input[aria-label="Search"]');
    await page.keyboard.press('End');
    await page.keyboard.type('channels:');
    await page.waitForSelector('#search-values [role="option"]');
    // What is found so far stays while a value is chosen.
    await rowsAre(/narrowboat/);
    expect(new URL(page.url()).searchParams.get('q')).toBe('narrowboat ');
    const count = await page.$eval('#search-values [role="option"] .count', (each) => Number(each.textContent));
    await page.keyboard.press('Tab');
    await page.waitForFunction(() => /channels:\d/.test(location.search));
    await rowsReach(count, count);
  });

  step('by what it sounds like: a file, and what is knocked into the microphone', async () => {
    await page.browserContext().overridePermissions(server.address, ['microphone']);
    await page.goto(`${server.address}/catalogue?q=${encodeURIComponent('clang ')}`);
    await rowsAre(/clang|clank/);
    const [name = ''] = await page.$$eval('[role="rowgroup"] [role="row"] .pinned', (cells) =>
      cells.map((cell) => cell.textContent?.replace(/^[^\p{L}\p{N}]+/u, '').trim() ?? ''),
    );
    const { stdout } = await promisify(execFile)('find', [path.join(folder, 'drive'), '-name', name]);
    await walker.button('Sounds like…').click();
    const input = (await page.waitForSelector('input[aria-label="Sound file"]')) as ElementHandle<HTMLInputElement>;
    await input.uploadFile(stdout.trim());
    await page.waitForSelector('.found li');
    expect(await page.$eval('.found li', (first) => first.textContent)).toContain(name);
    await page.locator('.el-dialog ::-p-text(Hum or knock it)').click();
    // The microphone of the browser beeps once a second.
    await page.waitForSelector('::-p-text(Stop and look)');
    await page.waitForFunction(
      (since) => performance.now() - since > 1500,
      {},
      await page.evaluate(() => performance.now()),
    );
    await page.locator('.el-dialog ::-p-text(Stop and look)').click();
    await walker.shows('What you recorded');
    await page.waitForSelector('.found li');
    await page.keyboard.press('Escape');
    await dialogIsGone();
  });

  step('and takes the files out as a ZIP, and prints the pull list it was dragged to', async () => {
    await page.goto(`${server.address}/catalogue?q=${encodeURIComponent('clang ')}`);
    await rowsAre(/clang|clank/);
    const saved = await downloadsTo('files');
    await walker.button('Copy out…').click();
    await walker.shows('of whole files');
    await page.locator('.el-dialog button[type="submit"]').click();
    await saved.next();
    await promisify(execFile)('unzip', ['-tq', path.join(saved.folder, 'sounds.zip')]);
    await dialogIsGone();
    await send('POST', '/pull-lists', { name: 'Lock scene', show: '', scene: '' });
    await page.reload();
    await rowsAre(/clang|clank/);
    await dragTo('[role="rowgroup"] [role="row"] .pinned', '.target');
    await walker.shows('1 sound pulled into “Lock scene”');
    await page.goto(`${server.address}/pull`);
    const print = await page.waitForSelector('a.el-button[href] ::-p-text(Print…)');
    const report = await print?.evaluate((words) => words.closest('a')?.getAttribute('href'));
    const answer = await fetch(`${server.address}${report ?? ''}`, { headers: server.headers });
    expect(answer.headers.get('content-type')).toBe('application/pdf');
    await writeFile(path.join(saved.folder, 'list.pdf'), Buffer.from(await answer.arrayBuffer()));
    const { stdout } = await promisify(execFile)('pdftotext', ['-layout', path.join(saved.folder, 'list.pdf'), '-']);
    expect(stdout).toMatch(/Lock scene[^]*1 sound/);
  });

  step('and delivers the list to a game team, and what its licence forbids only when somebody decides so', async () => {
    const out = path.join(folder, 'drive', 'to the game team');
    await mkdir(out);
    await page.goto(`${server.address}/pull`);
    await walker.shows('Lock scene');
    await walker.button('Deliver…').click();
    await walker.pick('Use', 'Game');
    await page.waitForFunction(() => document.querySelector('.el-select-dropdown') === null);
    await walker.pick('Form', 'Game');
    await walker.typeInto('input[aria-label="Where to"]', out);
    await walker.text('Lay it out').click();
    await walker.shows('No licence is known of it.');
    await walker.text('Deliver 1 file').click();
    await walker.shows('■ delivered');
    const [file = ''] = (await readdir(out, { recursive: true })).filter((name) => name.endsWith('.wav'));
    const { stdout } = await promisify(execFile)('ffprobe', ['-v', 'error', '-show_streams', path.join(out, file)]);
    expect(stdout).toMatch(/codec_name=pcm_s16le[^]*sample_rate=48000[^]*channels=1/);
    expect(await readdir(out)).toContain('attribution.txt');

    const selection = { kind: 'catalogue', filter: { q: 'list:="Lock scene"' } };
    await send('PATCH', '/records', { selection, edit: { set: { licence: 'CC BY-NC 4.0' } } });
    await walker.text('Look again').click();
    await walker.shows('✕ stops it');
    await walker.shows('✕ cannot go');
    await walker.text('Deliver all the same…').click();
    await walker.typeInto('input[aria-label="Why it is delivered all the same"]', 'Its author agreed by letter');
    await walker.text('Decide').click();
    await walker.shows('◆ decided');
    await walker.text('Deliver 1 file').click();
    await walker.showsNoMore('◆ changed since');
    await walker.shows('■ delivered');
  });

  step('and rates it, makes it a favourite, and finds it by that', async () => {
    await page.goto(`${server.address}/catalogue?q=${encodeURIComponent('channels:2 ')}`);
    await rowsAre(/stereo/);
    await page.locator('[role="grid"]').click({ offset: { x: 300, y: 42 } });
    await walker.press('Alt+4');
    await walker.shows('Team: 4 of 5');
    await page.keyboard.press('b');
    await walker.shows('♥ Favourite');
    await page.goto(`${server.address}/catalogue?q=${encodeURIComponent('is:favourite mine:>=4 ')}`);
    await walker.shows('1 sound');
  });

  step('and keeps the search, which stays live', async () => {
    await page.goto(`${server.address}/catalogue?q=${encodeURIComponent('narrowboat ')}`);
    await walker.button('+ Keep this search').click();
    await page.locator('.el-dialog ::-p-text(Keep it)').click();
    await page.waitForSelector('.searches .index-entry.current');
    await dialogIsGone();
  });

  step('and chooses a column more, and has the columns as at first again', async () => {
    await walker.button('Columns').click();
    await page.locator('::-p-aria([name="Licence"][role="checkbox"])').click();
    await page.waitForFunction(() =>
      [...document.querySelectorAll('[role="columnheader"]')].some((head) => head.textContent?.includes('Licence')),
    );
    await walker.button('As at first').click();
    await page.waitForFunction(() =>
      [...document.querySelectorAll('[role="columnheader"]')].every((head) => !head.textContent?.includes('Licence')),
    );
    await page.keyboard.press('Escape');
  });

  step('and makes a column wider by keyboard', async () => {
    const width = () =>
      page.$eval('[role="columnheader"] ::-p-text(FXName)', (head) =>
        Math.round(head.closest('[role="columnheader"]')?.getBoundingClientRect().width ?? 0),
      );
    const before = await width();
    await page.$eval('[role="columnheader"] ::-p-text(FXName)', (head) => head.closest('button')?.focus());
    for (const key of ['Right', 'Right', 'Left']) await walker.press(`Shift+Arrow${key}`);
    expect(await width()).toBe(before + 10);
    await walker.press('Shift+ArrowLeft');
    expect(await width()).toBe(before);
  });

  step('by a word that the librarian put beside another one, until it is forgotten', async () => {
    await page.goto(`${server.address}/setup?show=words`);
    await page.locator('input[aria-label="Word"]').fill('clank');
    await walker.button('Look it up').click();
    await walker.shows('“clank” is in ');
    await page.locator('input[aria-label="Related word"]').fill('goose');
    await walker.pick('How it is related', 'is broader');
    await walker.button('Add').click();
    await walker.shows('goose is broader, in ');
    await page.goto(`${server.address}/catalogue?q=${encodeURIComponent('clank ')}`);
    await page.locator('.also .chip[title^="goose: broader"]').click();
    await rowsAre(/clank|clang|goose|geese|honk/);
    await page.goto(`${server.address}/setup?show=words`);
    await walker.button('Forget clank and goose').click();
    await walker.shows('Nothing was added or taken away yet.');
  });

  step('and takes its path, ready to paste', async () => {
    await page.browserContext().overridePermissions(server.address, ['clipboard-read', 'clipboard-sanitized-write']);
    await page.goto(`${server.address}/catalogue`);
    await rowsReach(12, 19);
    await page.keyboard.press('ArrowDown');
    await walker.button('Copy path').click();
    await walker.shows('Path copied');
    const copied = await page.evaluate(() => navigator.clipboard.readText());
    expect((await stat(copied)).isFile()).toBe(true);
    expect(copied.startsWith(path.join(folder, 'drive'))).toBe(true);
  });

  step('and takes the records out as a table, and brings an edited one back', async () => {
    const saved = await downloadsTo('tables');
    await page.goto(`${server.address}/catalogue?q=${encodeURIComponent('narrowboat ')}`);
    await rowsAre(/narrowboat/);
    await walker.button('Export…').click();
    await page.locator('.el-dialog ::-p-text(CSV)').click();
    await page.locator('.el-dialog button[type="submit"]').click();
    await saved.next();
    const table = await readFile(path.join(saved.folder, 'sounds.csv'), 'utf8');
    const rows: { path: string }[] = parse(table, { columns: true, bom: true });
    expect(rows.length).toBeGreaterThan(1);
    const edited = path.join(folder, 'edited.jsonl');
    await writeFile(edited, rows.map((row) => JSON.stringify({ path: row.path, notes: 'brought back' })).join('\n'));
    await dialogIsGone();
    await walker.button('Bring back…').click();
    const input = (await page.waitForSelector('.el-dialog input[type="file"]')) as ElementHandle<HTMLInputElement>;
    await input.uploadFile(edited);
    await walker.shows('would change');
    await page.locator('.el-dialog .el-button--primary').click();
    await walker.shows('changed');
    await page.goto(`${server.address}/catalogue?q=${encodeURIComponent('notes:"brought back" ')}`);
    await rowsAre(/narrowboat/);
  });

  step('and goes through the list by keyboard, the current row always in view, with its waveform', async () => {
    // Low enough that the rows do not all fit.
    await page.setViewport({ width: 1280, height: 600 });
    await page.goto(`${server.address}/catalogue`);
    await rowsReach(12, 19);
    const last = await page.$eval('[role="grid"]', (grid) => Number(grid.getAttribute('aria-rowcount')));
    expect(last).toBeGreaterThan(15);
    /** Waits until the current row is one of the list, with its waveform, and lies between the headings and the foot. */
    const isInView = (row: number) =>
      page.waitForFunction(
        (wanted) => {
          const current = document.querySelector('[role="rowgroup"] .current');
          const view = document.querySelector('[role="grid"]')?.getBoundingClientRect();
          const head = document.querySelector('[role="columnheader"]')?.getBoundingClientRect();
          const place = current?.getBoundingClientRect();
          return (
            current?.getAttribute('aria-rowindex') === String(wanted) &&
            current.querySelector('svg path.peaks')?.getAttribute('d')?.startsWith('M') &&
            view !== undefined &&
            head !== undefined &&
            place !== undefined &&
            place.top >= head.bottom - 1 &&
            place.bottom <= view.bottom + 1
          );
        },
        {},
        row,
      );
    await page.keyboard.press('ArrowDown');
    await isInView(1);
    for (let row = 2; row <= last; row += 1) {
      await page.keyboard.press('ArrowDown');
      await isInView(row);
    }
    for (let row = last - 1; row >= 1; row -= 1) {
      await page.keyboard.press('ArrowUp');
      await isInView(row);
    }
    await page.keyboard.press('PageDown');
    await isInView(last);
    // At rest the rows stand in the document in their order, whichever of them were used again.
    await page.waitForFunction(() => {
      const rows = [...document.querySelectorAll('[role="rowgroup"] [role="row"]')];
      const places = rows.map((row) => Number(row.getAttribute('aria-rowindex')));
      return places.every((place, index) => index === 0 || place > (places[index - 1] ?? 0));
    });
  });

  step('and sees in Intake what is held already in another form, and which is better', async () => {
    const drive = path.join(folder, 'drive');
    const { stdout } = await promisify(execFile)('find', [drive, '-name', '*Clank_03.wav']);
    await mkdir(path.join(drive, 'mailed'));
    const form = ['-map_metadata', '-1', '-b:a', '128k', path.join(drive, 'mailed', 'mailed.mp3')];
    await promisify(execFile)('ffmpeg', ['-v', 'error', '-i', stdout.trim(), ...form]);
    const { batch } = await send('POST', '/intake', { path: path.join(drive, 'mailed') });
    await page.goto(`${server.address}/intake/${batch?.id}`);
    await walker.shows('1 recording held already');
    await walker.text('Show them').click();
    await rowsAre(/mailed/);
    expect(new URL(page.url()).searchParams.get('q')).toBe('is:doubled ');
    await page.locator('[role="rowgroup"] [role="row"] .pinned').click();
    await walker.shows('The same recording in another form');
    await walker.shows('▲ better');
    expect(await page.$eval('.forms .name', (name) => name.textContent)).toContain('Clank_03.wav');
  });

  step('without a fault in the page', () => {
    expect(walker.faults).toEqual([]);
    return Promise.resolve();
  });
});
