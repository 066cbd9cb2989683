import { sql, type SQL } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';

/** Whether what the changes and acts of a run did was taken back. */
export const isUndone = (runId: SQL): SQL =>
  sql`(exists (select from changes u where u.run_id = ${runId} and u.undone_by is not null)
    or exists (select from acts w where w.run_id = ${runId} and w.undone_at is not null))`;

/** The same of one run, asked by itself. */
export async function wasUndone(db: Queryable, runId: string): Promise<boolean> {
  const { rows } = await db.execute<{ undone: boolean }>(sql`select ${isUndone(sql`${runId}::uuid`)} as undone`);
  return rows[0]?.undone === true;
}
