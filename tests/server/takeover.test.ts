import { mkdir, open, readdir, readFile, rename, rm, stat, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { memorySource, windowedSource } from '@flagstone/core/formats/byte-source';
import { patchesOf } from '@flagstone/core/formats/write-plan';
import { readAudio } from '@flagstone/server/disk/read-audio';
import { encodeJournal } from '@flagstone/server/disk/patch-journal';
import { fenceOf, JobTaken } from '@flagstone/server/jobs/fence';
import type { JobRun } from '@flagstone/server/jobs/job-queue';
import { runPlanJob } from '@flagstone/server/plans/plan-jobs';
import { beginItem } from '@flagstone/server/plans/journal-items';
import { copies, jobs, journal, plans, records } from '@flagstone/server/db/schema';
import { eq, sql } from 'drizzle-orm';
import { TestApplication, toneBytes } from './test-application.ts';

let app: TestApplication;
let batchId = 0;
beforeEach(async () => {
  app = await TestApplication.open();
  for (const [seed, name] of ['gate', 'loom', 'door', 'wheel'].entries())
    await app.put(`mill/${name}.wav`, { seed, tags: { info: { INAM: `before ${name}`, ICMT: 'x'.repeat(200) } } });
  batchId = (await app.intake('mill')).batchId;
  await app.measured();
});
afterEach(() => app.close());

const rowsOf = async () => (await app.call('listBatchRows', { params: { id: batchId } })).rows;
const full = (name: string): string => path.join(app.drive, 'mill', name);

async function planOf(kind: 'rename' | 'write', copyId: number) {
  const plan = await app.call('makePlan', { body: { kind, selection: { kind: 'copies', copyIds: [copyId] } } });
  const { items } = await app.call('listPlanItems', { params: { id: plan.id }, query: { after: 0 } });
  return { planId: plan.id, itemId: items[0]?.id ?? 0 };
}

/** A job that some process began, on a machine of which nobody here knows, and was not heard of since. */
async function jobElsewhere(planId: number, driveId: string): Promise<string> {
  const [job] = await app.context.db
    .insert(jobs)
    .values({
      kind: 'write',
      title: 'Write 1 file',
      state: 'running',
      lanes: [driveId],
      collectionIds: [],
      payload: { planId },
      worker: 'elsewhere:1 job-0123456789ab-1-1-1',
      lease: 1,
      heartbeatAt: sql`now() - interval '2 minutes'`,
      personId: 1,
    })
    .returning();
  return job?.id ?? '';
}

describe('a write in place that a process elsewhere left half done', () => {
  it('is finished by whoever takes the job over, whatever host and number that process had', async () => {
    const [row] = await rowsOf();
    if (!row) throw new Error('there is a row');
    // Made larger first, so that there is room for a second write in place.
    await app.call('editRecords', {
      body: { selection: { kind: 'copies', copyIds: [row.copyId] }, edit: { set: { description: 'y'.repeat(120) } } },
    });
    const first = await planOf('write', row.copyId);
    await app.ended(await app.call('runPlan', { params: { id: first.planId }, body: {} }));
    await app.call('editRecords', {
      body: { selection: { kind: 'copies', copyIds: [row.copyId] }, edit: { set: { fxName: 'after gate' } } },
    });
    const { planId, itemId } = await planOf('write', row.copyId);
    const { db } = app.context;
    const [copy] = await db.select().from(copies).where(eq(copies.id, row.copyId));
    const [record] = await db.select().from(records).where(eq(records.soundId, row.soundId));
    if (!copy || !record) throw new Error('there is a copy');

    // What that process did before it was killed: the journal, and the first of its patches.
    const bytes = new Uint8Array(await readFile(full(row.name)));
    const source = memorySource(bytes);
    const { plan } = await planWrite(windowedSource(source), record);
    const { facts } = await readAudio(source);
    const patches = plan && (await patchesOf(plan, source, facts));
    if (!plan || !patches) throw new Error('it is written in place');
    const withOld = patches.map((patch) => ({
      ...patch,
      old: bytes.slice(patch.offset, patch.offset + patch.bytes.length),
    }));
    const name = `.flagstone-write-job-0123456789ab-1-1-1.${copy.inode}.journal`;
    const told = { name: row.name, inode: copy.inode, oldSizeBytes: bytes.length, newSizeBytes: plan.sizeBytes };
    await writeFile(full(name), encodeJournal({ ...told, patches: withOld }));
    const handle = await open(full(row.name), 'r+');
    const [torn] = patches;
    if (torn) await handle.write(torn.bytes.subarray(0, Math.ceil(torn.bytes.length / 2)), 0, undefined, torn.offset);
    await handle.close();
    await db.update(journal).set({ state: 'started' }).where(eq(journal.id, itemId));
    await db.update(plans).set({ state: 'running' }).where(eq(plans.id, planId));
    const jobId = await jobElsewhere(planId, row.driveId);

    await app.restart();
    const job = await app.ended(
      await app.call('listJobs').then((all) => all.filter(({ id }) => id === jobId)[0] as never),
    );
    expect(job.state).toBe('done');
    expect((await readdir(path.join(app.drive, 'mill'))).filter((each) => each.startsWith('.'))).toEqual([]);
    const { record: inFile } = await readAudio(memorySource(new Uint8Array(await readFile(full(row.name)))));
    expect(inFile.fxName).toBe('after gate');
    const [item] = await app.context.db.select().from(journal).where(eq(journal.id, itemId));
    expect(item?.state).toBe('done');
    expect((await rowsOf()).find(({ copyId }) => copyId === row.copyId)?.state).toBe('inStep');
  });
});

describe('a process whose job was taken over while it stood still', () => {
  it('touches nothing any more', async () => {
    const row = (await rowsOf())[1];
    const { planId, itemId } = await planOf('write', row?.copyId ?? 0);
    const id = await jobElsewhere(planId, row?.driveId ?? '');
    const { db } = app.context;
    const fence = fenceOf(db, { id, lease: 1 });
    await fence.check();
    await db.update(jobs).set({ lease: 2, worker: 'other:1 job-other' }).where(eq(jobs.id, id));
    await expect(fence.check()).rejects.toThrow(JobTaken);
    const [item] = await db.select().from(journal).where(eq(journal.id, itemId));
    if (!item) throw new Error('there is an item');
    await expect(beginItem(db, item, 'started', fence)).rejects.toThrow(JobTaken);
    const [after] = await db.select().from(journal).where(eq(journal.id, itemId));
    expect(after?.state).toBe(item.state);
    await db.update(jobs).set({ state: 'cancelled' }).where(eq(jobs.id, id));
  });
});

describe('renaming what stands there by then', () => {
  const renameAfter = async (name: string, swap: () => Promise<void>) => {
    const row = (await rowsOf()).find((each) => each.name === name);
    const edit = { set: { catId: 'DOORCreak', fxName: `Swapped ${name}`, creatorId: 'ORV', sourceId: 'MILL' } };
    await app.call('editRecords', { body: { selection: { kind: 'copies', copyIds: [row?.copyId] }, edit } });
    const { planId } = await planOf('rename', row?.copyId ?? 0);
    await swap();
    return app.ended(await app.call('runPlan', { params: { id: planId }, body: {} }));
  };

  it('leaves a file alone that was swapped since the plan', async () => {
    const job = await renameAfter('door.wav', async () => {
      await rm(full('door.wav'));
      await writeFile(full('door.wav'), toneBytes(55));
    });
    expect(job).toMatchObject({ failed: 1, failures: [{ code: 'FILE_CHANGED' }] });
    expect((await stat(full('door.wav'))).isFile()).toBe(true);
  });

  it('leaves a folder alone that took the name', async () => {
    const job = await renameAfter('wheel.wav', async () => {
      await rm(full('wheel.wav'));
      await mkdir(full('wheel.wav'));
    });
    expect(job).toMatchObject({ failed: 1, failures: [{ code: 'FILE_CHANGED' }] });
    expect((await stat(full('wheel.wav'))).isDirectory()).toBe(true);
  });
});

describe('a drive that goes while a job runs', () => {
  it('is waited for: no file fails, and the job goes on by itself when it is back', async () => {
    const other = await TestApplication.open();
    try {
      for (const name of ['one', 'two', 'three']) await other.put(`kiln/${name}.wav`, { seed: name.length * 7 });
      const { batchId: id } = await other.intake('kiln');
      await other.measured();
      const { rows } = await other.call('listBatchRows', { params: { id } });
      for (const { copyId, name } of rows)
        await other.call('editRecords', {
          body: {
            selection: { kind: 'copies', copyIds: [copyId] },
            edit: {
              set: { catId: 'DOORCreak', fxName: `Kiln ${name.slice(0, 3)}`, creatorId: 'ORV', sourceId: 'MILL' },
            },
          },
        });
      const plan = await other.call('makePlan', {
        body: { kind: 'rename', selection: { kind: 'batch', batchId: id } },
      });
      const { context } = other;
      const away = `${other.drive}-unplugged`;
      let steps = 0;
      const work = (run: JobRun): Promise<void> =>
        runPlanJob(context, {
          ...run,
          advance: async (step) => {
            await run.advance(step);
            steps += 1;
            if (steps === 1) await rename(other.drive, away);
          },
        });
      const lanes = [rows[0]?.driveId ?? ''];
      const newJob = {
        kind: 'rename' as const,
        title: 'Rename 3 files',
        payload: { planId: plan.id },
        lanes,
        collectionIds: [],
      };
      const cut = await context.jobs.runHere(work, newJob, 1);
      expect(cut).toMatchObject({ state: 'waiting', failed: 0, awaitsDrive: rows[0]?.driveName });
      expect((await other.call('getPlan', { params: { id: plan.id } })).counts).toMatchObject({ done: 1, failed: 0 });
      await rename(away, other.drive);
      await context.jobs.offerAwaiting();
      expect(await other.ended(cut)).toMatchObject({ state: 'done', failed: 0 });
      expect((await other.call('getPlan', { params: { id: plan.id } })).counts).toMatchObject({ done: 3, failed: 0 });
    } finally {
      await other.close();
    }
  });
});
