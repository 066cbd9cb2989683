import { mkdir, readdir, readFile, rename, unlink, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import type { NewPlan } from '@flagstone/contract/plans';
import { journal, plans } from '@flagstone/server/db/schema';
import { eq } from 'drizzle-orm';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let count = 0;
let drive = '';
beforeAll(async () => {
  app = await TestApplication.open();
});
afterAll(() => app.close());
beforeEach(() => {
  count += 1;
  drive = `drive${count}`;
});

const names = async (folder = drive): Promise<string[]> =>
  (await readdir(path.join(app.drive, folder))).filter((name) => !name.startsWith('.flagstone')).sort();
const beside = (name: string, text: string, folder = drive): Promise<void> =>
  writeFile(path.join(app.drive, folder, name), text);

async function described(files: string[], set: object = {}): Promise<number> {
  for (const [at, name] of files.entries()) await app.put(`${drive}/${name}`, { seed: 500 + count * 10 + at });
  const { batchId } = await app.intake(drive);
  await describeAll(batchId, set);
  return batchId;
}
async function describeAll(batchId: number, set: object = {}): Promise<void> {
  const edit = { set: { catId: 'CERMBrk', fxName: 'Pot Falls', creatorId: 'ORV', sourceId: 'CLAY', ...set } };
  await app.call('editRecords', { body: { selection: { kind: 'batch', batchId }, edit } });
}
const plan = (batchId: number, more: Partial<NewPlan> | object = {}) =>
  app.call('makePlan', { body: { kind: 'rename', selection: { kind: 'batch', batchId }, ...more } });
const itemsOf = async (id: number) => (await app.call('listPlanItems', { params: { id } })).items;
const run = async (id: number) => app.ended(await app.call('runPlan', { params: { id }, body: {} }));

describe('files that bear the name of an audio file', () => {
  it('are renamed along, shown before, and come back with undo', async () => {
    const batchId = await described(['one.wav', 'two.wav']);
    await beside('one.txt', 'notes');
    await beside('two.wav.png', 'picture');
    await beside('notes.txt', 'of nobody');
    const made = await plan(batchId);
    expect((await itemsOf(made.id)).map(({ before, after }) => [before['companions'], after['companions']])).toEqual([
      [['one.txt'], ['CERMBrk_Pot Falls_ORV_CLAY 01.txt']],
      [['two.wav.png'], ['CERMBrk_Pot Falls_ORV_CLAY 02.wav.png']],
    ]);
    expect(await run(made.id)).toMatchObject({ done: 2, failed: 0 });
    expect(await names()).toEqual([
      'CERMBrk_Pot Falls_ORV_CLAY 01.txt',
      'CERMBrk_Pot Falls_ORV_CLAY 01.wav',
      'CERMBrk_Pot Falls_ORV_CLAY 02.wav',
      'CERMBrk_Pot Falls_ORV_CLAY 02.wav.png',
      'notes.txt',
    ]);
    await app.ended(await app.call('undoPlan', { params: { id: made.id } }));
    expect(await names()).toEqual(['notes.txt', 'one.txt', 'one.wav', 'two.wav', 'two.wav.png']);
    expect(await readFile(path.join(app.drive, drive, 'one.txt'), 'utf8')).toBe('notes');
  });

  it('stay when the person wants it so, or when the name that they would take is taken', async () => {
    const batchId = await described(['one.wav']);
    await beside('one.txt', 'notes');
    await beside('cermbrk_pot falls_orv_clay.TXT', 'another’s');
    const [item] = await itemsOf((await plan(batchId)).id);
    expect(item?.problems.map(({ code }) => code)).toEqual(['COMPANION_STAYS']);
    await run((await plan(batchId, { rename: { companions: false } })).id);
    expect(await names()).toContain('one.txt');
    expect(await readFile(path.join(app.drive, drive, 'cermbrk_pot falls_orv_clay.TXT'), 'utf8')).toBe('another’s');
  });

  it('keep their names when the file cannot take its own', async () => {
    const batchId = await described(['one.wav']);
    await beside('one.txt', 'notes');
    const made = await plan(batchId);
    await beside('CERMBrk_Pot Falls_ORV_CLAY.wav', 'came meanwhile');
    expect(await run(made.id)).toMatchObject({ done: 0, failed: 1 });
    expect(await names()).toEqual(['CERMBrk_Pot Falls_ORV_CLAY.wav', 'one.txt', 'one.wav']);
  });

  it.each([
    ['the file did not follow yet', false],
    ['the file went already', true],
  ])('are settled at the next start when %s', async (_what, fileWent) => {
    const batchId = await described(['one.wav']);
    await beside('one.txt', 'notes');
    await beside('one.pdf', 'plan');
    const made = await plan(batchId);
    const [item] = await itemsOf(made.id);
    const at = (name: string): string => path.join(app.drive, drive, name);
    await rename(at('one.txt'), at('CERMBrk_Pot Falls_ORV_CLAY.txt'));
    if (fileWent) await rename(at('one.wav'), at('CERMBrk_Pot Falls_ORV_CLAY.wav'));
    await app.context.db
      .update(journal)
      .set({ state: 'started' })
      .where(eq(journal.id, item?.id ?? 0));
    await app.context.db.update(plans).set({ state: 'running' }).where(eq(plans.id, made.id));
    await app.restart();
    expect(await names()).toEqual(
      fileWent
        ? ['CERMBrk_Pot Falls_ORV_CLAY.pdf', 'CERMBrk_Pot Falls_ORV_CLAY.txt', 'CERMBrk_Pot Falls_ORV_CLAY.wav']
        : ['one.pdf', 'one.txt', 'one.wav'],
    );
  });
});

it('numbers takes for which one name is planned by their names, and then has nothing to do', async () => {
  const files = ['take 10.wav', 'take 2.wav', 'take 1.wav'];
  const batchId = await described(files);
  const made = await plan(batchId);
  const planned = new Map(
    (await itemsOf(made.id)).map(({ before, after }) => [String(before['name']), String(after['name'])]),
  );
  expect(['take 1.wav', 'take 2.wav', 'take 10.wav'].map((name) => planned.get(name))).toEqual([
    'CERMBrk_Pot Falls_ORV_CLAY 01.wav',
    'CERMBrk_Pot Falls_ORV_CLAY 02.wav',
    'CERMBrk_Pot Falls_ORV_CLAY 03.wav',
  ]);
  expect(await run(made.id)).toMatchObject({ done: 3, failed: 0 });
  expect((await itemsOf((await plan(batchId)).id)).map(({ state }) => state)).toEqual(Array(3).fill('unchanged'));
  // One that comes later goes on counting, and none of the others is touched.
  await app.put(`${drive}/late.wav`, { seed: 977 });
  const { batchId: again } = await app.intake(drive);
  await describeAll(again);
  const later = await itemsOf((await plan(again)).id);
  expect(later.filter(({ state }) => state !== 'unchanged').map(({ after }) => after['name'])).toEqual([
    'CERMBrk_Pot Falls_ORV_CLAY 04.wav',
  ]);
});

it('shortens names that are too long only when told how, and tells paths that Windows cannot open', async () => {
  const deep = `${'d'.repeat(60)}/${'e'.repeat(60)}`;
  drive = `${drive}/${deep}`;
  const batchId = await described(['one.wav'], { fxName: 'Pot Falls '.repeat(30).trim() });
  expect((await plan(batchId)).counts).toMatchObject({ blocked: 1 });
  const made = await plan(batchId, { rename: { shorten: 'fxName' } });
  const [item] = await itemsOf(made.id);
  expect(item?.problems.map(({ code }) => code)).toEqual(['NAME_SHORTENED', 'PATH_TOO_LONG']);
  await run(made.id);
  const [name = ''] = await names();
  expect(name).toMatch(/^CERMBrk_Pot Falls .* Pot( Falls)?_ORV_CLAY\.wav$/);
  expect(Buffer.byteLength(name)).toBeLessThanOrEqual(251);
});

describe('the other copies of sounds', () => {
  /** Two drives with the same sound; the second one can be taken away. */
  async function twoDrives(): Promise<{ batchId: number; other: string }> {
    const other = `${drive}-vault`;
    for (const [folder, id] of [
      [drive, '1'],
      [other, '2'],
    ] as const) {
      await mkdir(path.join(app.drive, folder), { recursive: true });
      await writeFile(
        path.join(app.drive, folder, '.flagstone-drive.json'),
        JSON.stringify({ version: 1, id: `00000000-0000-4000-8000-0000000${String(count).padStart(4, '0')}${id}` }),
      );
      await app.put(`${folder}/one.wav`, { seed: 900 + count });
    }
    await app.intake(other);
    const { batchId } = await app.intake(drive);
    await describeAll(batchId);
    return { batchId, other };
  }

  it('are renamed in the same plan, when asked for', async () => {
    const { batchId, other } = await twoDrives();
    expect((await plan(batchId)).counts).toMatchObject({ all: 1 });
    const made = await plan(batchId, { allCopies: true });
    expect(made.counts).toMatchObject({ all: 2, runnable: 2 });
    await run(made.id);
    for (const folder of [drive, other]) expect(await names(folder)).toEqual(['CERMBrk_Pot Falls_ORV_CLAY.wav']);
  });

  it('are remembered while their drive is away, through a restart, and renamed when it is back', async () => {
    const { batchId, other } = await twoDrives();
    await beside('one.txt', 'notes', other);
    const at = path.join(app.drive, other);
    const elsewhere = `${app.drive}-elsewhere${count}`;
    await rename(at, elsewhere);
    const made = await plan(batchId, { allCopies: true });
    expect((await itemsOf(made.id)).map(({ problems }) => problems.map(({ code }) => code))).toEqual(
      expect.arrayContaining([[], ['DRIVE_AWAY']]),
    );
    expect(await run(made.id)).toMatchObject({ done: 1, failed: 0 });
    expect((await app.call('getPlan', { params: { id: made.id } })).counts).toMatchObject({
      done: 1,
      runnable: 0,
      waiting: 1,
    });
    const waiting = (await app.call('listJobs')).filter((job) => job.awaitsDrive !== null);
    expect(waiting).toMatchObject([{ state: 'waiting', awaitsDrive: other, planId: made.id }]);
    await app.restart();
    expect(await names(drive)).toEqual(['CERMBrk_Pot Falls_ORV_CLAY.wav']);
    // Meanwhile somebody took the name there.
    await writeFile(path.join(elsewhere, 'CERMBrk_Pot Falls_ORV_CLAY.wav'), 'another’s');
    await rename(elsewhere, at);
    await app.call('listDrives');
    for (const job of waiting) expect(await app.ended(job)).toMatchObject({ state: 'done', done: 1, failed: 0 });
    expect(await names(other)).toEqual([
      'CERMBrk_Pot Falls_ORV_CLAY 01.txt',
      'CERMBrk_Pot Falls_ORV_CLAY 01.wav',
      'CERMBrk_Pot Falls_ORV_CLAY.wav',
    ]);
    await app.ended(await app.call('undoPlan', { params: { id: made.id } }));
    expect(await names(other)).toEqual(['CERMBrk_Pot Falls_ORV_CLAY.wav', 'one.txt', 'one.wav']);
    expect(await names(drive)).toEqual(['one.wav']);
  });

  it('are forgotten when the plan is undone before their drive is back', async () => {
    const { batchId, other } = await twoDrives();
    const at = path.join(app.drive, other);
    const elsewhere = `${app.drive}-elsewhere${count}`;
    await rename(at, elsewhere);
    const made = await plan(batchId, { allCopies: true });
    await run(made.id);
    await app.ended(await app.call('undoPlan', { params: { id: made.id } }));
    await rename(elsewhere, at);
    await app.call('listDrives');
    const ofPlan = (await app.call('listJobs')).filter(({ planId }) => planId === made.id);
    expect(ofPlan.map(({ kind, state }) => `${kind} ${state}`).sort()).toEqual([
      'rename cancelled',
      'rename done',
      'undo done',
    ]);
    expect(await names(other)).toEqual(['one.wav']);
    await unlink(path.join(at, 'one.wav'));
  });
});

describe('a name that ends in what belongs to another content', () => {
  const ends = async (batchId: number) =>
    (await app.call('listBatchRows', { params: { id: batchId } })).rows.map(({ name, issues }) => [
      name.replace(/.*\./, '.'),
      issues.some(({ code }) => code === 'OTHER_EXTENSION'),
    ]);

  it('is remarked upon, put right for all by the plan, and comes back with undo', async () => {
    const batchId = await described(['one.caf', 'two.wav']);
    const codes = async (id: number) =>
      (await itemsOf(id)).map(({ after, problems }) => [
        String(after['name']).slice(-4),
        ...problems.map(({ code }) => code),
      ]);
    const kept = await plan(batchId);
    expect(await codes(kept.id)).toEqual([['.caf', 'OTHER_EXTENSION'], ['.wav']]);
    const righted = await plan(batchId, { rename: { extensions: 'right' } });
    expect((await codes(righted.id))[0]).toEqual(['.wav', 'SERIES_NUMBERED', 'EXTENSION_RIGHTED']);
    expect(await run(righted.id)).toMatchObject({ done: 2, failed: 0 });
    expect(await ends(batchId)).toEqual([
      ['.wav', false],
      ['.wav', false],
    ]);
    await app.ended(await app.call('undoPlan', { params: { id: righted.id } }));
    expect(await ends(batchId)).toEqual([
      ['.caf', true],
      ['.wav', false],
    ]);
  });

  it('is given to all where another program asks for it, with a warning and without touching the audio', async () => {
    const batchId = await described(['one.wav']);
    const before = await readFile(path.join(app.drive, drive, 'one.wav'));
    const made = await plan(batchId, { rename: { extensions: '.aif' } });
    expect((await itemsOf(made.id))[0]?.problems.map(({ code, severity }) => [code, severity])).toEqual([
      ['OTHER_EXTENSION', 'notice'],
    ]);
    expect(await run(made.id)).toMatchObject({ done: 1, failed: 0 });
    expect(await ends(batchId)).toEqual([['.aif', true]]);
    expect(await readFile(path.join(app.drive, drive, (await names())[0] ?? ''))).toEqual(before);
    const refused = await app.send('makePlan', {
      body: { kind: 'rename', selection: { kind: 'batch', batchId }, rename: { extensions: '.exe' } },
    });
    expect(refused.status).toBe(400);
  });
});

describe('the end of names', () => {
  it('keeps the channels of split files apart, and marks other mono files, where the pattern of the collection says so', async () => {
    const batchId = await described(['gate_L.wav', 'gate_R.wav', 'alone.wav']);
    const pattern = { kind: 'ucs', blocks: {}, ending: { channel: true, mono: '_mono' } };
    await app.call('updateCollection', { params: { id: 1 }, body: { pattern } });
    const made = await plan(batchId);
    expect((await itemsOf(made.id)).map(({ after }) => [after['name'], after['ending']]).sort()).toEqual([
      ['CERMBrk_Pot Falls_ORV_CLAY.L.wav', '.L'],
      ['CERMBrk_Pot Falls_ORV_CLAY.R.wav', '.R'],
      ['CERMBrk_Pot Falls_ORV_CLAY_mono.wav', '_mono'],
    ]);
    expect(await run(made.id)).toMatchObject({ done: 3, failed: 0 });
    // Named again, they are right already.
    expect((await itemsOf((await plan(batchId)).id)).map(({ state }) => state)).toEqual(Array(3).fill('unchanged'));
    await app.call('updateCollection', { params: { id: 1 }, body: { pattern: null } });
  });
});

describe('a name that a lost file had', () => {
  const targetName = 'CERMBrk_Pot Falls_ORV_CLAY.wav';
  it('is not taken before that one is settled: what is known of it would be said of another', async () => {
    const batchId = await described([targetName, 'other.wav']);
    await unlink(path.join(app.drive, drive, targetName));
    await app.intake(drive);
    const lost = (await app.call('listLost', { query: {} })).lost.find(({ name }) => name === targetName);
    const other = (await app.call('listBatchRows', { params: { id: batchId } })).rows.find(
      ({ name }) => name === 'other.wav',
    );
    const selection = { kind: 'copies', copyIds: [other?.copyId ?? 0] };
    const { id } = await app.call('makePlan', { body: { kind: 'rename', selection } });
    expect(await run(id)).toMatchObject({ done: 0, failed: 1 });
    expect((await itemsOf(id))[0]?.problems.at(-1)?.code).toBe('CONFLICT');
    expect(await names()).toEqual(['other.wav']);

    await app.call('settleLost', { body: { what: 'clear', lostCopyId: lost?.copyId ?? 0 } });
    const again = await app.call('makePlan', { body: { kind: 'rename', selection } });
    expect(await run(again.id)).toMatchObject({ done: 1, failed: 0 });
    expect(await names()).toEqual([targetName]);
  });
});
