import { JOB_QUEUE_SCHEMA } from '../db/job-queue-tables.ts';
import pg from 'pg';
import type { TableDigests } from './manifest.ts';

/** What says the same of the same rows in every session, whatever the server is set to. */
const SAME_WORDS = `set timezone = 'UTC'; set datestyle = 'ISO, YMD'; set intervalstyle = 'iso_8601'; set extra_float_digits = 1; set bytea_output = 'hex'; set statement_timeout = 0`;

/** How many rows each table of a database holds, and a digest of them; without those of the job queue, which are made anew. To be asked in a transaction that sees one state. */
export async function tableDigests(client: pg.Client): Promise<TableDigests> {
  await client.query(SAME_WORDS);
  const { rows: tables } = await client.query<{ schema: string; name: string }>(
    `select n.nspname as schema, c.relname as name from pg_class c join pg_namespace n on n.oid = c.relnamespace
     where c.relkind = 'r' and n.nspname not in ('pg_catalog', 'information_schema', '${JOB_QUEUE_SCHEMA}') and n.nspname !~ '^pg_' order by 1, 2`,
  );
  const digests: TableDigests = {};
  for (const { schema, name } of tables) {
    const table = `${pg.escapeIdentifier(schema)}.${pg.escapeIdentifier(name)}`;
    const { rows } = await client.query<{ rows: number; digest: string }>(
      `select count(*)::float8 as rows, coalesce(sum(hashtextextended(t::text, 0)::numeric), 0)::text as digest from ${table} t`,
    );
    digests[`${schema}.${name}`] = { rows: Number(rows[0]?.rows ?? 0), digest: rows[0]?.digest ?? '' };
  }
  return digests;
}

/** The tables of which two databases do not hold the same, in words. */
export function differences(wanted: TableDigests, found: TableDigests): string[] {
  return [...new Set([...Object.keys(wanted), ...Object.keys(found)])].sort().flatMap((table) => {
    const [one, other] = [wanted[table], found[table]];
    if (!one || !other) return [`${table} is ${one ? 'missing' : 'there and should not be'}`];
    if (one.rows !== other.rows) return [`${table} has ${other.rows} rows and should have ${one.rows}`];
    return one.digest === other.digest ? [] : [`${table} holds other rows than it should`];
  });
}
