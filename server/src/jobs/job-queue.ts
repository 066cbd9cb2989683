import os from 'node:os';
import { AppError, ERROR_REMEDIES, type ErrorCode } from '@flagstone/core/errors';
import type { Job, JobKind } from '@flagstone/contract/jobs';
import { and, desc, eq, inArray, sql, type SQL } from 'drizzle-orm';
import PgBoss from 'pg-boss';
import type { Logger } from 'pino';
import { z } from 'zod';
import { JobQueueDatabase } from '../db/job-queue-database.ts';
import { JOB_QUEUES } from '../db/job-queue-tables.ts';
import type { Database, Queryable } from '../db/connect.ts';
import { isDatabaseGone } from '../db/database-errors.ts';
import { jobs, type JobFailures } from '../db/schema.ts';
import type { Sight } from '../rights/rights.ts';
import { jobIsSeen } from '../rights/seen.ts';
import { processToken, readProcessToken, writeAsJobs } from '../process-identity.ts';
import { fenceOf, JobTaken, type Fence } from './fence.ts';

type JobRow = typeof jobs.$inferSelect;
/** Times are the database's, the only clock that all processes share. */
type JobChanges = Partial<Omit<JobRow, 'finishedAt' | 'payload'>> & { finishedAt?: SQL | null; payload?: SQL };

/** What a job's work gets: its row, and how to tell of progress. */
export interface JobRun {
  job: JobRow;
  /** Says whether the job is still this process's; to be asked before a file is touched. */
  fence: Fence;
  /** Adds to the counts; told to everybody a few times a second. Throws JobStopped when somebody asked to stop or to pause. */
  advance: (step: { done?: number; failed?: number }) => Promise<void>;
  /** Notes why an item failed, for the log of errors; its count goes through `advance`. */
  note: (failure: AppError, what: string) => void;
  setTotal: (total: number) => Promise<void>;
  /** Saves a checkpoint in the payload, for whoever resumes the job. */
  remember: (more: Record<string, unknown>) => Promise<void>;
  /** Counts by name, kept with the job. */
  setResult: (result: Record<string, number>) => void;
}

export type JobWork = (run: JobRun) => Promise<void>;

/** Tells everybody how a job stands. */
export interface JobAnnouncer {
  publish: (db: Queryable, event: { type: 'job'; job: Job }) => Promise<void>;
}

/** A job to be queued. */
export interface NewJob {
  kind: JobKind;
  title: string;
  payload: Record<string, unknown>;
  /** What no two running jobs share, see the table. */
  lanes: readonly string[];
  /** Whose files it works on; empty for what only administrators and whoever asks for it are to see. */
  collectionIds: readonly number[];
}

/** Thrown inside a job to end it when a person asked so; what was done stays done. */
export class JobStopped extends Error {
  /** `leave`: this process ends, and whoever comes next goes on. */
  readonly asked: 'cancel' | 'pause' | 'leave';

  constructor(asked: 'cancel' | 'pause' | 'leave') {
    super(`asked to ${asked}`);
    this.asked = asked;
  }
}

/** Thrown inside a job whose drive went away: it waits for it, and goes on when it is back. */
export class JobAwaitsDrive extends Error {
  readonly driveName: string;

  constructor(driveName: string) {
    super(`the drive “${driveName}” went away`);
    this.driveName = driveName;
  }
}

const PROGRESS_EVERY_MS = 250;
/** Heartbeat of a running job, ten seconds; its lease is forty: then another process takes it up. */
const HEARTBEAT_MS = 10_000;
const DEAD_AFTER_SECONDS = 40;
export const SILENT_SINCE = sql.raw(`now() - interval '${DEAD_AFTER_SECONDS} seconds'`);
/** A job whose lane is taken by another process is offered again after this. */
const LANE_RETRY_SECONDS = 2;
/** For so long a job is left to processes that see its drives; then whoever has it runs it, and says what is missing. */
const UNSEEN_FOR_MS = 60_000;
/** How the connections of processes that take jobs are called. */
const TAKER = 'flagstone jobs';
/** The longest that pg-boss allows; our own states decide, not this. */
const EXPIRE_HOURS = 23;
/** Jobs under way stop at their next item; one whose item takes longer is settled at the next start. */
const STOP_WITHIN_MS = 5000;
const FAILURE_EXAMPLES = 3;
const EXAMPLE_CHARACTERS = 240;

/** A job that was cut short waits to be done again. */
const AGAIN = { state: 'waiting', done: 0, failed: 0, failures: {}, worker: null } as const;

writeAsJobs();
const thisWorker = `${os.hostname()}:${process.pid} ${processToken()}`;

/**
 * Long work, shared by all processes on one database. pg-boss brings a job to some process; the table `jobs` holds what people see and who
 * works on it. States: waiting -> running -> done, failed, cancelled or paused; paused -> waiting. A process claims a job only when no running job
 * shares a lane with it. One that dies is found by its missing heartbeat, and its job waits again: work is idempotent.
 */
export class JobQueue {
  private readonly boss: PgBoss;
  private readonly queueDb: JobQueueDatabase;
  private readonly db: Database;
  private readonly live: JobAnnouncer;
  private readonly log: Logger;
  private readonly workerIds = new Map<string, string[]>();
  private heartbeat: NodeJS.Timeout | undefined;
  private readonly running = new Set<string>();
  private isStopping = false;
  private sees: (lanes: readonly string[]) => Promise<boolean> = () => Promise.resolve(true);

  constructor(connectionString: string, db: Database, live: JobAnnouncer, log: Logger) {
    const onError = (error: Error): void => log.error({ why: error.message }, 'the job queue met an error');
    const name = `${TAKER} ${os.hostname()}:${process.pid}`.slice(0, 63);
    this.queueDb = new JobQueueDatabase(connectionString, name, onError);
    // Its tables are made beforehand, by the owner; nothing is done by the clock.
    this.boss = new PgBoss({ db: this.queueDb, migrate: false, schedule: false });
    this.boss.on('error', onError);
    this.db = db;
    this.live = live;
    this.log = log;
  }

  /** Starts taking jobs, those that were cut short first. `sees` says whether this process sees the drives of a job. */
  async start(work: Record<JobKind, JobWork>, sees: (lanes: readonly string[]) => Promise<boolean>): Promise<void> {
    this.sees = sees;
    await this.boss.start();
    await this.takeUpDead();
    const waiting = await this.db.select().from(jobs).where(eq(jobs.state, 'waiting')).orderBy(jobs.createdAt);
    for (const job of waiting) if (!awaitsDrive(job)) await this.send(job);
    const options = { pollingIntervalSeconds: 0.5, batchSize: 1 };
    for (const [queue, workers] of Object.entries(JOB_QUEUES)) {
      const ids: string[] = [];
      for (let worker = 0; worker < workers; worker += 1) {
        const take = async ([message]: PgBoss.Job<{ jobId: string }>[]): Promise<void> => {
          if (message) await this.perform(work, message.data.jobId);
        };
        ids.push(await this.boss.work<{ jobId: string }>(queue, options, take));
      }
      this.workerIds.set(queue, ids);
    }
    this.heartbeat = setInterval(() => {
      this.beat().catch((error: unknown) => this.log.error({ err: error }, 'jobs could not say that they live'));
    }, HEARTBEAT_MS);
  }

  /** Whether this process takes jobs from the queue; a command beside a server does not. */
  get takesJobs(): boolean {
    return this.workerIds.size > 0;
  }

  async stop(): Promise<void> {
    clearInterval(this.heartbeat);
    this.isStopping = true;
    await this.boss.stop({ graceful: true, wait: true, timeout: STOP_WITHIN_MS });
    await this.queueDb.close();
  }

  private async send(job: Pick<JobRow, 'id' | 'kind'>, afterSeconds = 0): Promise<void> {
    const queue = job.kind === 'measure' || job.kind === 'prove' ? job.kind : 'files';
    const options = { retryLimit: 0, expireInHours: EXPIRE_HOURS, startAfter: afterSeconds };
    await this.boss.send(queue, { jobId: job.id }, options);
    if (afterSeconds > 0) return;
    for (const workerId of this.workerIds.get(queue) ?? []) this.boss.notifyWorker(workerId);
  }

  private async beat(): Promise<void> {
    if (this.running.size > 0)
      await this.db
        .update(jobs)
        .set({ heartbeatAt: sql`now()` })
        .where(and(inArray(jobs.id, [...this.running]), eq(jobs.worker, thisWorker)));
    for (const job of await this.takeUpDead()) await this.send(job);
    if (this.takesJobs && this.running.size === 0) await this.sendUnheard();
    await this.offerAwaiting();
  }

  /** Takes up the jobs that wait for a drive to come back, as far as this process sees it. */
  async offerAwaiting(): Promise<void> {
    if (!this.takesJobs) return;
    const awaiting = and(eq(jobs.state, 'waiting'), sql`${jobs.payload} ? 'awaitsDrive'`);
    for (const job of await this.db.select().from(jobs).where(awaiting).orderBy(jobs.createdAt))
      if (await this.sees(job.lanes)) await this.send(job);
  }

  /** Brings waiting jobs once more to a process that has nothing to do: the one that was to take them may have died before it could. */
  private async sendUnheard(): Promise<void> {
    const unheard = and(eq(jobs.state, 'waiting'), sql`${jobs.createdAt} < ${SILENT_SINCE}`);
    for (const job of await this.db.select().from(jobs).where(unheard).orderBy(jobs.createdAt))
      if (!awaitsDrive(job)) await this.send(job);
  }

  /** Lets jobs wait again whose process died: it was not heard of, or it ran on this machine and is no more. */
  async takeUpDead(): Promise<JobRow[]> {
    const rows = await this.db
      .select({
        id: jobs.id,
        worker: jobs.worker,
        isSilent: sql<boolean>`coalesce(${jobs.heartbeatAt} < ${SILENT_SINCE}, true)`,
      })
      .from(jobs)
      .where(eq(jobs.state, 'running'));
    const dead = rows.filter((job) => !this.running.has(job.id) && (job.isSilent || isDeadHere(job.worker)));
    const taken: JobRow[] = [];
    for (const { id, worker } of dead) {
      // Another process may take it up at the same moment: only one changes the row.
      const ofDead = and(
        eq(jobs.id, id),
        eq(jobs.state, 'running'),
        sql`${jobs.worker} is not distinct from ${worker}`,
      );
      taken.push(...(await this.db.update(jobs).set(AGAIN).where(ofDead).returning()));
    }
    return taken;
  }

  /** Puts a job in the queue. */
  async add(job: NewJob, personId: number): Promise<Job> {
    const row = await this.insert(job, personId);
    if (!awaitsDrive(row)) await this.send(row);
    return this.tell(row);
  }

  private async insert({ kind, title, payload, lanes, collectionIds }: NewJob, personId: number): Promise<JobRow> {
    const [row] = await this.db
      .insert(jobs)
      .values({ kind, title, payload, lanes: [...lanes], collectionIds: [...collectionIds], personId })
      .returning();
    if (!row) throw new AppError('INTERNAL', 'The job could not be recorded.');
    return row;
  }

  /** Performs a job in this process, at once and outside the queue; returns how it ended. */
  async runHere(work: JobWork, job: NewJob, personId: number): Promise<Job> {
    const row = await this.insert(job, personId);
    const heartbeat = setInterval(() => {
      this.beat().catch((error: unknown) => this.log.error({ err: error }, 'a job could not say that it lives'));
    }, HEARTBEAT_MS);
    try {
      await this.perform(work, row.id);
    } finally {
      clearInterval(heartbeat);
    }
    const [ended] = await this.db.select().from(jobs).where(eq(jobs.id, row.id));
    return toJob(ended ?? row);
  }

  /** Asks a job to stop after the item it is at, for good or until it is resumed. One that waits stops at once. */
  async ask(id: string, asked: 'cancel' | 'pause'): Promise<Job> {
    const ended = asked === 'cancel' ? 'cancelled' : 'paused';
    const [row] = await this.db
      .update(jobs)
      .set({
        asked: sql`case when ${jobs.state} = 'running' then ${asked} end`,
        state: sql`case when ${jobs.state} = 'waiting' or (${jobs.state} = 'paused' and ${asked} = 'cancel') then ${ended} else ${jobs.state} end`,
      })
      .where(and(eq(jobs.id, id), inArray(jobs.state, ['waiting', 'running', 'paused'])))
      .returning();
    if (!row) throw new AppError('CONFLICT', 'The job has ended already, or there is no such job.');
    return this.tell(row);
  }

  /** Lets a paused job go on, and one that ended try again what failed. Throws CONFLICT for jobs under way. */
  async resume(id: string): Promise<Job> {
    const [row] = await this.db
      .update(jobs)
      .set({
        state: 'waiting',
        asked: null,
        error: null,
        done: 0,
        failed: 0,
        failures: {},
        finishedAt: null,
        // One that ended begins anew; one that was paused goes on with what it remembers.
        payload: sql`case when ${jobs.state} = 'paused' then ${jobs.payload} else ${jobs.payload} - 'scan' end || '{"retry": true}'`,
      })
      .where(and(eq(jobs.id, id), inArray(jobs.state, ['paused', 'cancelled', 'failed', 'done'])))
      .returning();
    if (!row) throw new AppError('CONFLICT', 'The job is under way, or there is no such job.');
    await this.send(row);
    return this.tell(row);
  }

  /** One job; throws NOT_FOUND. */
  async get(id: string): Promise<Job> {
    const [row] = await this.db.select().from(jobs).where(eq(jobs.id, id));
    if (!row) throw new AppError('NOT_FOUND', 'There is no such job.');
    return toJob(row);
  }

  /** The newest jobs that somebody sees, those under way first. */
  async list(personId: number, sight: Sight, limit = 30): Promise<Job[]> {
    const rows = await this.db
      .select()
      .from(jobs)
      .where(jobIsSeen(sight, personId))
      .orderBy(sql`${inArray(jobs.state, ['running', 'waiting', 'paused'])} desc`, desc(jobs.createdAt))
      .limit(limit);
    return rows.map(toJob);
  }

  private async tell(row: JobRow): Promise<Job> {
    const job = toJob(row);
    await this.live.publish(this.db, { type: 'job', job });
    return job;
  }

  /** Marks a waiting job as running here; undefined when somebody else has it, it was cancelled, or a job that runs shares a lane. */
  private async claim(jobId: string): Promise<JobRow | undefined> {
    const claimed = await this.db.transaction(async (tx): Promise<JobRow | { laneTaken: JobRow } | undefined> => {
      // Claims are serialised, so that two processes cannot both find a lane free.
      await tx.execute(sql`select pg_advisory_xact_lock(hashtext('flagstone jobs'))`);
      const [waiting] = await tx
        .select()
        .from(jobs)
        .where(and(eq(jobs.id, jobId), eq(jobs.state, 'waiting')));
      if (!waiting) return undefined;
      const { rows } = await tx.execute(
        sql`select from jobs where state = 'running' and lanes && ${sql.param(waiting.lanes)}::text[] limit 1`,
      );
      if (rows.length > 0) return { laneTaken: waiting };
      const now = sql`now()`;
      const [job] = await tx
        .update(jobs)
        .set({
          state: 'running',
          worker: thisWorker,
          lease: sql`${jobs.lease} + 1`,
          heartbeatAt: now,
          startedAt: now,
          asked: null,
        })
        // Somebody may have called it off since it was looked at.
        .where(and(eq(jobs.id, jobId), eq(jobs.state, 'waiting')))
        .returning();
      return job;
    });
    if (claimed === undefined || !('laneTaken' in claimed)) return claimed;
    await this.send(claimed.laneTaken, LANE_RETRY_SECONDS);
    return undefined;
  }

  /** Hands a job on when this process does not see its drives and another one may. */
  private async leaveToOthers(jobId: string): Promise<boolean> {
    const [job] = await this.db.select().from(jobs).where(eq(jobs.id, jobId));
    if (!job || (!awaitsDrive(job) && Date.now() - job.createdAt.getTime() > UNSEEN_FOR_MS)) return false;
    if (await this.sees(job.lanes)) return false;
    // Whoever sees the drive first takes it up.
    if (awaitsDrive(job)) return true;
    const { rows } = await this.db.execute<{ takers: number }>(sql`
      select count(distinct application_name)::int as takers from pg_stat_activity
      where datname = current_database() and starts_with(application_name, ${TAKER})`);
    if ((rows[0]?.takers ?? 0) < 2) return false;
    await this.send(job, LANE_RETRY_SECONDS);
    return true;
  }

  private async perform(work: JobWork | Record<JobKind, JobWork>, jobId: string): Promise<void> {
    if (await this.leaveToOthers(jobId)) return;
    const job = await this.claim(jobId);
    if (!job) return;
    this.running.add(jobId);
    await this.tell(job);
    const progress = {
      done: 0,
      failed: 0,
      result: {} as Record<string, number>,
      failures: {} as Record<string, JobFailures>,
    };
    let toldAt = 0;
    const save = async (changes: JobChanges = {}): Promise<JobRow> => {
      const [row] = await this.db
        .update(jobs)
        .set({ ...progress, heartbeatAt: sql`now()`, ...changes })
        .where(and(eq(jobs.id, jobId), eq(jobs.worker, thisWorker), eq(jobs.lease, job.lease)))
        .returning();
      if (!row) throw new JobTaken('taken up by another process, or removed, while it ran here');
      await this.tell(row);
      return row;
    };
    const run: JobRun = {
      job,
      fence: fenceOf(this.db, job),
      setTotal: async (total) => void (await save({ total })),
      remember: async (more) => void (await save({ payload: sql`${jobs.payload} || ${JSON.stringify(more)}::jsonb` })),
      setResult: (result) => void (progress.result = result),
      note: (failure, what) => noteFailure(progress.failures, failure, what),
      advance: async ({ done = 0, failed = 0 }) => {
        progress.done += done;
        progress.failed += failed;
        if (this.isStopping) throw new JobStopped('leave');
        if (performance.now() - toldAt < PROGRESS_EVERY_MS) return;
        toldAt = performance.now();
        const { asked } = await save();
        if (asked === 'cancel' || asked === 'pause') throw new JobStopped(asked);
      },
    };
    try {
      await (typeof work === 'function' ? work : work[job.kind])(run);
      await save({ state: 'done', asked: null, finishedAt: sql`now()` });
    } catch (error) {
      if (error instanceof JobStopped) {
        if (error.asked === 'leave') return void (await save({ ...AGAIN, asked: null }));
        const state = error.asked === 'pause' ? 'paused' : 'cancelled';
        await save({ state, asked: null, finishedAt: state === 'paused' ? null : sql`now()` });
        return;
      }
      if (error instanceof JobAwaitsDrive) {
        const awaits = JSON.stringify({ awaitsDrive: error.driveName });
        return void (await save({ ...AGAIN, asked: null, payload: sql`${jobs.payload} || ${awaits}::jsonb` }));
      }
      this.log.error({ err: error, jobId, kind: job.kind }, 'a job failed');
      // Without the database nothing can be said: the job is not heard of, and is taken up again when the database is back.
      if (error instanceof JobTaken || isDatabaseGone(error)) return;
      const known =
        error instanceof AppError
          ? error
          : new AppError('INTERNAL', 'The job met an unexpected fault.', { cause: error });
      await save({
        state: 'failed',
        asked: null,
        finishedAt: sql`now()`,
        error: { code: known.code, message: known.message, remedy: known.remedy },
      });
    } finally {
      this.running.delete(jobId);
      await this.offerLanes(job.lanes).catch((error: unknown) => {
        if (!isDatabaseGone(error)) throw error;
      });
    }
  }

  /** Brings the jobs that waited for these lanes at once, not when they are next offered. */
  private async offerLanes(lanes: readonly string[]): Promise<void> {
    if (!this.takesJobs) return;
    const overlapping = and(eq(jobs.state, 'waiting'), sql`${jobs.lanes} && ${sql.param(lanes)}::text[]`);
    for (const job of await this.db.select().from(jobs).where(overlapping).orderBy(jobs.createdAt).limit(1))
      await this.send(job);
  }
}

/** Whether a process ran on this machine and does so no more. Versions before were known by host and number alone. */
function isDeadHere(worker: string | null): boolean {
  const token = worker?.split(' ')[1];
  const named = token === undefined ? undefined : readProcessToken(token);
  // One of this process's own that it does not run was left by it.
  if (named) return named.isOwn || named.hasEnded === true;
  if (token !== undefined) return false;
  const [host, pid] = [worker?.slice(0, worker.lastIndexOf(':')), Number(worker?.slice(worker.lastIndexOf(':') + 1))];
  if (host !== os.hostname() || pid === process.pid) return false;
  try {
    process.kill(pid, 0);
    return false;
  } catch (error) {
    // EPERM: it is there, and somebody else's.
    return (error as NodeJS.ErrnoException).code === 'ESRCH';
  }
}

function noteFailure(failures: Record<string, JobFailures>, failure: AppError, what: string): void {
  const known = (failures[failure.code] ??= { count: 0, examples: [] });
  known.count += 1;
  if (known.examples.length < FAILURE_EXAMPLES)
    known.examples.push(`${what}: ${failure.message}`.slice(0, EXAMPLE_CHARACTERS));
}

const payloadSchema = z.object({
  batchId: z.number().nullish(),
  planId: z.number().nullish(),
  /** The name of the drive that the job waits for, when it was away as the job was queued. */
  awaitsDrive: z.string().optional(),
});

function awaitsDrive(job: Pick<JobRow, 'payload'>): boolean {
  return payloadSchema.parse(job.payload).awaitsDrive !== undefined;
}

function toJob(row: JobRow): Job {
  const { batchId, planId, awaitsDrive: awaited } = payloadSchema.parse(row.payload);
  return {
    id: row.id,
    kind: row.kind,
    title: row.title,
    state: row.state,
    total: row.total,
    done: row.done,
    failed: row.failed,
    batchId: batchId ?? null,
    planId: planId ?? null,
    personId: row.personId,
    collectionIds: row.collectionIds,
    awaitsDrive: row.state === 'waiting' ? (awaited ?? null) : null,
    result: row.result,
    failures: Object.entries(row.failures)
      .map(([code, { count, examples }]) => ({ code, count, examples, remedy: ERROR_REMEDIES[code as ErrorCode] }))
      .sort((a, b) => b.count - a.count),
    asked: row.asked,
    error: row.error,
    createdAt: row.createdAt.toISOString(),
    startedAt: row.startedAt?.toISOString() ?? null,
    finishedAt: row.finishedAt?.toISOString() ?? null,
  };
}
