import { chmod, link, readdir, readFile, rename, stat, unlink, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import { copies, journal, plans } from '@flagstone/server/db/schema';
import { eq } from 'drizzle-orm';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let folder = '';
let count = 0;
beforeAll(async () => {
  app = await TestApplication.open();
});
afterAll(() => app.close());
beforeEach(() => {
  count += 1;
  folder = `f${count}`;
});

const on = (name: string): string => path.join(app.drive, folder, name);
const names = async (): Promise<string[]> => (await readdir(path.join(app.drive, folder))).sort();

/** Three sounds described alike, so that their names collide. */
async function describedBatch(): Promise<number> {
  await app.put(`${folder}/one.wav`, { seed: count * 10 + 1, tags: { info: { ICMT: 'kept' } } });
  await app.put(`${folder}/two.wav`, { seed: count * 10 + 2 });
  await app.put(`${folder}/three.wav`, { seed: count * 10 + 3 });
  const { batchId } = await app.intake(folder);
  await app.call('editRecords', {
    body: {
      selection: { kind: 'batch', batchId },
      edit: { set: { catId: 'cermbrk', fxName: 'Pot Falls', creatorId: 'ORV', sourceId: 'CLAY' } },
    },
  });
  return batchId;
}

describe('a rename plan', () => {
  it('gives taken names a counter, also against names on disk that differ only in case, and is undone as one', async () => {
    const batchId = await describedBatch();
    await writeFile(on('cermbrk_pot falls_orv_clay.WAV'), 'somebody else’s');
    const { planId, job } = await app.planAndRun('rename', batchId);
    expect(job).toMatchObject({ state: 'done', done: 3, failed: 0 });
    const after = [
      'CERMBrk_Pot Falls_ORV_CLAY 01.wav',
      'CERMBrk_Pot Falls_ORV_CLAY 02.wav',
      'CERMBrk_Pot Falls_ORV_CLAY 03.wav',
      'cermbrk_pot falls_orv_clay.WAV',
    ];
    expect(await names()).toEqual(after);
    expect((await app.call('listBatchRows', { params: { id: batchId } })).rows.map((row) => row.name)).toEqual(
      after.slice(0, 3),
    );
    await app.ended(await app.call('undoPlan', { params: { id: planId } }));
    expect(await names()).toEqual(['cermbrk_pot falls_orv_clay.WAV', 'one.wav', 'three.wav', 'two.wav']);
  });

  it('finds nothing to do when the names are right already, counters and all', async () => {
    const batchId = await describedBatch();
    await app.planAndRun('rename', batchId);
    const plan = await app.call('makePlan', { body: { kind: 'rename', selection: { kind: 'batch', batchId } } });
    expect(plan.counts).toMatchObject({ all: 3, unchanged: 3, runnable: 0 });
    expect((await app.send('runPlan', { params: { id: plan.id }, body: {} })).body).toMatchObject({
      code: 'PLAN_NOT_RUNNABLE',
    });
  });

  it('changes only the case of a name', async () => {
    await app.put(`${folder}/cermbrk_pot_orv_clay.wav`, { seed: count * 10 });
    const { batchId } = await app.intake(folder);
    await app.planAndRun('rename', batchId);
    expect(await names()).toEqual(['CERMBrk_pot_orv_clay.wav']);
  });

  it('tries one item and leaves the others', async () => {
    const batchId = await describedBatch();
    const plan = await app.call('makePlan', { body: { kind: 'rename', selection: { kind: 'batch', batchId } } });
    const { items } = await app.call('listPlanItems', { params: { id: plan.id } });
    const job = await app.ended(
      await app.call('runPlan', { params: { id: plan.id }, body: { onlyItemId: items[1]?.id } }),
    );
    expect(job).toMatchObject({ total: 1, done: 1 });
    expect((await app.call('getPlan', { params: { id: plan.id } })).counts).toMatchObject({ done: 1, runnable: 2 });
  });

  it('blocks names with missing blocks and files that vanished, and fails an item whose name was taken meanwhile', async () => {
    await app.put(`${folder}/bare.wav`, { seed: count * 10 });
    await app.put(`${folder}/vanishes.wav`, { seed: count * 10 + 1 });
    const bare = await app.intake(folder);
    await unlink(on('vanishes.wav'));
    const blocked = await app.call('makePlan', {
      body: { kind: 'rename', selection: { kind: 'batch', batchId: bare.batchId } },
    });
    expect(blocked.counts).toMatchObject({ blocked: 2, runnable: 0 });

    await app.call('editRecords', {
      body: {
        selection: { kind: 'batch', batchId: bare.batchId },
        edit: { set: { catId: 'CERMBrk', fxName: 'X', creatorId: 'A', sourceId: 'B' } },
      },
    });
    const plan = await app.call('makePlan', {
      body: { kind: 'rename', selection: { kind: 'batch', batchId: bare.batchId } },
    });
    await writeFile(on('CERMBrk_X_A_B.wav'), 'came meanwhile');
    const job = await app.ended(await app.call('runPlan', { params: { id: plan.id }, body: {} }));
    expect(job).toMatchObject({ done: 0, failed: 1 });
    const { items } = await app.call('listPlanItems', { params: { id: plan.id } });
    expect(items.map((item) => item.problems.at(-1)?.code)).toEqual(['NAME_TAKEN', 'FILE_VANISHED']);
    expect(await readFile(on('CERMBrk_X_A_B.wav'), 'utf8')).toBe('came meanwhile');
    expect(await names()).toContain('bare.wav');
  });
});

describe('a rename that was cut short', () => {
  async function interrupted(
    standing: 'old' | 'both' | 'new',
  ): Promise<{ planId: number; batchId: number; before: string; after: string }> {
    const batchId = await describedBatch();
    const plan = await app.call('makePlan', { body: { kind: 'rename', selection: { kind: 'batch', batchId } } });
    const { items } = await app.call('listPlanItems', { params: { id: plan.id } });
    const [item] = items;
    const [before, after] = [String(item?.before['name']), String(item?.after['name'])];
    if (standing !== 'old') await link(on(before), on(after));
    if (standing === 'new') await unlink(on(before));
    await app.context.db
      .update(journal)
      .set({ state: 'started' })
      .where(eq(journal.id, item?.id ?? 0));
    await app.context.db.update(plans).set({ state: 'running' }).where(eq(plans.id, plan.id));
    await app.restart();
    return { planId: plan.id, batchId, before, after };
  }

  it.each(['both', 'new'] as const)('is finished at the next start when the disk holds %s', async (standing) => {
    const { planId, batchId, before, after } = await interrupted(standing);
    expect(await names()).toContain(after);
    expect(await names()).not.toContain(before);
    expect((await app.call('getPlan', { params: { id: planId } })).counts).toMatchObject({ done: 1, runnable: 2 });
    expect((await app.call('listBatchRows', { params: { id: batchId } })).rows.map((row) => row.name)).toContain(after);
  });

  it('is rolled back when the disk was not touched yet', async () => {
    const { planId, before } = await interrupted('old');
    expect(await names()).toContain(before);
    expect((await app.call('getPlan', { params: { id: planId } })).counts).toMatchObject({ done: 0, runnable: 3 });
  });
});

describe('a write plan', () => {
  it('shows before and after, writes, leaves the copies in step, and undoes to the very same bytes', async () => {
    const batchId = await describedBatch();
    const before = await Promise.all(['one.wav', 'two.wav', 'three.wav'].map((name) => readFile(on(name))));
    const plan = await app.call('makePlan', { body: { kind: 'write', selection: { kind: 'batch', batchId } } });
    const { items } = await app.call('listPlanItems', { params: { id: plan.id } });
    expect(items[0]).toMatchObject({
      state: 'planned',
      before: { fxName: '' },
      after: { fxName: 'Pot Falls', catId: 'CERMBrk' },
    });
    const job = await app.ended(await app.call('runPlan', { params: { id: plan.id }, body: {} }));
    expect(job).toMatchObject({ done: 3, failed: 0 });
    expect((await app.call('listBatchRows', { params: { id: batchId } })).rows.map((row) => row.state)).toEqual([
      'inStep',
      'inStep',
      'inStep',
    ]);
    expect((await readFile(on('one.wav'))).includes('Pot Falls')).toBe(true);

    const next = await app.call('makePlan', { body: { kind: 'write', selection: { kind: 'batch', batchId } } });
    expect(next.counts).toMatchObject({ unchanged: 3, runnable: 0 });
    await app.ended(await app.call('undoPlan', { params: { id: plan.id } }));
    const after = await Promise.all(['one.wav', 'two.wav', 'three.wav'].map((name) => readFile(on(name))));
    expect(after.map((bytes, index) => bytes.equals(before[index] as Buffer))).toEqual([true, true, true]);
    expect((await app.call('listBatchRows', { params: { id: batchId } })).rows.map((row) => row.state)).toEqual([
      'behind',
      'behind',
      'behind',
    ]);
  });

  it('keeps owner, mode and access time of a file', async () => {
    const batchId = await describedBatch();
    await chmod(on('one.wav'), 0o640);
    const before = await stat(on('one.wav'));
    await app.planAndRun('write', batchId);
    const after = await stat(on('one.wav'));
    expect([after.mode, after.uid, after.gid]).toEqual([before.mode, before.uid, before.gid]);
  });

  it('does not write a file that changed, vanished or is read-only, says so on its row, and goes on', async () => {
    const batchId = await describedBatch();
    const plan = await app.call('makePlan', { body: { kind: 'write', selection: { kind: 'batch', batchId } } });
    await chmod(on('one.wav'), 0o444);
    const changed = Buffer.concat([await readFile(on('two.wav')), Buffer.from('JUNK\x02\0\0\0ab')]);
    await writeFile(on('two.wav'), changed);
    await unlink(on('three.wav'));
    const readOnly = await readFile(on('one.wav'));
    const job = await app.ended(await app.call('runPlan', { params: { id: plan.id }, body: {} }));
    expect(job).toMatchObject({ state: 'done', done: 0, failed: 3 });
    const { items } = await app.call('listPlanItems', { params: { id: plan.id } });
    const problems = Object.fromEntries(items.map((item) => [String(item.before['name']), item.problems.at(-1)?.code]));
    expect(problems).toEqual({ 'one.wav': 'FILE_READ_ONLY', 'two.wav': 'FILE_CHANGED', 'three.wav': 'FILE_VANISHED' });
    expect((await readFile(on('one.wav'))).equals(readOnly)).toBe(true);
    expect((await readFile(on('two.wav'))).equals(changed)).toBe(true);
    expect(await names()).toEqual(['one.wav', 'two.wav']);
  });

  it('does not write a record that was edited after the plan was made', async () => {
    const batchId = await describedBatch();
    const plan = await app.call('makePlan', { body: { kind: 'write', selection: { kind: 'batch', batchId } } });
    await app.call('editRecords', {
      body: { selection: { kind: 'batch', batchId }, edit: { set: { notes: 'later' } } },
    });
    const job = await app.ended(await app.call('runPlan', { params: { id: plan.id }, body: {} }));
    expect(job).toMatchObject({ done: 0, failed: 3 });
  });

  it('is settled at the next start when it was cut short before or after the file changed, and leftovers go', async () => {
    const batchId = await describedBatch();
    const plan = await app.call('makePlan', { body: { kind: 'write', selection: { kind: 'batch', batchId } } });
    const { items } = await app.call('listPlanItems', { params: { id: plan.id } });
    const [first] = items;
    await app.ended(await app.call('runPlan', { params: { id: plan.id }, body: { onlyItemId: first?.id } }));
    // As if the process had died between putting the new file in place and noting it: the row still describes the old file.
    await app.context.db
      .update(copies)
      .set({ sizeBytes: 1, mtimeMs: 1 })
      .where(eq(copies.id, first?.copyId ?? 0));
    for (const item of items.slice(0, 2))
      await app.context.db.update(journal).set({ state: 'started' }).where(eq(journal.id, item.id));
    // The number of a process that there cannot be.
    await writeFile(on(`.flagstone-write-${os.hostname()}.99999999.1.part`), 'half a file');
    await app.restart();
    expect((await app.call('getPlan', { params: { id: plan.id } })).counts).toMatchObject({ done: 1, runnable: 2 });
    expect(await names()).toEqual(['one.wav', 'three.wav', 'two.wav']);
    const states = (await app.call('listBatchRows', { params: { id: batchId } })).rows.map((row) => row.state);
    expect(states.filter((state) => state === 'inStep')).toHaveLength(1);
  });

  it('keeps everything through a restart', async () => {
    const batchId = await describedBatch();
    await app.measured();
    const { rows, total } = await app.call('listBatchRows', { params: { id: batchId } });
    await app.restart();
    expect(await app.call('listBatchRows', { params: { id: batchId } })).toMatchObject({ rows, total });
  });
});

afterEach(async () => {
  // No temporary file is ever left.
  for (const name of await names()) expect(name).not.toMatch(/^\.flagstone/);
});

describe('a drive that is not mounted', () => {
  it('turns its copies Away, loses nothing, and comes back', async () => {
    const batchId = await describedBatch();
    const away = `${app.drive}-away`;
    await rename(app.drive, away);
    try {
      expect((await app.call('listBatchRows', { params: { id: batchId } })).rows.map((row) => row.state)).toEqual([
        'away',
        'away',
        'away',
      ]);
      const plan = await app.call('makePlan', { body: { kind: 'write', selection: { kind: 'batch', batchId } } });
      expect(plan.counts).toMatchObject({ blocked: 3, runnable: 0 });
    } finally {
      await rename(away, app.drive);
    }
    expect((await app.call('listBatchRows', { params: { id: batchId } })).rows.map((row) => row.state)).toEqual([
      'behind',
      'behind',
      'behind',
    ]);
  });
});
