import { isDeepStrictEqual } from 'node:util';
import { sql } from 'drizzle-orm';
import { acts, type ActKind, type ActRow } from '../db/acts-schema.ts';
import type { Queryable } from '../db/connect.ts';
import { idList } from '../db/sql-parts.ts';

/** Rows by table and number; a row that is not there is left out. */
export type Rows = Map<string, ActRow['before']>;
const keyOf = ({ table, id }: Pick<ActRow, 'table' | 'id'>): string => `${table} ${id}`;

/** Records an act of a person, with the rows that differ; nothing when none does. */
export async function recordRows(
  tx: Queryable,
  act: { personId: number; kind: Exclude<ActKind, 'marks' | 'propose'>; summary: string; runId?: string | undefined },
  before: Rows,
  after: Rows,
): Promise<void> {
  const rows = [...new Set([...before.keys(), ...after.keys()])].flatMap((key): ActRow[] => {
    const [table, id] = key.split(' ') as [ActRow['table'], string];
    const row = { table, id: Number(id), before: before.get(key) ?? null, after: after.get(key) ?? null };
    return isDeepStrictEqual(row.before, row.after) ? [] : [row];
  });
  if (rows.length > 0) await tx.insert(acts).values({ ...act, rows });
}

/** Pull lists with all that stands in them, as they are now. */
export async function pullRows(tx: Queryable, listIds: readonly number[]): Promise<Rows> {
  const ids = sql`any(${sql.param([...listIds])}::int[])`;
  const { rows } = await tx.execute<{ table: ActRow['table']; id: number; row: Record<string, unknown> }>(sql`
    select 'pull_lists' as "table", id, to_jsonb(l) as row from pull_lists l where id = ${ids}
    union all select 'pull_entries', id, to_jsonb(e) from pull_entries e where list_id = ${ids}`);
  return new Map(rows.map((each) => [keyOf(each), each.row]));
}

/** Some entries of pull lists as they are now. */
export async function pullEntryRows(tx: Queryable, entryIds: readonly number[]): Promise<Rows> {
  const { rows } = await tx.execute<{ id: number; row: Record<string, unknown> }>(
    sql`select id, to_jsonb(e) as row from pull_entries e where id = any(${idList(entryIds)})`,
  );
  return new Map(rows.map(({ id, row }) => [`pull_entries ${id}`, row]));
}

/** A batch as it is now. */
export async function batchRow(tx: Queryable, batchId: number): Promise<Rows> {
  const { rows } = await tx.execute<{ row: Record<string, unknown> }>(
    sql`select to_jsonb(b) as row from batches b where id = ${batchId}`,
  );
  return new Map(rows.map(({ row }) => [`batches ${batchId}`, row]));
}
