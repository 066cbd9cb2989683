import { escapeFormula } from '@flagstone/core/text/spreadsheet-text';
import type { AuditEntry, AuditFilter } from '@flagstone/contract/audit';
import { stringify } from 'csv-stringify';
import { sql, type SQL } from 'drizzle-orm';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Writable } from 'node:stream';
import type { Queryable } from '../db/connect.ts';
import { allOf } from '../db/sql-parts.ts';

const ROWS_AT_ONCE = 500;
const COLUMNS = ['happenedAt', 'person', 'what', 'about', 'address', 'refused'] as const;

/** Lines of the audit log, the newest first, from below a line on. */
export async function auditPage(
  db: Queryable,
  filter: AuditFilter,
  before: number | undefined,
  limit: number,
): Promise<{ entries: AuditEntry[]; next: number | null }> {
  const conditions = [...conditionsOf(filter), ...(before === undefined ? [] : [sql`id < ${before}`])];
  const { rows } = await db.execute<{
    id: number;
    happened_at: string;
    person_name: string;
    what: string;
    about: string;
    address: string;
    refused: boolean;
  }>(sql`
    select id, happened_at, person_name, what, about, address, refused from audit_log
    where ${allOf(conditions)} order by id desc limit ${limit + 1}`);
  const entries = rows.slice(0, limit).map(({ happened_at: happenedAt, person_name: person, ...row }) => ({
    ...row,
    happenedAt: new Date(happenedAt).toISOString(),
    person,
  }));
  return { entries, next: rows.length > limit ? (entries.at(-1)?.id ?? null) : null };
}

function conditionsOf({ what, person, from, to, refused }: AuditFilter): SQL[] {
  return [
    ...(what === '' ? [] : [sql`what = ${what}`]),
    ...(person === '' ? [] : [sql`person_name = ${person}`]),
    ...(from === '' ? [] : [sql`happened_at >= ${from}::date at time zone 'UTC'`]),
    ...(to === '' ? [] : [sql`happened_at < (${to}::date + 1) at time zone 'UTC'`]),
    ...(refused === '' ? [] : [sql`refused`]),
  ];
}

/** What the log can be narrowed by. */
export async function auditChoices(db: Queryable): Promise<{ whats: string[]; people: string[] }> {
  const { rows } = await db.execute<{ whats: string[]; people: string[] }>(sql`
    select array(select distinct what from audit_log order by 1) as whats,
      array(select distinct person_name from audit_log where person_name <> '' order by 1) as people`);
  return rows[0] ?? { whats: [], people: [] };
}

/** Writes what a filter lets through as CSV (RFC 4180), page by page. */
export async function writeAudit(db: Queryable, filter: AuditFilter, out: Writable): Promise<void> {
  async function* lines(): AsyncGenerator<string[]> {
    let before: number | undefined;
    for (;;) {
      const { entries, next } = await auditPage(db, filter, before, ROWS_AT_ONCE);
      for (const entry of entries) yield COLUMNS.map((column) => escapeFormula(String(entry[column])));
      if (next === null) return;
      before = next;
    }
  }
  await pipeline(Readable.from(lines()), stringify({ header: true, columns: [...COLUMNS] }), out);
}
