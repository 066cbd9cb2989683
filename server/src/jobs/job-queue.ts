import { AppError } from '@flagstone/core/errors';
import type { Job, JobKind } from '@flagstone/contract/jobs';
import { desc, eq, inArray, sql } from 'drizzle-orm';
import PgBoss from 'pg-boss';
import type { Logger } from 'pino';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import type { Database } from '../db/connect.ts';
import { jobs } from '../db/schema.ts';
import type { LiveEvents } from '../services/live-events.ts';

type JobRow = typeof jobs.$inferSelect;

/** What a job's work gets: its row, and how to tell of progress. */
export interface JobRun {
  job: JobRow;
  /** Adds to the counts; told to everybody a few times a second. Throws JobCancelled when somebody asked to stop. */
  advance: (step: { done?: number; failed?: number }) => Promise<void>;
  setTotal: (total: number) => Promise<void>;
  /** Counts by name, kept with the job. */
  setResult: (result: Record<string, number>) => void;
}

export type JobWork = (app: AppContext, run: JobRun) => Promise<void>;

/** Thrown inside a job to end it when a person cancelled; what was done stays done. */
export class JobCancelled extends Error {}

const QUEUE = 'flagstone';
const PROGRESS_EVERY_MS = 250;
/** The longest that pg-boss allows; our own states decide, not this. */
const EXPIRE_HOURS = 23;

/**
 * Long work, queued in PostgreSQL by pg-boss. The table `jobs` holds what people see. States: waiting -> running -> done, failed or
 * cancelled; a job found running at start was cut short and waits again, and its work is written so that repeating it is harmless.
 */
export class JobQueue {
  private readonly boss: PgBoss;
  private readonly db: Database;
  private readonly live: LiveEvents;
  private readonly log: Logger;
  private workerId = '';

  constructor(connectionString: string, db: Database, live: LiveEvents, log: Logger) {
    this.boss = new PgBoss({ connectionString, max: 3 });
    this.boss.on('error', (error) => log.error({ error }, 'the job queue met an error'));
    this.db = db;
    this.live = live;
    this.log = log;
  }

  /** Starts taking jobs, those that were cut short first. */
  async start(app: AppContext, work: Record<JobKind, JobWork>): Promise<void> {
    await this.boss.start();
    await this.boss.createQueue(QUEUE);
    await this.db.update(jobs).set({ state: 'waiting', done: 0, failed: 0 }).where(eq(jobs.state, 'running'));
    const waiting = await this.db
      .select({ id: jobs.id })
      .from(jobs)
      .where(eq(jobs.state, 'waiting'))
      .orderBy(jobs.createdAt);
    for (const { id } of waiting) await this.send(id);
    const options = { pollingIntervalSeconds: 0.5, batchSize: 1 };
    this.workerId = await this.boss.work<{ jobId: string }>(QUEUE, options, async ([message]) => {
      if (message) await this.perform(app, work, message.data.jobId);
    });
  }

  async stop(): Promise<void> {
    await this.boss.stop({ graceful: true, wait: true, timeout: 20_000 });
  }

  private async send(jobId: string): Promise<void> {
    await this.boss.send(QUEUE, { jobId }, { retryLimit: 0, expireInHours: EXPIRE_HOURS });
    if (this.workerId !== '') this.boss.notifyWorker(this.workerId);
  }

  /** Puts a job in the queue. */
  async add(kind: JobKind, title: string, payload: Record<string, unknown>, personId: number): Promise<Job> {
    const [row] = await this.db.insert(jobs).values({ kind, title, payload, personId }).returning();
    if (!row) throw new AppError('INTERNAL', 'The job could not be recorded.');
    await this.send(row.id);
    return this.tell(row);
  }

  /** Performs a job in this process, at once and outside the queue; returns how it ended. */
  async runHere(
    app: AppContext,
    kind: JobKind,
    work: JobWork,
    payload: Record<string, unknown>,
    title: string,
    personId: number,
  ): Promise<Job> {
    const [row] = await this.db.insert(jobs).values({ kind, title, payload, personId }).returning();
    if (!row) throw new AppError('INTERNAL', 'The job could not be recorded.');
    await this.perform(app, work, row.id);
    const [ended] = await this.db.select().from(jobs).where(eq(jobs.id, row.id));
    return toJob(ended ?? row);
  }

  /** Asks a job to stop after the item it is at. */
  async cancel(id: string): Promise<Job> {
    const [row] = await this.db
      .update(jobs)
      .set({
        cancelRequested: true,
        state: sql`case when ${jobs.state} = 'waiting' then 'cancelled' else ${jobs.state} end`,
      })
      .where(eq(jobs.id, id))
      .returning();
    if (!row) throw new AppError('NOT_FOUND', 'There is no such job.');
    return this.tell(row);
  }

  /** The newest jobs, those under way first. */
  async list(limit = 30): Promise<Job[]> {
    const rows = await this.db
      .select()
      .from(jobs)
      .orderBy(sql`${inArray(jobs.state, ['running', 'waiting'])} desc`, desc(jobs.createdAt))
      .limit(limit);
    return rows.map(toJob);
  }

  private async tell(row: JobRow): Promise<Job> {
    const job = toJob(row);
    await this.live.publish(this.db, { type: 'job', job });
    return job;
  }

  private async perform(app: AppContext, work: JobWork | Record<JobKind, JobWork>, jobId: string): Promise<void> {
    const [job] = await this.db
      .update(jobs)
      .set({ state: 'running' })
      .where(sql`${jobs.id} = ${jobId} and ${jobs.state} = 'waiting'`)
      .returning();
    if (!job) return;
    await this.tell(job);
    const progress = { done: 0, failed: 0, result: {} as Record<string, number> };
    let toldAt = 0;
    const save = async (changes: Partial<JobRow> = {}): Promise<JobRow> => {
      const [row] = await this.db
        .update(jobs)
        .set({ ...progress, ...changes })
        .where(eq(jobs.id, jobId))
        .returning();
      if (!row) throw new AppError('INTERNAL', 'The job was removed while it ran.');
      await this.tell(row);
      return row;
    };
    const run: JobRun = {
      job,
      setTotal: async (total) => void (await save({ total })),
      setResult: (result) => void (progress.result = result),
      advance: async ({ done = 0, failed = 0 }) => {
        progress.done += done;
        progress.failed += failed;
        if (performance.now() - toldAt < PROGRESS_EVERY_MS) return;
        toldAt = performance.now();
        if ((await save()).cancelRequested) throw new JobCancelled();
      },
    };
    const finishedAt = (): Date => new Date();
    try {
      await (typeof work === 'function' ? work : work[job.kind as JobKind])(app, run);
      await save({ state: 'done', finishedAt: finishedAt() });
    } catch (error) {
      if (error instanceof JobCancelled) {
        await save({ state: 'cancelled', finishedAt: finishedAt() });
        return;
      }
      this.log.error({ err: error, jobId, kind: job.kind }, 'a job failed');
      const known =
        error instanceof AppError
          ? error
          : new AppError('INTERNAL', 'The job met an unexpected fault.', { cause: error });
      await save({
        state: 'failed',
        finishedAt: finishedAt(),
        error: { code: known.code, message: known.message, remedy: known.remedy },
      });
    }
  }
}

const payloadSchema = z.object({ batchId: z.number().nullish(), planId: z.number().nullish() });

function toJob(row: JobRow): Job {
  const { batchId, planId } = payloadSchema.parse(row.payload);
  return {
    id: row.id,
    kind: row.kind as JobKind,
    title: row.title,
    state: row.state as Job['state'],
    total: row.total,
    done: row.done,
    failed: row.failed,
    batchId: batchId ?? null,
    planId: planId ?? null,
    result: row.result,
    error: row.error,
    createdAt: row.createdAt.toISOString(),
    finishedAt: row.finishedAt?.toISOString() ?? null,
  };
}
