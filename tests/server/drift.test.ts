import { rm } from 'node:fs/promises';
import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import type { DriftCounts } from '@flagstone/contract/drift';
import type { ListFilter } from '@flagstone/contract/selection';
import { addDrive } from '@flagstone/server/drives/drives';
import { DrivePresence } from '@flagstone/server/drives/drive-presence';
import { keepDrift } from '@flagstone/server/records/drift';
import { lockRecords } from '@flagstone/server/records/search-conditions';
import { sql } from 'drizzle-orm';
import { TestApplication } from './test-application.ts';

const SAYS = { INAM: 'Lock gate', ICMT: 'Old wood', IKEY: 'gate, creak' };
const [QUAY, FIELD] = ['quay', 'field'];
let app: TestApplication;
let drives: Record<string, string>;

/** Two drives, each with the same three sounds, all filed. */
beforeEach(async () => {
  app = await TestApplication.open();
  for (const drive of [QUAY, FIELD])
    for (const seed of [1, 2, 3])
      await app.put(`${drive}/gates/gate ${seed}.wav`, {
        seed,
        tags: { info: { ...SAYS, INAM: `Lock gate ${seed}` } },
      });
  drives = {};
  for (const drive of [QUAY, FIELD]) drives[drive] = (await addDrive(app.context, path.join(app.drive, drive))).id;
  for (const drive of [QUAY, FIELD]) {
    const { batchId } = await app.intake(drive);
    await app.call('fileBatch', { params: { id: batchId } });
  }
  await app.measured();
});
afterEach(() => app.close());

/** The counts of a drive that are not zero. */
async function countsOf(drive: string): Promise<Partial<DriftCounts>> {
  const { folders } = await app.call('getDrift');
  const own = folders.filter(({ driveId }) => driveId === drives[drive]);
  expect(own.length).toBeLessThanOrEqual(1);
  return Object.fromEntries(Object.entries(own[0]?.counts ?? {}).filter(([, copies]) => copies > 0));
}
/** What the catalogue lists for a number of the matrix: the copies by drive and name. */
async function listed(drive: string, state: ListFilter['state'], more: object = {}): Promise<string[]> {
  const { rows, total } = await app.call('listCatalogue', { query: { drive: drives[drive], state, ...more } });
  expect(total).toBe(rows.length);
  return rows.map((row) => `${row.driveName}: ${row.name} ${row.state}`);
}
const copy = async (drive: string, name: string) => {
  const { rows } = await app.call('listCatalogue', { query: { drive: drives[drive], q: `name:"${name}"` } });
  return rows[0]!;
};
const edit = async (name: string, set: object) =>
  app.call('editRecords', {
    body: { selection: { kind: 'copies', copyIds: [(await copy(QUAY, name)).copyId] }, edit: { set } },
  });
/** What another program makes of a file. */
async function elsewhere(drive: string, seed: number, info: object): Promise<void> {
  await app.put(`${drive}/gates/gate ${seed}.wav`, {
    seed,
    tags: { info: { ...SAYS, INAM: `Lock gate ${seed}`, ...info } },
  });
  await app.intake(drive);
  await app.measured();
}

describe('the matrix of drift', () => {
  it('tells sounds in preparation from filed ones', async () => {
    expect(await countsOf(QUAY)).toEqual({ inStep: 3 });
    await app.put('quay/gates/new.wav', { seed: 9 });
    await app.intake(QUAY);
    await app.measured();
    expect(await countsOf(QUAY)).toEqual({ inStep: 3, preparing: 1 });
  });

  it('follows edits, writes, changes elsewhere and files that go, and each number opens its list', async () => {
    await edit('gate 1', { fxName: 'Sluice gate' });
    expect(await countsOf(QUAY)).toEqual({ inStep: 2, behind: 1 });
    expect(await countsOf(FIELD)).toEqual({ inStep: 2, behind: 1 });
    // Brought up to date on one drive alone.
    const behind = { kind: 'catalogue' as const, filter: { drive: drives[QUAY], state: 'behind' as const } };
    const plan = await app.call('makePlan', { body: { kind: 'write', selection: behind } });
    expect(plan.counts.runnable).toBe(1);
    await app.ended(await app.call('runPlan', { params: { id: plan.id }, body: {} }));
    expect(await countsOf(QUAY)).toEqual({ inStep: 3 });
    expect(await listed(QUAY, 'behind')).toEqual([]);
    expect(await listed(FIELD, 'behind')).toEqual(['field: gate 1.wav behind']);
    // Changed elsewhere: one of them alone, one with the record.
    await elsewhere(FIELD, 1, { ICMT: 'New wood' });
    await elsewhere(FIELD, 2, { ICMT: 'New wood' });
    await rm(path.join(app.drive, 'field/gates/gate 3.wav'));
    await app.intake(FIELD);
    expect(await countsOf(FIELD)).toEqual({ split: 1, ahead: 1, gone: 1 });
    expect(await listed(FIELD, 'split')).toEqual(['field: gate 1.wav split']);
    expect(await listed(FIELD, 'ahead')).toEqual(['field: gate 2.wav ahead']);
    expect(await listed(FIELD, 'gone')).toEqual(['field: gate 3.wav gone']);
    expect(await listed(FIELD, 'notInStep')).toHaveLength(2);
    expect(await listed(QUAY, 'notInStep')).toEqual([]);
    // Taken off the lists.
    await app.call('settleLost', { body: { what: 'certain' } });
    expect(await countsOf(FIELD)).toEqual({ split: 1, ahead: 1 });
  });

  it('counts by folder that was read, and follows folders that are read by themselves', async () => {
    const inFull = (await app.call('getDrift')).folders.filter(({ driveId }) => driveId === drives[QUAY]);
    expect(inFull.map(({ folder, counts }) => [folder, counts.inStep])).toEqual([['', 3]]);
    await app.intake('quay/gates');
    const { folders } = await app.call('getDrift');
    const own = folders.filter(({ driveId }) => driveId === drives[QUAY]);
    expect(own.map(({ folder, counts }) => [folder, counts.inStep])).toEqual([['gates', 3]]);
    expect(await listed(QUAY, 'inStep', { readFolder: own[0]?.readFolderId })).toHaveLength(3);
    expect(await listed(QUAY, 'inStep', { readFolder: 9999 })).toEqual([]);
  });

  it('tells what is on a drive that is away, and how it was when it was last here', async () => {
    await edit('gate 1', { fxName: 'Sluice gate' });
    await rm(path.join(app.drive, 'field'), { recursive: true });
    await new DrivePresence(app.context).look();
    expect(await countsOf(FIELD)).toEqual({ away: 3 });
    const { folders, drives: known } = await app.call('getDrift');
    expect(folders.find(({ driveId }) => driveId === drives[FIELD])?.notInStepWhenLastHere).toBe(1);
    expect(known.map(({ name, isAway }) => [name, isAway])).toEqual([
      ['field', true],
      ['quay', false],
    ]);
    expect(await listed(FIELD, 'away')).toHaveLength(3);
  });

  it('tells files that cannot be read, and copies that nobody ever read as a whole', async () => {
    await app.put('quay/gates/cut.wav', { bytes: Buffer.from('RIFF') });
    await app.intake(QUAY);
    expect(await countsOf(QUAY)).toEqual({ inStep: 3, unreadable: 1 });
    await app.context.db.execute(sql`update copies set proved_at = null where name = 'gate 2.wav'`);
    expect(await countsOf(QUAY)).toEqual({ inStep: 3, unreadable: 1, unproved: 1 });
    expect(await listed(QUAY, 'unproved')).toEqual(['quay: gate 2.wav inStep']);
  });

  it('is added up without losing what is counted meanwhile, by several at once', async () => {
    const busy = Array.from({ length: 12 }, (_, turn) => edit(`gate ${1 + (turn % 3)}`, { notes: `turn ${turn}` }));
    const kept = Array.from({ length: 6 }, () => keepDrift(app.context.db));
    await Promise.all([...busy, ...kept]);
    await keepDrift(app.context.db);
    expect(await countsOf(QUAY)).toEqual({ behind: 3 });
    const { rows } = await app.context.db.execute<{ rows: number }>(
      sql`select count(*)::int as rows from drift_counts`,
    );
    // Two drives, each in one state.
    expect(rows[0]?.rows).toBe(2);
  });

  it('is exact when edits and writes of the same sounds cross', async () => {
    const names = ['gate 1', 'gate 2', 'gate 3'];
    const ids = await Promise.all([QUAY, FIELD].flatMap((drive) => names.map((name) => copy(drive, name))));
    const cross = ids.flatMap(({ copyId, soundId }, index) => [
      edit(names[index % 3] ?? '', { notes: `now ${index}` }),
      app.context.db.transaction(async (tx) => {
        await lockRecords(tx, [soundId]);
        await tx.execute(
          sql`update copies set changed_outside = not changed_outside, proved_at = null where id = ${copyId}`,
        );
      }),
    ]);
    await Promise.all(cross);
    const { rows } = await app.context.db.execute<{ copies: number }>(
      sql`select count(*)::int as copies from copies c join records r on r.sound_id = c.sound_id where c.changed_outside and c.carries_revision < r.revision`,
    );
    const split = ((await countsOf(QUAY)).split ?? 0) + ((await countsOf(FIELD)).split ?? 0);
    expect(split).toBe(rows[0]?.copies);
  });
});

describe('drift by day', () => {
  it('keeps what was so at the end of each day, and tells today as it is', async () => {
    await keepDrift(app.context.db);
    await app.context.db.execute(sql`update drift_days set day = day - 1`);
    await edit('gate 1', { fxName: 'Sluice gate' });
    await keepDrift(app.context.db);
    await keepDrift(app.context.db);
    const days = await app.call('getDriftTrend', { query: { days: 30 } });
    expect(days.map(({ behind, ahead, split, gone }) => [behind, ahead, split, gone])).toEqual([
      [0, 0, 0, 0],
      [2, 0, 0, 0],
    ]);
    expect(days.map(({ day }) => day)).toEqual([...days.map(({ day }) => day)].sort());
    expect(await app.call('getDriftTrend', { query: { days: 1 } })).toHaveLength(1);
  });
});
