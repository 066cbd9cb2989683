import { spawn } from 'node:child_process';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { AppError } from '@flagstone/core/errors';
import type { Job } from '@flagstone/contract/jobs';
import { JobQueueDatabase } from '@flagstone/server/db/job-queue-database';
import { jobs } from '@flagstone/server/db/schema';
import { JobQueue, type JobRun } from '@flagstone/server/jobs/job-queue';
import { eq } from 'drizzle-orm';
import { openContext } from '@flagstone/server/application';
import { openBatch } from '@flagstone/server/intake/batches';
import { programPath } from '@flagstone/server/workers/programs';
import { TestApplication, toneBytes } from './test-application.ts';

let app: TestApplication;
beforeAll(async () => {
  app = await TestApplication.open();
});
afterAll(() => app.close());

const newJob = (title: string, lanes: string[] = [title]) => ({
  kind: 'index' as const,
  title,
  payload: {},
  lanes,
  collectionIds: [],
});
/** A piece of work that says when it began and goes on when told. */
function held() {
  let release = (): void => undefined;
  let began = (): void => undefined;
  const running = new Promise<void>((resolve) => (began = resolve));
  const gate = new Promise<void>((resolve) => (release = resolve));
  return { running, release: () => release(), work: async () => (began(), gate) };
}
const rowOf = async (id: string) => (await app.context.db.select().from(jobs).where(eq(jobs.id, id)))[0];
const insert = async (values: Partial<typeof jobs.$inferInsert>): Promise<string> => {
  const [row] = await app.context.db
    .insert(jobs)
    .values({ kind: 'index', title: 'made', payload: {}, personId: 1, ...values })
    .returning();
  return row?.id ?? '';
};

describe('a job', () => {
  it('counts what went wrong by kind, with examples', async () => {
    const work = async (run: JobRun): Promise<void> => {
      for (let item = 0; item < 5; item += 1) {
        run.note(new AppError('FILE_VANISHED', 'gone'), `file ${item}`);
        await run.advance({ failed: 1 });
      }
      run.note(new AppError('DISK_FULL', 'full'), 'last');
      await run.advance({ failed: 1 });
    };
    const job = await app.context.jobs.runHere(work, newJob('failing'), 1);
    expect(job.failed).toBe(6);
    expect(job.failures).toMatchObject([
      { code: 'FILE_VANISHED', count: 5, examples: ['file 0: gone', 'file 1: gone', 'file 2: gone'] },
      { code: 'DISK_FULL', count: 1, remedy: expect.stringContaining('space') },
    ]);
  });

  it('pauses after the item it is at, keeps its counts, and goes on', async () => {
    let asked: Job | undefined;
    let items = 0;
    const work = async (run: JobRun): Promise<void> => {
      for (; items < 1000; items += 1) {
        asked ??= await app.call('pauseJob', { params: { id: run.job.id } });
        await run.advance({ done: 1 });
        // Progress is told, and asked for, four times a second.
        await new Promise((resolve) => setTimeout(resolve, 30));
      }
    };
    const job = await app.context.jobs.runHere(work, newJob('pausing'), 1);
    expect(asked).toMatchObject({ state: 'running', asked: 'pause' });
    expect(job).toMatchObject({ state: 'paused', asked: null, finishedAt: null });
    expect(job.done).toBeGreaterThan(0);
    expect(items).toBeLessThan(1000);
    expect((await app.call('cancelJob', { params: { id: job.id } })).state).toBe('cancelled');
    expect((await app.send('pauseJob', { params: { id: job.id } })).status).toBe(409);
  });

  it('waits for the one that shares a lane with it, and for no other', async () => {
    const first = held();
    const one = app.context.jobs.runHere(first.work, newJob('one', ['drive a', 'drive b']), 1);
    await first.running;
    const other = await app.context.jobs.runHere(async () => undefined, newJob('other', ['drive c']), 1);
    expect(other.state).toBe('done');
    const same = await app.context.jobs.runHere(async () => undefined, newJob('same', ['drive b']), 1);
    expect(same.state).toBe('waiting');
    await app.context.jobs.ask(same.id, 'cancel');
    first.release();
    expect((await one).state).toBe('done');
  });

  it('is taken up by another process when its own died or was not heard of', async () => {
    // A process that has ended: nobody has its number any more.
    const child = spawn(process.execPath, ['-e', '']);
    await new Promise((resolve) => child.once('exit', resolve));
    const now = new Date();
    const died = await insert({ state: 'running', worker: `${os.hostname()}:${child.pid}`, heartbeatAt: now });
    const silent = await insert({
      state: 'running',
      worker: 'another-machine:1',
      heartbeatAt: new Date(now.getTime() - 60_000),
    });
    const lively = await insert({ state: 'running', worker: 'another-machine:1', heartbeatAt: now });
    const queue = new JobQueue('', app.context.db, app.context.live, app.context.log);
    const taken = await queue.takeUpDead();
    const ids = taken.map((job) => job.id);
    expect(ids).toEqual(expect.arrayContaining([died, silent]));
    expect(ids).not.toContain(lively);
    expect((await rowOf(died))?.state).toBe('waiting');
    expect((await rowOf(lively))?.state).toBe('running');
    for (const id of [died, silent]) await app.context.jobs.ask(id, 'cancel');
    await app.context.db.update(jobs).set({ state: 'done' }).where(eq(jobs.id, lively));
  });

  it('stops changing its row once another process has it', async () => {
    const work = async (run: JobRun): Promise<void> => {
      await app.context.db.update(jobs).set({ worker: 'another-machine:7' }).where(eq(jobs.id, run.job.id));
      await run.setTotal(5);
    };
    const job = await app.context.jobs.runHere(work, newJob('taken'), 1);
    expect(job).toMatchObject({ state: 'running', total: null, error: null });
    await app.context.db.update(jobs).set({ state: 'done' }).where(eq(jobs.id, job.id));
  });
});

describe('a second process', () => {
  it('takes the jobs of drives that the first does not see', async () => {
    const drive = await mkdtemp(path.join(os.tmpdir(), 'flagstone-elsewhere-'));
    await writeFile(path.join(drive, 'tone.wav'), toneBytes(4242));
    const elsewhere = await openContext(app.databaseAddress, [drive], app.context.log);
    const { job: newJob } = await openBatch(elsewhere.context, drive, undefined, 1, 'all');
    await elsewhere.close();

    const project = fileURLToPath(new URL('../..', import.meta.url));
    const args = [programPath('main'), 'worker', '--database', app.databaseAddress, '--root', drive];
    const worker = spawn(process.execPath, args, {
      cwd: project,
      env: { ...process.env, NODE_OPTIONS: '', FLAGSTONE_CWD: project },
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    try {
      await new Promise((resolve, reject) => {
        worker.stdout.once('data', resolve);
        worker.once('exit', (code) => reject(new Error(`the worker ended with ${code}`)));
      });
      const job = await app.ended(await app.context.jobs.add(newJob, 1));
      expect(job).toMatchObject({ state: 'done', done: 1, result: { new: 1 } });
      expect((await rowOf(job.id))?.worker).toMatch(`${os.hostname()}:${worker.pid} `);
    } finally {
      worker.removeAllListeners('exit');
      const ended = new Promise((resolve) => worker.once('exit', resolve));
      worker.kill('SIGTERM');
      await ended;
      await rm(drive, { recursive: true, force: true });
    }
  });
});

it('is left at the item it is at when its process is told to end, and goes on with the next one', async () => {
  for (let number = 0; number < 600; number += 1) await app.put(`left/take ${number}.wav`, { seed: 9000 + number });
  const { job } = await app.call('startIntake', { body: { path: `${app.drive}/left` } });
  await app.restart();
  expect(await app.ended(job)).toMatchObject({ state: 'done', done: 600, failed: 0 });
});

describe('the connections of the job queue', () => {
  it('answer everything that was asked before they end', async () => {
    const errors: Error[] = [];
    const database = new JobQueueDatabase(app.databaseAddress, 'flagstone test', (error) => errors.push(error));
    // More than it has connections: the last of them are still waiting for one when it is closed.
    const asked = Array.from({ length: 12 }, (_, nth) => database.executeSql('select $1::int, pg_sleep(0.02)', [nth]));
    await database.close();
    expect((await Promise.all(asked)).map(({ rows }) => rows.length)).toEqual(Array(12).fill(1));
    await expect(database.executeSql('select 1', [])).rejects.toThrow('closed');
    expect(errors).toEqual([]);
  });
});
