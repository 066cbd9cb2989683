import { sql, type SQL } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';

/** Thrown inside a job whose row another process took over, because this one was not heard of for too long. */
export class JobTaken extends Error {}

/**
 * A fencing token: each time a process takes a job up its number rises. A process that stood still past its lease and goes on finds another number there, and
 * touches nothing.
 */
export interface Fence {
  /** True in a statement as long as the job is this process's. */
  holds: SQL;
  /** Throws JobTaken when it is not any more. */
  check: () => Promise<void>;
}

export function fenceOf(db: Queryable, job: { id: string; lease: number }): Fence {
  const holds = sql`exists (select from jobs where id = ${job.id}::uuid and lease = ${job.lease} and state = 'running')`;
  return {
    holds,
    check: async () => {
      const { rows } = await db.execute<{ holds: boolean }>(sql`select ${holds} as holds`);
      if (rows[0]?.holds !== true) throw new JobTaken('taken up by another process while it ran here');
    },
  };
}
