import { isDeepStrictEqual } from 'node:util';
import { AppError } from '@flagstone/core/errors';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { ActRow, SettingTable } from '../db/acts-schema.ts';
import type { Queryable } from '../db/connect.ts';
import { recordRows, type Rows } from './act-rows.ts';

/** What one row of each table is called, and by which columns it is told from the others. */
const CALLED: Record<SettingTable, { one: string; many: string; by: readonly string[] }> = {
  saved_searches: { one: 'Saved search', many: 'saved searches', by: ['name'] },
  column_layouts: { one: 'Columns', many: 'layouts of columns', by: ['name'] },
  word_relations: { one: 'Related words', many: 'related words', by: ['word', 'related'] },
  settling_rules: { one: 'Rule for what differs', many: 'rules for what differs', by: ['field', 'wins'] },
  path_rules: { one: 'Path rule', many: 'path rules', by: ['pattern'] },
  authorities: { one: 'Name', many: 'names', by: ['name'] },
  recipes: { one: 'Recipe', many: 'recipes', by: ['name'] },
  collections: { one: 'Collection', many: 'collections', by: ['name'] },
  folders: { one: 'Folder', many: 'folders', by: ['path'] },
};

/**
 * Changes a setting as an act that can be taken back: `work` does it by the context that it is given, in one transaction with the look at what was before and after. Others
 * who write into the same table wait meanwhile, so that what they change is not taken for a part of this. As a part of a run it is undone together with the rest of that.
 */
export function asSetting<Value>(
  app: AppContext,
  table: SettingTable,
  personId: number,
  work: (inside: AppContext) => Promise<Value>,
  part?: { runId: string; summary: string },
): Promise<Value> {
  return app.db.transaction(async (tx) => {
    await tx.execute(sql`lock table ${sql.identifier(table)} in share row exclusive mode`);
    const before = await rowsOf(tx, table);
    const value = await work({ ...app, db: tx });
    const after = await rowsOf(tx, table);
    const differing = new Set(
      [...before.keys(), ...after.keys()].filter((key) => !isDeepStrictEqual(before.get(key), after.get(key))),
    );
    // Of a row that stays, only the columns that differ: what else happens to it, as a folder that is read again, is no obstacle.
    const only = (rows: Rows, others: Rows): Rows =>
      new Map(
        [...rows].flatMap(([key, row]) =>
          differing.has(key) ? [[key, differingOf(row, others.get(key))] as const] : [],
        ),
      );
    const rows = [...differing].map((key): [ActRow['before'], ActRow['before']] => [
      before.get(key) ?? null,
      after.get(key) ?? null,
    ]);
    const summary = part?.summary ?? summaryOf(table, rows);
    await recordRows(
      tx,
      { personId, kind: 'setting', summary, runId: part?.runId },
      only(before, after),
      only(after, before),
    );
    return value;
  });
}

/** What was done to which rows, as “Path rule “mill/**” added”, for the word on taking it back. */
function summaryOf(table: SettingTable, differing: readonly [ActRow['before'], ActRow['before']][]): string {
  const { one, many, by } = CALLED[table];
  const [[was, is] = [null, null]] = differing;
  const done = was === null ? 'added' : is === null ? 'removed' : 'changed';
  if (differing.length !== 1) return `${differing.length} ${many} ${done}`;
  const name = by.map((column) => `“${String((was ?? is)?.[column])}”`).join(' and ');
  return `${one} ${name} ${done}`;
}

function differingOf(row: ActRow['before'], other: ActRow['before'] | undefined): ActRow['before'] {
  if (!row || !other) return row;
  return Object.fromEntries(Object.entries(row).filter(([column, value]) => !isDeepStrictEqual(value, other[column])));
}

async function rowsOf(tx: Queryable, table: SettingTable): Promise<Rows> {
  const { rows } = await tx.execute<{ id: number; row: Record<string, unknown> }>(
    sql`select id, to_jsonb(t) as row from ${sql.identifier(table)} t`,
  );
  return new Map(rows.map(({ id, row }) => [`${table} ${id}`, row]));
}

/** Takes settings back, or sets them again; one that was changed again since stays as it is, and is counted. Throws NOT_UNDOABLE. */
export async function turnSettings(
  tx: Queryable,
  all: readonly ActRow[],
  isUndo: boolean,
): Promise<{ changed: number; kept: number }> {
  let changed = 0;
  // What goes, goes first: a name that it bore is free then.
  const inOrder = [...all].sort((a, b) => Number(wantedOf(a, isUndo) !== null) - Number(wantedOf(b, isUndo) !== null));
  for (const row of inOrder) changed += await turnSetting(tx, row, isUndo);
  if (all.some(({ table }) => table === 'collections')) {
    const { rows } = await tx.execute(sql`select from collections where retired_at is null limit 1`);
    if (rows.length === 0) throw new AppError('NOT_UNDOABLE', 'It would retire the last collection that is in use.');
  }
  return { changed, kept: all.length - changed };
}

const wantedOf = (row: ActRow, isUndo: boolean): ActRow['before'] => (isUndo ? row.before : row.after);

async function turnSetting(tx: Queryable, row: ActRow, isUndo: boolean): Promise<number> {
  const table = sql.identifier(row.table);
  const [expected, wanted] = [wantedOf(row, !isUndo), wantedOf(row, isUndo)];
  if (wanted === null) return rowsIn(tx, sql`delete from ${table} t where id = ${row.id} and ${isStill(expected)}`);
  if (expected === null)
    return rowsIn(
      tx,
      sql`insert into ${table} select n.* from jsonb_populate_record(null::${table}, ${json(wanted)}) n on conflict do nothing`,
    );
  const columns = Object.keys(wanted).map((column) => sql.identifier(column));
  const set = sql.join(
    columns.map((column) => sql`${column} = n.${column}`),
    sql`, `,
  );
  return rowsIn(
    tx,
    sql`update ${table} t set ${set} from jsonb_populate_record(null::${table}, ${json(wanted)}) n where t.id = ${row.id} and ${isStill(expected)}`,
  );
}

/** Whether a row `t` still says what it was to say, in the columns that are named. */
const isStill = (expected: ActRow['before']): SQL =>
  sql`not exists (select from jsonb_each(${json(expected)}) e where to_jsonb(t) -> e.key is distinct from e.value)`;

const json = (value: unknown): SQL => sql`${JSON.stringify(value)}::jsonb`;

async function rowsIn(tx: Queryable, statement: SQL): Promise<number> {
  return (await tx.execute(statement)).rowCount ?? 0;
}
