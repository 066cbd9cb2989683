import { createHash } from 'node:crypto';
import { execFileSync } from 'node:child_process';
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { sheetEntrySchema, sheetManifestSchema, type SheetManifest } from '@flagstone/contract/change-sheet';
import type { Sheet, SheetItem } from '@flagstone/contract/sheets';
import type { SoundRow } from '@flagstone/contract/record';
import { applySheet, beginApplying } from '@flagstone/server/sheets/apply-sheet';
import { knownHouses } from '@flagstone/server/db/sheets-schema';
import { demoCollection } from '@flagstone/demo/collection';
import { demoFileBytes } from '@flagstone/demo/make-collection';
import { matchSheet } from '@flagstone/server/sheets/match-sheet';
import { sql } from 'drizzle-orm';
import { handmadeSheet } from '../handmade-sheet.ts';
import { askedForSheet, comparedSheet, madeSheet, receivedSheet } from './sheet-exchange.ts';
import { storedZip } from './stored-zip.ts';
import { TestApplication } from './test-application.ts';

/** The house that makes sheets, and one that holds the same recordings under other names. */
let theirs: TestApplication;
let ours: TestApplication;
let folder: string;

beforeEach(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-sheets-'));
  [theirs, ours] = [await TestApplication.open(), await TestApplication.open()];
  for (const seed of [1, 2, 3]) {
    const tags = { info: { INAM: `Gate ${seed}`, ICMT: 'Old wood' } };
    await theirs.put(`Gates/gate ${seed}.wav`, { seed, tags });
    await ours.put(`bought/HS_${seed}.wav`, { seed, tags });
  }
  for (const app of [theirs, ours]) {
    const { batchId } = await app.intake();
    await app.call('fileBatch', { params: { id: batchId } });
    await app.measured();
  }
});
afterEach(async () => {
  await theirs.close();
  await ours.close();
  await rm(folder, { recursive: true, force: true });
});

const rowsOf = async (app: TestApplication): Promise<SoundRow[]> =>
  (await app.call('listCatalogue', { query: { sort: 'name' } })).rows;
const rowOf = async (app: TestApplication, seed: number): Promise<SoundRow> =>
  (await rowsOf(app)).find(({ name }) => name.includes(`${seed}.`))!;
const edit = async (app: TestApplication, seed: number, set: object) =>
  app.call('editRecords', {
    body: { selection: { kind: 'copies', copyIds: [(await rowOf(app, seed)).copyId] }, edit: { set } },
  });

const asked = askedForSheet;
const made = madeSheet;
const received = (bytes: Buffer, app = ours) => receivedSheet(bytes, app);
const compared = (bytes: Buffer, app = ours) => comparedSheet(bytes, app);
const itemsOf = async ({ id }: Sheet, query: Record<string, unknown> = {}): Promise<SheetItem[]> =>
  (await ours.call('listSheetItems', { params: { id }, query })).items;
async function applied({ id }: Sheet, body: object = {}) {
  return ours.ended(await ours.call('applySheet', { params: { id }, body: { wins: 'ours', ...body } }));
}
const changesOf = (items: SheetItem[]) =>
  items.map(({ fields }) => fields.map(({ field, outcome, becomes }) => `${field} ${outcome}: ${becomes}`));

/** The files of a sheet, as `unzip` has them. */
async function unpacked(bytes: Buffer): Promise<Record<string, Buffer>> {
  const into = await mkdtemp(path.join(folder, 'open-'));
  await writeFile(path.join(into, 'sheet.zip'), bytes);
  execFileSync('unzip', ['-q', 'sheet.zip'], { cwd: into });
  const names = ['manifest.json', 'manifest.sig', 'records.jsonl', 'records.csv'];
  return Object.fromEntries(
    await Promise.all(names.map(async (name) => [name, await readFile(path.join(into, name))] as const)),
  );
}
const digest = (bytes: Buffer): string => createHash('sha256').update(bytes).digest('hex');
/** The same sheet with other lines, and a manifest that fits them, without a signature. */
async function withLines(bytes: Buffer, lines: string, more: Partial<SheetManifest> = {}): Promise<Buffer> {
  const files = await unpacked(bytes);
  const { files: _signed, ...manifest } = sheetManifestSchema.parse(JSON.parse(files['manifest.json']!.toString()));
  return handmadeSheet({ 'records.jsonl': lines }, { ...manifest, ...more });
}

describe('a change sheet', () => {
  it('holds what is published of its form: manifest, signature, lines and a table, and no audio', async () => {
    await edit(theirs, 1, { fxName: 'Lock Gate Creak', keywords: ['gate', 'creak'], notes: '=1+1' });
    await theirs.call('nameHouse', { body: { name: 'Clay and Canal' } });
    const files = await unpacked(await made(theirs, { forWhom: 'The mill' }));
    const manifest = sheetManifestSchema.parse(JSON.parse(files['manifest.json']!.toString()));
    expect(manifest).toMatchObject({
      version: 1,
      forWhom: 'The mill',
      sounds: 3,
      isUpdate: false,
      house: { name: 'Clay and Canal' },
      madeBy: 'Orla Venn',
    });
    for (const { name, bytes, sha256 } of manifest.files) {
      expect([files[name]!.length, digest(files[name]!)]).toEqual([bytes, sha256]);
    }
    const lines = files['records.jsonl']!.toString()
      .trim()
      .split('\n')
      .map((line) => sheetEntrySchema.parse(JSON.parse(line)));
    const first = lines.find(({ names }) => names.now[0] === 'gate 1.wav');
    expect(first?.record).toEqual({
      fxName: 'Lock Gate Creak',
      description: 'Old wood',
      keywords: ['gate', 'creak'],
      notes: '=1+1',
    });
    expect(first?.sound.fullDigest).toMatch(/./);
    // A cell that a spreadsheet would run is marked.
    expect(files['records.csv']!.toString()).toContain(`'=1+1`);
    // By another program: OpenSSL knows Ed25519.
    await writeFile(path.join(folder, 'm'), files['manifest.json']!);
    await writeFile(path.join(folder, 's'), Buffer.from(files['manifest.sig']!.toString(), 'base64'));
    await writeFile(path.join(folder, 'k'), Buffer.from(manifest.house.publicKey ?? '', 'base64'));
    const verify = [
      'pkeyutl',
      '-verify',
      '-pubin',
      '-keyform',
      'DER',
      '-inkey',
      'k',
      '-rawin',
      '-in',
      'm',
      '-sigfile',
      's',
    ];
    expect(execFileSync('openssl', verify, { cwd: folder }).toString()).toContain('Verified Successfully');
  });

  it('for the same people holds what changed since: records, names and what is new', async () => {
    await made(theirs, { forWhom: 'The mill' });
    const none = await asked(theirs, { forWhom: 'The mill', onlyChanged: true });
    expect([none.status, JSON.parse(String(none.body))]).toMatchObject([422, { code: 'NOTHING_SELECTED' }]);
    await edit(theirs, 2, { notes: 'Dry' });
    const update = await unpacked(await made(theirs, { forWhom: 'The mill', onlyChanged: true }));
    expect(JSON.parse(update['manifest.json']!.toString())).toMatchObject({ sounds: 1, isUpdate: true });
    expect(update['records.jsonl']!.toString()).toContain('gate 2.wav');
    // Others have had nothing yet.
    const others = await unpacked(await made(theirs, { forWhom: 'The pottery', onlyChanged: true }));
    expect(JSON.parse(others['manifest.json']!.toString())).toMatchObject({ sounds: 3 });
    expect(await theirs.call('listSheetRecipients')).toMatchObject([
      { forWhom: 'The pottery', sounds: 3 },
      { forWhom: 'The mill', sounds: 4 },
    ]);
  });
});

describe('applying a sheet', () => {
  it('finds the sounds by their audio, whatever they are called, takes what the other house says and gives its names; all is taken back', async () => {
    await edit(theirs, 1, { fxName: 'Lock Gate Creak', keywords: ['gate', 'creak'] });
    const sheet = await compared(await made(theirs));
    expect(sheet).toMatchObject({
      state: 'ready',
      signedBy: 'new',
      counts: { total: 3, certain: 3, probable: 0, several: 0, none: 0 },
    });
    const items = await itemsOf(sheet);
    expect(items.map(({ match, certain, newName }) => [match, certain, newName])).toEqual([
      ['digest', true, 'gate 1.wav'],
      ['digest', true, 'gate 2.wav'],
      ['digest', true, 'gate 3.wav'],
    ]);
    expect(changesOf(items)).toEqual([['fxName taken: Lock Gate Creak', 'keywords taken: gate, creak'], [], []]);
    expect(items[0]?.path).toBe(path.join(ours.drive, 'bought/HS_1.wav'));

    const plan = await ours.call('planSheetNames', { params: { id: sheet.id } });
    await ours.ended(await ours.call('runPlan', { params: { id: plan.id }, body: {} }));
    expect((await rowsOf(ours)).map(({ name }) => name)).toEqual(['gate 1.wav', 'gate 2.wav', 'gate 3.wav']);
    expect((await ours.send('planSheetNames', { params: { id: sheet.id } })).body).toMatchObject({
      code: 'NOTHING_SELECTED',
    });

    expect(await applied(sheet)).toMatchObject({ state: 'done', done: 3, failed: 0, result: { changed: 1 } });
    expect((await rowOf(ours, 1)).record).toMatchObject({ fxName: 'Lock Gate Creak', keywords: ['gate', 'creak'] });
    expect(await ours.call('getSheet', { params: { id: sheet.id } })).toMatchObject({
      state: 'applied',
      counts: { applied: 3 },
    });
    await ours.call('undoLast', { body: {} });
    expect((await rowOf(ours, 1)).record).toMatchObject({ fxName: 'Gate 1', keywords: [] });
    expect(await ours.call('getSheet', { params: { id: sheet.id } })).toMatchObject({
      state: 'ready',
      counts: { applied: 0 },
    });
    expect((await itemsOf(sheet)).some((item) => item.applied)).toBe(false);
    // Applied anew, it takes the same again.
    expect(await applied(sheet)).toMatchObject({ result: { changed: 1 } });
    expect((await rowOf(ours, 1)).record.fxName).toBe('Lock Gate Creak');
  });

  it('keeps what was described here, and asks where both houses said something else', async () => {
    await edit(ours, 1, { description: 'Our gate', notes: 'Heard at the mill' });
    await edit(theirs, 1, { description: 'Their gate', publisher: 'Towpath Audio' });
    const sheet = await compared(await made(theirs));
    expect(changesOf(await itemsOf(sheet))[0]).toEqual([
      'description open: Our gate',
      'publisher taken: Towpath Audio',
    ]);
    expect(changesOf(await itemsOf(sheet, { wins: 'theirs' }))[0]).toContain('description taken: Their gate');
    await applied(sheet);
    expect((await rowOf(ours, 1)).record).toMatchObject({
      description: 'Our gate',
      notes: 'Heard at the mill',
      publisher: 'Towpath Audio',
    });
    await applied(sheet, { wins: 'theirs' });
  });

  it('holds the next sheet against the one before: what was decided here since stays', async () => {
    await edit(theirs, 1, { description: 'Their gate' });
    await applied(await compared(await made(theirs)));
    await edit(ours, 1, { description: 'Our gate' });
    await edit(theirs, 1, { publisher: 'Towpath Audio' });
    const second = await compared(await made(theirs));
    expect(second.signedBy).toBe('known');
    expect(changesOf(await itemsOf(second))[0]).toEqual(['publisher taken: Towpath Audio']);
  });

  it('finds what holds other audio by a name that it has or had, and says that it is not certain', async () => {
    // Converted there: the same length, rate and name.
    await theirs.put('Gates/HS_9.wav', { seed: 9 });
    await ours.put('bought/HS_9.wav', { seed: 19 });
    for (const app of [theirs, ours]) {
      const { batchId } = await app.intake();
      await app.call('fileBatch', { params: { id: batchId } });
      await app.measured();
    }
    await edit(theirs, 9, { fxName: 'Sluice' });
    const sheet = await compared(await made(theirs));
    expect(sheet.counts).toMatchObject({ total: 4, certain: 3, probable: 1 });
    const [probable] = (await itemsOf(sheet)).filter(({ certain }) => !certain);
    expect(probable).toMatchObject({ match: 'facts', candidates: 1, theirName: 'HS_9.wav' });
    // Two that could be meant are none.
    await ours.put('more/HS_9.wav', { seed: 29 });
    const { batchId } = await ours.intake();
    await ours.call('fileBatch', { params: { id: batchId } });
    const again = await compared(await made(theirs));
    expect(again.counts).toMatchObject({ certain: 3, probable: 0, several: 1 });
    expect((await itemsOf(again, { show: 'several' }))[0]).toMatchObject({ candidates: 2, soundId: null, fields: [] });
    expect(await itemsOf(again, { show: 'none' })).toEqual([]);
  });

  it('finds a recording in another form by its fingerprint, and one that cannot be read by the rest', async () => {
    const sounds = ['gravel_003', 'VaseBreak_StoneFloor_02', 'stove crackle'].map((words) =>
      demoCollection().find((each) => each.path.includes(words)),
    );
    for (const [at, sound] of sounds.entries()) {
      const original = await theirs.put(`converted/Scrape ${at}.wav`, { bytes: sound && demoFileBytes(sound) });
      const kept = path.join(ours.drive, 'bought', `xq${at}.mp3`);
      const form = ['-map_metadata', '-1', '-af', 'adelay=500:all=1', '-b:a', '128k'];
      execFileSync('ffmpeg', ['-v', 'error', '-i', original, ...form, kept]);
    }
    for (const app of [theirs, ours]) {
      const { batchId } = await app.intake();
      await app.call('fileBatch', { params: { id: batchId } });
      await app.measured();
    }
    const bytes = await made(theirs);
    const sheet = await compared(bytes);
    expect(sheet.counts).toMatchObject({ total: 6, certain: 6, none: 0, several: 0 });
    const found = (await itemsOf(sheet)).filter(({ match }) => match === 'fingerprint');
    expect(found.map(({ theirName, path: place }) => `${theirName} is ${path.basename(place ?? '')}`).sort()).toEqual([
      'Scrape 0.wav is xq0.mp3',
      'Scrape 1.wav is xq1.mp3',
      'Scrape 2.wav is xq2.mp3',
    ]);
    // What is no fingerprint, or one of a version to come, is as none.
    await ours.context.db.execute(
      sql`update sheet_items set match = null, certain = false, entry = jsonb_set(entry, '{fingerprint}', '"AAAA"') where sheet_id = ${sheet.id}::uuid`,
    );
    await matchSheet(ours.context, sheet.id, 'all', () => Promise.resolve());
    expect((await ours.call('getSheet', { params: { id: sheet.id } })).counts).toMatchObject({ certain: 3, none: 3 });
  });

  it('goes on where it was cut short, in another process, and is still undone as one', async () => {
    for (const app of [theirs, ours]) {
      for (let seed = 100; seed < 160; seed += 1) await app.put(`many/take ${seed}.wav`, { seed });
      const { batchId } = await app.intake('many');
      await app.call('fileBatch', { params: { id: batchId } });
    }
    await theirs.call('editRecords', {
      body: {
        selection: { kind: 'catalogue', filter: { q: 'name:take' } },
        edit: { set: { publisher: 'Towpath Audio' } },
      },
    });
    const sheet = await compared(await made(theirs));
    expect(sheet.counts).toMatchObject({ total: 63, certain: 63 });
    await beginApplying(ours.context.db, sheet.id, 'ours');
    const how = { wins: 'ours' as const, parts: [], personId: 1, sight: 'all' as const };
    // Cut short as a killed process is: after some lines, without a word.
    const cut = applySheet(ours.context, sheet.id, how, () => Promise.reject(new Error('killed')));
    await expect(cut).rejects.toThrow('killed');
    const halfway = await ours.call('getSheet', { params: { id: sheet.id } });
    expect(halfway).toMatchObject({ state: 'applying', counts: { applied: 50 } });
    expect((await ours.send('applySheet', { params: { id: sheet.id }, body: { wins: 'ours' } })).body).toMatchObject({
      code: 'CONFLICT',
    });
    await ours.restart();
    const done: number[] = [];
    await applySheet(ours.context, sheet.id, how, (step) => Promise.resolve(void done.push(step.done)));
    expect(done).toEqual([13]);
    const withPublisher = async () => (await rowsOf(ours)).filter(({ record }) => record.publisher !== '').length;
    expect(await withPublisher()).toBe(60);
    await ours.call('undoLast', { body: {} });
    expect(await withPublisher()).toBe(0);
  });

  it('tells which records cannot take what it says, and applies the rest', async () => {
    const files = await unpacked(await made(theirs));
    const lines = files['records.jsonl']!.toString()
      .trim()
      .split('\n')
      .map((line) => sheetEntrySchema.parse(JSON.parse(line)));
    const [first, second] = lines;
    const said = [
      { ...first, record: { ...first?.record, form: 'a poem', fxName: 'Ode' } },
      { ...second, record: { ...second?.record, fxName: 'Creak', unheardOf: 'x' }, more: 1 },
    ];
    const sheet = await compared(
      await withLines(await made(theirs), said.map((each) => JSON.stringify(each)).join('\n'), { sounds: 2 }),
    );
    expect(sheet.signedBy).toBe('nobody');
    expect((await itemsOf(sheet)).map(({ problem }) => problem === null)).toEqual([false, true]);
    expect(await applied(sheet)).toMatchObject({ state: 'done', done: 1, failed: 1, result: { changed: 1 } });
    // What could not be taken is not said to be applied.
    expect((await itemsOf(sheet)).map((item) => item.applied)).toEqual([false, true]);
  });
});

describe('a sheet that is not what it says', () => {
  const codeOf = async (bytes: Buffer): Promise<string> => {
    const answer = await received(bytes);
    const { status } = answer;
    const body: unknown = answer.body;
    expect(status).toBeGreaterThanOrEqual(400);
    expect(status).toBeLessThan(500);
    return (body as { code: string }).code;
  };
  afterEach(async () => {
    // Nothing half.
    expect(await ours.call('listSheets')).toEqual([]);
  });

  it('is refused when it was cut off, is no ZIP, or lacks its files', async () => {
    const bytes = await made(theirs);
    expect(await codeOf(bytes.subarray(0, bytes.length - 30))).toBe('SHEET_INVALID');
    expect(await codeOf(Buffer.from('no zip at all'))).toBe('SHEET_INVALID');
    expect(await codeOf(storedZip({ 'manifest.json': '{}' }))).toBe('SHEET_INVALID');
    expect(await codeOf(storedZip({ 'manifest.json': '{}', 'records.jsonl': '' }))).toBe('SHEET_INVALID');
    expect(await codeOf(storedZip({ 'manifest.json': 'x'.repeat(2_000_000), 'records.jsonl': '' }))).toBe('TOO_LARGE');
  });

  it('is refused when it was changed, in its lines, its manifest or its signature', async () => {
    const files = await unpacked(await made(theirs));
    const changed = (name: string, from: string, to: string) =>
      storedZip({ ...files, [name]: files[name]!.toString().replaceAll(from, to) });
    expect(await codeOf(changed('records.jsonl', 'Old wood', 'Old iron'))).toBe('SHEET_TAMPERED');
    expect(await codeOf(changed('manifest.json', 'Orla Venn', 'Orla Vane'))).toBe('SHEET_TAMPERED');
    expect(await codeOf(storedZip({ ...files, 'manifest.sig': 'AAAA' }))).toBe('SHEET_TAMPERED');
  });

  it('is refused of a later version of its form, with a name that leads out, or with lines that are none', async () => {
    const files = await unpacked(await made(theirs));
    const later = files['manifest.json']!.toString().replace('"version": 1', '"version": 2');
    expect(await codeOf(storedZip({ ...files, 'manifest.json': later }))).toBe('SHEET_TOO_NEW');
    expect(await codeOf(storedZip({ ...files, '../../out.txt': 'x' }))).toBe('SHEET_INVALID');
    expect(await codeOf(await withLines(await made(theirs), '{"sound": 1}\n'))).toBe('SHEET_INVALID');
    expect(await codeOf(await withLines(await made(theirs), `{"x": "${'y'.repeat(2_000_000)}"}`))).toBe(
      'SHEET_INVALID',
    );
    expect(await codeOf(await withLines(await made(theirs), files['records.jsonl']!.toString(), { sounds: 99 }))).toBe(
      'SHEET_TAMPERED',
    );
  });

  it('is refused from a house that is known by another key, or whose sheets are signed', async () => {
    const bytes = await made(theirs);
    const { house } = sheetManifestSchema.parse(JSON.parse((await unpacked(bytes))['manifest.json']!.toString()));
    await ours.context.db.insert(knownHouses).values({ id: house.id, name: 'The pottery', publicKey: 'another' });
    expect(await codeOf(bytes)).toBe('SHEET_TAMPERED');
    const lines = (await unpacked(bytes))['records.jsonl']!.toString();
    expect(await codeOf(await withLines(bytes, lines))).toBe('SHEET_TAMPERED');
  });
});

describe('a name that a sheet gives', () => {
  it('is never one that leads elsewhere', async () => {
    const files = await unpacked(await made(theirs));
    const hostile = ['../../out.wav', 'a/b.wav', '..', '.hidden.wav', 'x'.repeat(400), 'c:\\d.wav', 'nul\u0000.wav'];
    const line = sheetEntrySchema.parse(JSON.parse(files['records.jsonl']!.toString().split('\n')[0] ?? ''));
    for (const name of hostile) {
      const bytes = await withLines(
        await made(theirs),
        JSON.stringify({ ...line, names: { now: [name], then: [] } }).replaceAll('\\u0000', '\\u0001'),
        { sounds: 1 },
      );
      const sheet = await compared(bytes);
      expect((await itemsOf(sheet))[0]).toMatchObject({ match: 'digest', newName: null });
    }
  });
});
