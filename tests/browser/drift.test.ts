import { execFileSync } from 'node:child_process';
import { chmod, mkdir, mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, jest } from '@jest/globals';
import { wavBytes, type WavTags } from '@flagstone/demo/wav-file';
import type { ElementHandle, Page } from 'puppeteer-core';
import { writeMarker } from '@flagstone/server/disk/drive-marker';
import { RunningServer } from '../running-server.ts';
import { handmadeSheet } from '../handmade-sheet.ts';
import { openBrowser, signInPage } from './open-browser.ts';
import { stepsOf, Walker } from './walker.ts';

/** Two drives with the same sounds: one comes back from elsewhere, what differs is settled by a rule, and a change sheet comes in. */
jest.setTimeout(60_000);

let folder = '';
let server: RunningServer;
let page: Page;
let closeBrowser: () => Promise<void>;
let walker: Walker;
const step = stepsOf(() => walker);

const tone = (seed: number, tags: WavTags): Uint8Array => {
  const signal = Float32Array.from({ length: 24_000 }, (_, at) => Math.sin(at / (3 + seed)) * 0.4);
  return wavBytes([signal], { rate: 48_000, bits: 16 }, tags);
};
const SEEDS = [1, 2, 3, 4];
const SAYS = { ICMT: 'Old wood', IKEY: 'gate; creak' };
const put = (drive: string, seed: number, more: object = {}): Promise<void> =>
  writeFile(
    path.join(folder, 'drive', drive, 'gates', `gate ${seed}.wav`),
    tone(seed, { info: { INAM: `Gate ${seed}`, ...SAYS, ...more } }),
  );

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-drift-'));
  await chmod(folder, 0o755);
  for (const drive of ['Quay', 'Field']) {
    await mkdir(path.join(folder, 'drive', drive, 'gates'), { recursive: true });
    // A marker of its own makes it a drive.
    await writeMarker(path.join(folder, 'drive', drive));
    for (const seed of SEEDS) await put(drive, seed);
  }
  server = new RunningServer(path.join(folder, 'data'), path.join(folder, 'drive'));
  await server.start();
  const opened = await openBrowser();
  page = opened.page;
  closeBrowser = opened.close;
  await signInPage(page, server.headers);
  walker = new Walker(page, 15_000);
  await page.goto(`${server.address}/today`);
  for (const drive of ['Quay', 'Field']) {
    const { batch } = await api<{ batch: { id: number } }>('POST', '/intake', {
      path: path.join(folder, 'drive', drive),
    });
    await isQuiet();
    await api('POST', `/batches/${batch.id}/file`, {});
  }
}, 120_000);

afterAll(async () => {
  await closeBrowser();
  await server.end();
  await rm(folder, { recursive: true, force: true });
});

async function api<Answer>(method: string, address: string, body?: unknown): Promise<Answer> {
  const answer = await fetch(`${server.address}/api${address}`, {
    method,
    headers: { 'content-type': 'application/json', ...server.headers },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  if (!answer.ok) throw new Error(`${method} ${address}: ${answer.status} ${await answer.text()}`);
  return (await answer.json()) as Answer;
}
/** Waits until no job runs or waits. */
const isQuiet = () =>
  page.waitForFunction(
    async () => {
      const jobs = (await (await fetch('/api/jobs')).json()) as { state: string }[];
      return jobs.length > 0 && jobs.every(({ state }) => state !== 'running' && state !== 'waiting');
    },
    { polling: 300 },
  );

interface Row {
  copyId: number;
  name: string;
  folder: string;
  driveName: string;
  state: string;
  record: { description: string; keywords: string[]; creator: string };
  marks: { person: string; note: string }[];
}
/** Hands a change sheet over in Drift. */
async function handOver(file: string): Promise<void> {
  const input = (await page.waitForSelector('input[aria-label="The change sheet"]')) as ElementHandle<HTMLInputElement>;
  await input.uploadFile(file);
}
const rowsOn = async (drive: string): Promise<Row[]> => {
  const { drives } = await api<{ drives: { id: string; name: string }[] }>('GET', '/drift');
  const id = drives.find(({ name }) => name === drive)?.id ?? '';
  return (await api<{ rows: Row[] }>('GET', `/catalogue?drive=${id}&sort=name`)).rows;
};
const statesOn = async (drive: string): Promise<string[]> => (await rowsOn(drive)).map(({ state }) => state);
const readAgain = async (drive: string): Promise<void> => {
  await api('POST', '/intake', { path: path.join(folder, 'drive', drive) });
  await isQuiet();
};
/** Clicks the number of a state in the row of a drive. */
const number = (words: string) => page.locator(`.matrix a[aria-label="${words}"]`).click();

describe('keeping in step', () => {
  step('starts with everything in step, on two drives', async () => {
    await page.goto(`${server.address}/today`);
    await page.locator('nav[aria-label="Places"] ::-p-text(Drift)').click();
    await walker.shows('8 files on 2 drives, 0 not In step');
    await walker.shows('Nothing: every file that is here carries its record.');
  });

  step('shows what came back changed from elsewhere, while it is looked at', async () => {
    // Described here and there: one by both, two there alone; one file is gone.
    const [first] = await rowsOn('Quay');
    await api('PATCH', '/records', {
      selection: { kind: 'copies', copyIds: [first?.copyId] },
      edit: { set: { description: 'Old wooden gate of the upper lock' } },
    });
    await walker.shows('2 files Behind');
    await put('Field', 1, { ICMT: 'Oak' });
    await put('Field', 2, { ICMT: 'Old oak gate', IKEY: 'gate; creak; oak' });
    await put('Field', 3, { ICMT: 'Old elm gate' });
    await rm(path.join(folder, 'drive', 'Field', 'gates', 'gate 4.wav'));
    await readAgain('Field');
    await walker.shows('7 files on 2 drives, 4 not In step');
    const words = await page.$$eval('.matrix .drive', (rows) =>
      rows.map((row) => (row as HTMLElement).innerText.replace(/\s+/g, ' ').replaceAll(' none', '')),
    );
    expect(words[0]).toMatch(/Field 1 folder · · 2 1 · 1 · · · ·/);
    expect(words[1]).toMatch(/Quay 1 folder 3 1 · · · · · · · ·/);
  });

  step('opens the list behind a number, of that very drive', async () => {
    await number('1 file Behind on Quay');
    await walker.shows('Only: ◣ Behind');
    await walker.shows('Only: On Quay');
    await walker.shows('1 sound');
    expect((await walker.rowTexts())[0]).toContain('gate 1.wav');
    await page.locator('nav[aria-label="Places"] ::-p-text(Drift)').click();
  });

  step('takes what the files alone say, tried on one and then all, and takes it back as one', async () => {
    await page.locator('::-p-text(2 files)').wait();
    await page.evaluate(() => {
      const line = [...document.querySelectorAll('li')].find((each) => each.innerText.includes('Ahead'));
      line?.querySelector<HTMLElement>('a.act')?.click();
    });
    await walker.shows('changed elsewhere: 2 records would take something');
    await walker.shows('Old elm gate');
    await walker.button('Take into 2 records').click();
    await walker.shows('2 sounds changed');
    await walker.shows('Nothing differs here but what records say since');
    expect(await statesOn('Field')).toEqual(['split', 'inStep', 'inStep', 'gone']);
    // What the files said there is behind here now.
    expect((await statesOn('Quay')).filter((state) => state === 'behind')).toHaveLength(3);
    await page.keyboard.press('Escape');
    await page.waitForSelector('.el-drawer', { hidden: true });
    await walker.press('u');
    await walker.shows('Undo: Taken from the files');
    // Record and file agreed; then the record moved on again.
    expect(await statesOn('Field')).toEqual(['split', 'behind', 'behind', 'gone']);
  });

  step('settles what both changed by a rule that is kept, then writes', async () => {
    await page.goto(`${server.address}/catalogue?state=notInStep&open=settle`);
    await walker.shows('1 file needs you');
    // So many fields that one types which.
    await walker.typeInto('[aria-label="Field of the rule"]', 'Descr');
    await page.locator('.el-select-dropdown:not([style*="display: none"]) ::-p-text(Description)').click();
    await page.waitForFunction(() => !document.querySelector('.el-select-dropdown:not([style*="display: none"]) li'));
    await walker.pick('Who wins', 'the longer one wins');
    await walker.button('Keep the rule').click();
    await walker.shows('the longer one wins everywhere');
    await walker.showsNoMore('1 file needs you');
    await walker.shows('◂ the record stays');
    await page.keyboard.press('Escape');
    await page.waitForSelector('.el-drawer', { hidden: true });
    expect((await rowsOn('Field'))[0]?.record.description).toBe('Old wooden gate of the upper lock');
    await walker.press('w');
    await walker.shows('4 files to write');
    await walker.button('Write 4 files').click();
    await walker.shows('4 done');
    await page.keyboard.press('Escape');
    expect(await statesOn('Field')).toEqual(['inStep', 'inStep', 'inStep', 'gone']);
    expect(await statesOn('Quay')).toEqual(['inStep', 'inStep', 'inStep', 'inStep']);
    await page.locator('nav[aria-label="Places"] ::-p-text(Drift)').click();
    await walker.shows('7 files on 2 drives, 0 not In step');
  });

  step('applies a change sheet of another house, tried on one and then all, with its names', async () => {
    // The other house holds the same audio under other names, and says more of it.
    const [elsewhere, sheet] = [path.join(folder, 'elsewhere'), path.join(folder, 'sheet.zip')];
    await mkdir(elsewhere);
    await chmod(elsewhere, 0o777);
    for (const seed of SEEDS)
      await writeFile(
        path.join(elsewhere, `Lock ${seed}.wav`),
        tone(seed, { info: { ICMT: 'Old wood', IART: 'Orla Venn' } }),
      );
    const data = path.join(folder, 'other-data');
    const run = (...args: string[]): string =>
      execFileSync(path.resolve('flagstone'), [...args, '--data', data], { encoding: 'utf8' });
    run('index', elsewhere);
    await chmod(folder, 0o777);
    expect(JSON.parse(run('sheet', 'make', '--for', 'The quay', '-o', sheet))).toMatchObject({ sounds: 4 });

    await handOver(sheet);
    await walker.shows('4 sounds found here, not applied');
    await walker.shows('signed by a key that was not seen before');
    await walker.shows('Orla Venn');
    await walker.button('Try one').click();
    await walker.shows('✓ applied');
    await walker.button('Apply to 4 records').click();
    await walker.shows('applied to 4 sounds');
    expect((await rowsOn('Quay')).map(({ record }) => record.creator)).toEqual(Array(4).fill('Orla Venn'));
    await walker.button('Names…').click();
    await walker.shows('4 files to rename');
    await walker.button('Rename 4 files').click();
    await walker.shows('4 done');
    await page.keyboard.press('Escape');
    await page.waitForSelector('.el-drawer', { hidden: true });
    expect((await rowsOn('Quay')).map(({ name }) => name)).toContain('Lock 4.wav');
  });

  step('takes what a third house says beside records, in the name of a guest, and back again', async () => {
    const records = execFileSync('unzip', ['-p', path.join(folder, 'sheet.zip'), 'records.jsonl']);
    const third = path.join(folder, 'third.zip');
    const marks = '{"line":1,"person":"Ines Talbot","rating":5,"favourite":true,"tags":["reel 2"],"note":"close"}';
    const words = '{"word":"sluice","related":"weir","kind":"narrower","hidden":false}';
    await writeFile(third, handmadeSheet({ 'records.jsonl': records, 'words.jsonl': words, 'marks.jsonl': marks }));
    await page.locator('nav[aria-label="Places"] ::-p-text(Drift)').click();
    await handOver(third);
    await walker.shows('1 mark, 1 of sounds held here');
    await walker.shows('1 relation, 1 not the same here');
    await page.locator('details:last-of-type summary').click();
    await walker.shows('sluice → weir');
    const marked = async () =>
      (await rowsOn('Quay')).flatMap(({ marks }) => marks.map(({ person, note }) => `${person}: ${note}`));
    // By keyboard: what is unticked stays so while the sheet changes its state.
    await page.focus('.beside input[value="words"]');
    await page.keyboard.press('Space');
    await walker.button('Apply to 4 records, and the rest').click();
    await walker.shows('applied to 4 sounds');
    expect(await marked()).toEqual(['Ines Talbot (Weir Mill): close']);
    expect(await page.$eval('.beside input[value="words"]', (box) => box.checked)).toBe(false);
    expect(await api('GET', '/relations')).toEqual([]);
    await page.keyboard.press('u');
    await walker.shows('Undo: Change sheet of Weir Mill');
    expect(await marked()).toEqual([]);
  });

  step('proves the files of a drive, tells one whose audio decayed, and restores it from the good copy', async () => {
    const [damaged] = await rowsOn('Field');
    const file = path.join(folder, 'drive', 'Field', damaged!.folder, damaged!.name);
    const whole = await readFile(file);
    const broken = Uint8Array.from(whole);
    broken[whole.length / 2] = (whole[whole.length / 2] as number) ^ 4;
    // A disk that fails changes no time.
    execFileSync('cp', ['--preserve=timestamps', file, path.join(folder, 'as-it-was')]);
    await writeFile(file, broken);
    execFileSync('touch', ['-r', path.join(folder, 'as-it-was'), file]);
    await page.locator('nav[aria-label="Places"] ::-p-text(Drift)').click();
    await page.locator('[aria-label="Prove the files of Field…"]').click();
    await walker.shows('that first whose proof is the oldest');
    await walker.button('Prove now').click();
    await walker.shows('⚡ 1 damaged.');
    await page.locator('nav[aria-label="Places"] ::-p-text(Today)').click();
    await walker.shows('1 file damaged:');
    await page.locator('::-p-text(See and restore)').click();
    await walker.shows('1 file to restore');
    await walker.button('Restore 1 file').click();
    await walker.shows('1 done');
    // The good copy came from the drive whose records were written too: its audio is that which was lost.
    const restored = await readFile(file);
    expect(restored.includes(whole.subarray(-48_000))).toBe(true);
    expect(await readFile(`${file}.damaged`)).toEqual(Buffer.from(broken));
    await page.keyboard.press('Escape');
    await page.waitForSelector('.el-drawer', { hidden: true });
    await page.locator('nav[aria-label="Places"] ::-p-text(Drift)').click();
    await walker.showsNoMore('damaged.');
  });

  step('copies everything onto another drive, after showing what is missing there', async () => {
    const barge = path.join(folder, 'drive', 'Barge');
    await mkdir(barge);
    await chmod(barge, 0o777);
    await writeMarker(barge);
    await walker.button('Copies on another drive…').click();
    await walker.typeInto('input[aria-label="Path of the folder"]', barge);
    await walker.button('See what is missing').click();
    await walker.shows('4 files to copy');
    await walker.button('Try one').click();
    await walker.shows('3 files to copy');
    await walker.button('Copy 3 files').click();
    await walker.shows('4 done');
    expect((await readdir(path.join(barge, 'gates'))).length).toBe(4);
    await page.keyboard.press('Escape');
    await page.waitForSelector('.el-drawer', { hidden: true });
    await walker.shows('on 3 drives');
    await page.locator('.fold').click();
    await page.locator('::-p-text(What is on Barge only)').click();
    await walker.shows('Only: On one drive only');
    await walker.shows('0 sounds');
  });

  step('shows nothing wrong in the console', () => {
    expect(walker.faults).toEqual([]);
    return Promise.resolve();
  });
});
