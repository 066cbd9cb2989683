import { rename } from 'node:fs/promises';
import path from 'node:path';
import { afterEach, describe, expect, it } from '@jest/globals';
import { indexJob } from '@flagstone/server/intake/index-job';
import { JobStopped, type JobRun } from '@flagstone/server/jobs/job-queue';
import { openBatch } from '@flagstone/server/intake/batches';
import { sql } from 'drizzle-orm';
import { TestApplication } from './test-application.ts';

/** More than two chunks of new files, and as many that were moved since they were read. */
const MOVED = 240;
const NEW = 300;
let app: TestApplication;
afterEach(() => app.close());

/** A drive of which a folder was read and renamed since, with new files beside it and a rule for them. */
async function prepare(): Promise<void> {
  app = await TestApplication.open();
  for (let number = 0; number < MOVED; number += 1) await app.put(`yard/old/gate ${number}.wav`, { seed: number });
  await app.intake('yard');
  await rename(path.join(app.drive, 'yard/old'), path.join(app.drive, 'yard/kept'));
  for (let number = 0; number < NEW; number += 1)
    await app.put(`yard/new ${number % 3}/loom ${number}.wav`, { seed: 1000 + number });
  await app.call('addPathRule', { body: { pattern: 'yard/new */**', sets: { library: 'Canal Company' } } });
}

/** Reads the yard, cut short after so many steps and then resumed; what the database says at the end. */
async function readCutShort(afterSteps: number) {
  const { context } = app;
  const { batchId, job: newJob } = await openBatch(context, path.join(app.drive, 'yard'), undefined, 1, 'all');
  let steps = 0;
  const work = (run: JobRun): Promise<void> =>
    indexJob(context, {
      ...run,
      advance: async (step) => {
        await run.advance(step);
        steps += 1;
        if (steps === afterSteps) throw new JobStopped('pause');
      },
    });
  let job = await context.jobs.runHere(work, newJob, 1);
  expect(job.state).toBe(afterSteps > 100 ? 'done' : 'paused');
  if (job.state === 'paused') job = await app.ended(await app.call('resumeJob', { params: { id: job.id } }));
  const { rows: found } = await context.db.execute(
    sql`select found, count(*)::int as count from batch_items where batch_id = ${batchId} group by found order by found`,
  );
  const { rows: records } = await context.db.execute(
    sql`select library, count(*)::int as count from records group by library order by library`,
  );
  const { rows: copies } = await context.db.execute(sql`select gone, count(*)::int as count from copies group by gone`);
  return { state: job.state, done: job.done, total: job.total, result: job.result, found, records, copies };
}

describe('a reading that is cut short and resumed', () => {
  it('ends as if it had never stopped, wherever that was', async () => {
    await prepare();
    const whole = await readCutShort(Infinity);
    expect(whole).toMatchObject({
      done: MOVED + NEW,
      result: { new: NEW, moved: MOVED, gone: 0, same: 0 },
      records: [
        { library: '', count: MOVED },
        { library: 'Canal Company', count: NEW },
      ],
      copies: [{ gone: false, count: MOVED + NEW }],
    });
    for (const step of [1, 2]) {
      await app.close();
      await prepare();
      expect(await readCutShort(step)).toEqual(whole);
    }
  }, 120_000);
});
