import { execFileSync } from 'node:child_process';
import { chmod, cp, mkdir, mkdtemp, readdir, rename, writeFile } from 'node:fs/promises';
import os from 'node:os';
import { fileURLToPath } from 'node:url';
import path from 'node:path';
import { wavBytes } from '@flagstone/demo/wav-file';
import { letAWeekPass } from '@flagstone/demo/week-away';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';
import { signInDemo } from '../signed-in.ts';
import { openBrowser, signInPage } from './open-browser.ts';

/**
 * Takes the pictures of docs/screenshots from a running Flagstone with the demo: `npx tsx tests/browser/take-screenshots.ts http://127.0.0.1:4780`.
 * Reads the drive “Mill Race” into a batch first when there is none, describes and files it.
 */
const FOLDER = fileURLToPath(new URL('../../docs/screenshots', import.meta.url));
const base = process.argv[2] ?? 'http://127.0.0.1:4780';
const { page, close } = await openBrowser();
const headersOfTobias = await signInDemo(base, 'Tobias Reed');
page.setDefaultTimeout(20_000);
page.on('pageerror', (error) => process.stderr.write(`page error: ${String(error)}\n`));

const shows = (words: string) => page.waitForFunction((wanted) => document.body.innerText.includes(wanted), {}, words);
const press = async (label: string): Promise<void> =>
  page.locator(`::-p-aria([name="${label}"][role="button"])`).click();
/** Waits until nothing loads and all notices are gone, then takes the picture. */
const shot = async (name: string): Promise<void> => {
  await page.waitForNetworkIdle({ idleTime: 600, concurrency: 12 });
  await page.waitForFunction(() => document.querySelector('.el-notification') === null);
  await page.screenshot({ path: path.join(FOLDER, `${name}.png`) });
};

/** Goes to a place by the rail. */
const place = (name: string) => page.locator(`nav[aria-label="Places"] ::-p-text(${name})`).click();

await page.goto(`${base}/today`);
await shows('In this demo, come in as');
const headersOfOrla = await signInDemo(base, 'Orla Venn');
await signInPage(page, headersOfOrla);

await page.goto(`${base}/intake`);
await page.waitForSelector('.drive');
const batches = await page.$$('.batch a');
if (batches.length === 0) {
  await page.locator('.drive ::-p-text(Mill Race)').click();
  await press('Read the folder');
  await shows('121 sounds');
  await page.waitForFunction(() => !document.body.innerText.includes('Reading the folder'));
  await press('Suggest for all');
  await shows('sounds filled in');
  await page.locator('[role="grid"]').click({ offset: { x: 300, y: 200 } });
  await page.keyboard.down('Control');
  await page.keyboard.press('a');
  await page.keyboard.up('Control');
  for (const [field, value] of [
    ['creatorId', 'ORV'],
    ['sourceId', 'CLAY'],
  ]) {
    await page.locator(`[data-field="${field}"] input`).click();
    await page.keyboard.type(value ?? '');
    await page.keyboard.press('Tab');
  }
  await shows('SourceID: ');
} else {
  await page.goto(`${base}/intake/1`);
}
await page.goto(`${base}/intake`);
await shot('intake');
await page.goto(`${base}/intake/1`);
await shows('121 sounds');
for (let row = 0; row < 9; row += 1) await page.keyboard.press('ArrowDown');
await page.waitForFunction(() => document.querySelectorAll('.suggestion').length > 0);
await shot('describe');
await page.keyboard.down('Control');
await page.keyboard.press('a');
await page.keyboard.up('Control');
await page.waitForSelector('.values');
await page.keyboard.press('Escape');
await page.keyboard.press('ArrowDown');
await press('Recipe…');
for (const [label, field, value] of [
  ['Find and replace', 'Find', 'wooden'],
  ['Words of the name into keywords', '', ''],
  ['Set a value', 'Value', 'Clay and Canal'],
] as const) {
  await press('+ Add a step');
  await page.locator(`[role="menuitem"] ::-p-text(${label})`).click();
  if (field !== '') await page.locator(`input[aria-label="${field}"]`).fill(value);
}
await shows('would change');
await shot('recipe');
await page.keyboard.press('Escape');
await page.goto(`${base}/intake/1?disagrees=description`);
await shows('Disagree on Description');
await page.waitForFunction(() => document.querySelectorAll('[role="rowgroup"] [role="row"]').length > 3);
await page.keyboard.press('ArrowDown');
await press('In the file');
await shows('blocks in the file');
await shot('in-the-file');
await page.goto(`${base}/intake/1`);
await shows('121 sounds');
await page.keyboard.press('r');
await page.waitForFunction(() => document.querySelectorAll('.plan .block').length > 20);
await page.locator('.plan .item .state').click();
await shot('name');
await page.locator('::-p-text(2 files unreadable)').click();
const knock = path.join(await mkdtemp(path.join(os.tmpdir(), 'flagstone-knock-')), 'three knocks.wav');
await writeFile(knock, knockBytes());
const asOrla = { ...headersOfOrla, 'Content-Type': 'application/json' };
const batch = (await (await fetch(`${base}/api/batches/1`, { headers: asOrla })).json()) as { filedAt: string | null };
if (batch.filedAt === null) await fetch(`${base}/api/batches/1/file`, { method: 'POST', headers: asOrla, body: '{}' });
await page.goto(`${base}/catalogue`);
await shows('121 sounds');
await page.locator('.index ::-p-text(CERAMICS)').click();
await page.waitForFunction(() => location.search.includes('CERAMICS'));
await shows('25 sounds');
await page.keyboard.press('ArrowDown');
await page.keyboard.press('ArrowDown');
await shot('catalogue');
/** Every sound is measured. */
await page.waitForFunction(
  async () => {
    const jobs = (await (await fetch('/api/jobs')).json()) as { state: string }[];
    return jobs.every((job) => job.state !== 'running' && job.state !== 'waiting');
  },
  { timeout: 300_000, polling: 1000 },
);
await page.goto(`${base}/catalogue?q=${encodeURIComponent('door ')}`);
await shows('Also:');
await page.locator('.facets ::-p-text(Folders)').click();
await page.locator('[aria-label="Folders in Mill Race"]').click();
await page.waitForFunction(() => document.querySelectorAll('.folder').length > 3);
await page.keyboard.press('n');
await page.focus('input[aria-label="Search"]');
await page.keyboard.type('goose loudness:');
await page.waitForSelector('#search-values [role="option"]');
await shot('find');
await page.goto(`${base}/catalogue?q=${encodeURIComponent('goose ')}`);
await shows('Also:');
await press('Sounds like…');
const heard = await (await page.$('input[aria-label="Sound file"]'))?.toElement('input');
await heard?.uploadFile(knock);
await page.waitForSelector('.found li');
await page.locator('.el-dialog ::-p-text(Course alone)').click();
await page.waitForFunction(() => document.querySelectorAll('.found li').length > 5);
await shot('sounds-like');
await page.goto(`${base}/catalogue?q=${encodeURIComponent('latch ')}`);
// What is read of the line may change the list, and with it what is current.
await page.waitForResponse((answer) => answer.url().includes('/catalogue/reading'));
await page.waitForSelector('[role="rowgroup"] [role="row"] mark');
await page.keyboard.press('ArrowDown');
await page.waitForSelector('[role="row"].current');
await press('Sound');
await shows('Integrated loudness');
await shot('sound');
await press('Record');
const series = await page.evaluate(async () => {
  const { rows } = (await (await fetch('/api/batches/1/rows?q=latch&limit=20')).json()) as {
    rows: { soundId: number; name: string }[];
  };
  return rows.find(({ name }) => name.includes('x4') || /latch/i.test(name))?.soundId;
});
await page.goto(`${base}/sound/${series}`);
await page.waitForSelector('[aria-label^="Spectrogram"][data-ready="true"]');
await press('Find slices');
await shows('slices found');
await page.keyboard.press('Enter');
await shows('sync points');
await page.keyboard.press('2');
await shot('slices');
await page.locator('::-p-text(Try out)').click();
await page.locator('.tile ::-p-text(Room or device)').click();
await page.focus('[aria-label="Speed in semitones"]');
for (let half = 0; half < 6; half += 1) await page.keyboard.press('ArrowLeft');
await page.evaluate('document.activeElement.blur()');
await page.keyboard.press('p');
await shows('pulled into');
await shot('try-out');
const [list] = await send('/pull-lists', { name: 'Geese at the lock', show: 'The Lock Keeper', scene: '12' });
await send(`/pull-lists/${list?.id}/sounds`, { selection: { kind: 'catalogue', filter: { q: 'goose ' } } });
await page.goto(`${base}/pull/2,1`);
await page.waitForFunction(() => document.querySelectorAll('.entries .row').length > 5);
await shows('small tiled room');
await shot('pull-list');
const { rows } = await ask<{ rows: { copyId: number; soundId: number }[] }>('GET', '/batches/1/rows?limit=3');
for (const [at, set] of [
  {
    fxName: 'Lock Gate Creaks Open',
    description: 'Oak on oak; the balance beam is pushed slowly.',
    notes: 'close pair',
  },
  { catId: 'WATRFlow', description: 'Water comes through the paddles after a while.' },
  { fxName: 'Geese On The Towpath' },
].entries())
  await ask('PATCH', '/records', { selection: { kind: 'copies', copyIds: [rows[at]?.copyId] }, edit: { set } });
for (const [at, text] of [
  '@Orla Venn, is this the upper or the lower gate? The slate says both.',
  'Cleaner from the second knock on; @Mirela Quist asked for it for scene 12. @Orla Venn, may I cut it?',
].entries())
  await send(`/sounds/${rows[at]?.soundId}/remarks`, { text });
await place('Review');
await page.waitForFunction(() => document.querySelectorAll('.queue tbody tr').length > 5);
await shot('review');
await place('Today');
await shot('today');
await place('Setup');
await shot('setup');
await page.goto(`${base}/setup?show=categories`);
await page.waitForSelector('input[type="file"]');
const release = path.join(await mkdtemp(path.join(os.tmpdir(), 'flagstone-release-')), 'UCS, a later release.csv');
await writeFile(release, laterRelease());
const input = await (await page.$('input[type="file"]'))?.toElement('input');
await input?.uploadFile(release);
await shows('Removed, with records');
await shot('categories');
await keepInStep();
await deliver();
await close();

/** The third drive is read and brought in step, goes along for a week, and comes back. */
async function bringBackTheBoat(
  drives: readonly { id: string; name: string; rootPath: string }[],
  orla: Record<string, string>,
  isQuiet: () => Promise<unknown>,
): Promise<void> {
  const boat = drives.find(({ name }) => name === 'Narrowboat');
  if (!boat) throw new Error('the demo has no third drive');
  const { batch } = await ask<{ batch: { id: number } }>('POST', '/intake', { path: boat.rootPath }, orla);
  await isQuiet();
  await ask('POST', `/batches/${batch.id}/file`, {}, orla);
  const selection = { kind: 'catalogue', filter: { drive: boat.id } };
  const plan = await ask<{ id: number }>('POST', '/plans', { kind: 'write', selection }, orla);
  await ask('POST', `/plans/${plan.id}/run`, {}, orla);
  await isQuiet();
  const { retagged } = await letAWeekPass(path.resolve(boat.rootPath, '../..'));
  type Copies = { rows: { copyId: number; name: string }[] };
  const { rows } = await ask<Copies>('GET', `/catalogue?drive=${boat.id}&limit=60`, undefined, orla);
  const both = rows.filter(({ name }) => retagged.slice(0, 3).includes(name)).map(({ copyId }) => copyId);
  const set = { description: 'From the weir, before the boats' };
  await ask('PATCH', '/records', { selection: { kind: 'copies', copyIds: both }, edit: { set } }, orla);
  await ask('POST', '/intake', { path: boat.rootPath }, orla);
  await isQuiet();
  await ask('POST', '/proofs', { driveId: boat.id, share: 100 }, orla);
  await isQuiet();
}

/** All drives, one of which comes back from elsewhere, and a change sheet of another house. */
async function keepInStep(): Promise<void> {
  const orla = await signInDemo(base, 'Orla Venn');
  const drives = await ask<{ id: string; name: string; rootPath: string }[]>('GET', '/drives', undefined, orla);
  const shelf = drives.find(({ name }) => name === 'Kiln Shelf');
  if (!shelf) throw new Error('the demo has no second drive');
  const isQuiet = () =>
    page.waitForFunction(
      async () => {
        const jobs = (await (await fetch('/api/jobs')).json()) as { state: string }[];
        return jobs.every((job) => job.state !== 'running' && job.state !== 'waiting');
      },
      { timeout: 300_000, polling: 500 },
    );
  const { batch } = await ask<{ batch: { id: number } }>('POST', '/intake', { path: shelf.rootPath }, orla);
  await isQuiet();
  await ask('POST', `/batches/${batch.id}/file`, {}, orla);
  const flagstone = (...args: string[]): string =>
    execFileSync(fileURLToPath(new URL('../../flagstone', import.meta.url)), args, { encoding: 'utf8' });
  await bringBackTheBoat(drives, orla, isQuiet);
  await place('Drift');
  await shows('⚡ 1 damaged.');
  await page.locator('.fold ::-p-text(Narrowboat)').click();
  await shot('drift');
  // Another house, with the same audio.
  const elsewhere = await mkdtemp(path.join(os.tmpdir(), 'flagstone-elsewhere-'));
  await chmod(elsewhere, 0o777);
  await cp(path.join(shelf.rootPath, 'backgrounds and bits'), path.join(elsewhere, 'bits'), { recursive: true });
  const others = (await readdir(path.join(elsewhere, 'bits'))).filter((name) => name.endsWith('.wav')).sort();
  for (const [at, name] of others.entries()) {
    const from = path.join(elsewhere, 'bits', name);
    const to = path.join(elsewhere, 'bits', `AMB_Lower Pound ${String(at + 1).padStart(2, '0')}.wav`);
    await rename(from, to);
    if (at % 2 === 0 && !name.startsWith('no audio'))
      flagstone(
        'write',
        to,
        '--set',
        'publisher=Lower Pound Sound',
        '--set',
        'description=Lower Pound, by the second gate',
        '--set',
        'microphone=pair of figure eights',
      );
  }
  const data = path.join(elsewhere, 'data');
  try {
    flagstone('index', path.join(elsewhere, 'bits'), '--data', data);
  } catch {
    // It says that some files there are no audio.
  }
  flagstone('sheet', 'make', '--for', 'Clay and Canal', '-o', path.join(elsewhere, 'sheet.zip'), '--data', data);
  const chosen = await (await page.$('input[aria-label="The change sheet"]'))?.toElement('input');
  await chosen?.uploadFile(path.join(elsewhere, 'sheet.zip'));
  await shows('found here, not applied');
  await shot('sheet');
}

/** Asks as Tobias does, whose changes wait for review, or as somebody else. */
async function ask<Answer>(method: string, address: string, body?: object, as = headersOfTobias): Promise<Answer> {
  const headers = { 'Content-Type': 'application/json', ...as };
  const sent = body === undefined ? {} : { body: JSON.stringify(body) };
  return (await (await fetch(`${base}/api${address}`, { method, headers, ...sent })).json()) as Answer;
}

function send(address: string, body: object): Promise<{ id: number }[]> {
  return ask('POST', address, body);
}

/** A pull list that goes to a game team, with a sound whose licence stops it. */
async function deliver(): Promise<void> {
  const orla = await signInDemo(base, 'Orla Venn');
  await signInPage(page, orla);
  const own = { ...orla, Origin: base };
  const [drive] = await ask<{ name: string; rootPath: string }[]>('GET', '/drives', undefined, own);
  const folder = path.join(drive?.rootPath ?? '', '..', 'to the game team');
  await mkdir(folder, { recursive: true });
  const filter = { q: 'kiln ' };
  const [list] = await ask<{ id: number }[]>(
    'POST',
    '/pull-lists',
    { name: 'Scene 12, the kiln opens', show: 'The Lock Keeper', scene: '12', notes: '' },
    own,
  );
  await ask('POST', `/pull-lists/${list?.id}/sounds`, { selection: { kind: 'catalogue', filter } }, own);
  const { rows } = await ask<{ rows: { copyId: number }[] }>('GET', '/catalogue?q=kiln&limit=20', undefined, own);
  const licenses = ['CC BY-NC 4.0', 'CC BY 4.0', 'CC BY 4.0', 'CC0 1.0'];
  for (const [at, licence] of licenses.entries())
    await ask(
      'PATCH',
      '/records',
      { selection: { kind: 'copies', copyIds: [rows[at]?.copyId] }, edit: { set: { licence } } },
      own,
    );
  const profiles = await ask<{ name: string; profile: object }[]>('GET', '/delivery-profiles', undefined, own);
  const game = profiles.find(({ name }) => name === 'Game');
  const made = await ask<{ id: number }>(
    'POST',
    '/deliveries',
    {
      name: 'Scene 12, the kiln opens',
      forWhom: 'Lock Seven Games',
      use: 'game',
      show: 'The Lock Keeper',
      deadline: '2026-12-11',
      folder,
      profileName: 'Game',
      profile: game?.profile,
      what: { kind: 'list', listId: list?.id },
    },
    own,
  );
  await page.goto(`${base}/deliveries/${made.id}`);
  await shows('stops it');
  await shot('delivery');
}

/** Two knocks and a third after a rest, as somebody would tap them on a table. */
function knockBytes(): Uint8Array {
  const rate = 48_000;
  const signal = Float32Array.from({ length: 1.6 * rate }, (_, frame) =>
    [0.1, 0.4, 1.1].reduce((sum, time) => {
      const since = frame / rate - time;
      return since < 0 ? sum : sum + 0.7 * Math.exp(-30 * since) * Math.sin(2 * Math.PI * 220 * since);
    }, 0),
  );
  return wavBytes([signal], { rate, bits: 24 });
}

/** A made-up release: some categories under other names, some gone, some new. */
function laterRelease(): string {
  const header = ['Category', 'SubCategory', 'CatID', 'CatShort', 'Explanations', 'Synonyms'];
  const rows = builtInCategoryList().categories.flatMap(
    ({ category, subCategory, catId, catShort, meaning, words }) => {
      if (catId === 'MACHAntq' || catId === 'CERMCrsh') return [];
      const names = [category, subCategory, catId === 'DOORMetl' ? 'DOORIron' : catId];
      return [[...names, catShort, meaning, words.join(', ')]];
    },
  );
  const added = [
    ['MACHINES', 'LOOM', 'MACHLoom', 'MACH', 'Hand and power looms at work.', 'loom, shuttle, weaving, antique'],
    ['WATER', 'MILL RACE', 'WATRRace', 'WATR', 'Water led to a wheel.', 'mill race, leat, sluice'],
  ];
  const cell = (text: string | undefined): string => `"${(text ?? '').replaceAll('"', '""')}"`;
  return [header, ...rows, ...added].map((row) => row.map(cell).join(',')).join('\n');
}
