import { filterSchema, type ListFilter } from '@flagstone/contract/selection';
import { FIELDS, type FieldName } from '@flagstone/core/record/fields';
import { getTableColumns, sql, type SQL } from 'drizzle-orm';
import type { PgColumn } from 'drizzle-orm/pg-core';
import type { Queryable } from '../db/connect.ts';
import { idList } from '../db/sql-parts.ts';
import { PREPARED } from '../db/prepared-statements.ts';
import { searchRows } from '../db/finding-schema.ts';
import { records } from '../db/schema.ts';
import { stateCondition } from './copy-state.ts';
import { drivesAsked, queryConditions, type KnownDrives } from './query-conditions.ts';

/** Brings the search rows of sounds up to date with their records and copies; makes those that are missing. */
export async function refreshSearch(db: Queryable, soundIds: readonly number[]): Promise<void> {
  if (soundIds.length === 0) return;
  await lockRecords(db, soundIds);
  // What is read after that is what others that held these rows have written.
  await db.execute(sql`select from search_rows where sound_id = any(${idList(soundIds)}) order by sound_id for update`);
  await db.execute(sql`select flagstone_refresh_search(array(select distinct unnest(${idList(soundIds)}) order by 1))`);
}

/**
 * Takes the records of sounds, in the order of their ids, until the transaction ends. Who changes copies too takes the records first: records, copies and
 * search rows are always taken in this order, so that two writers wait for each other and never both.
 */
export async function lockRecords(db: Queryable, soundIds: readonly number[]): Promise<void> {
  await db.execute(sql`select from records where sound_id = any(${idList(soundIds)}) order by sound_id for update`);
}

/** Where the catalogue's sounds are found: search rows `f`, with their records `r` where those are sorted by or shown. */
export function catalogueTables(withRecord = false): SQL {
  return withRecord ? sql`search_rows f join records r on r.sound_id = f.sound_id` : sql`search_rows f`;
}

/** What filters ask of the sounds of the catalogue, over search rows `f`; with `isNamed`, words have to stand in name, keywords or category. */
export type ConditionsOf = (filter: ListFilter, isNamed?: boolean) => SQL[];

/**
 * How filters with a search line narrow the catalogue as it is now. That nothing is retired, and which drives are meant, is found out first: asked for each sound,
 * PostgreSQL would not use its indexes.
 */
export async function conditionsNow(db: Queryable, line: string): Promise<ConditionsOf> {
  const { rows } = await db.execute<{ some: boolean }>(
    sql`${PREPARED} select exists (select from collections where retired_at is not null) as some`,
  );
  const retired = rows[0]?.some === true ? [IS_NOT_RETIRED] : [];
  const drives = await drivesAsked(db, line);
  return (filter, isNamed = false) => [
    sql`f.filed`,
    ...(filter.collection === '' ? retired : []),
    ...narrowing(filter, { kind: 'catalogue' }, isNamed, drives),
  ];
}

/** What a filter asks of search rows `f`, and in a batch of records `r`, copies `c` and batch items `b`. */
export function filterConditions(filter: ListFilter, source?: { kind: string }): SQL[] {
  const retired = source?.kind === 'catalogue' && filter.collection === '' ? [NOT_RETIRED] : [];
  return [...narrowing(filter, source), ...retired];
}

function narrowing(filter: ListFilter, source?: { kind: string }, isNamed = false, drives?: KnownDrives): SQL[] {
  const when = (value: string, condition: () => SQL): SQL[] => (value === '' ? [] : [condition()]);
  return [
    ...queryConditions(filter, source?.kind === 'catalogue', isNamed, drives),
    ...when(filter.collection, () => inCollections(filter.collection)),
    ...when(filter.category, () => sql`f.category = ${filter.category}`),
    ...when(filter.catId, () => sql`f.cat_id = ${filter.catId}`),
    ...when(
      filter.disagrees,
      () => sql`f.sound_id in (select sound_id from copies where disagreeing @> array[${filter.disagrees}]::text[])`,
    ),
    ...when(filter.missing, () => missingOf(filter.missing as FieldName)),
    ...when(filter.state, () => stateCondition(filter.state, source?.kind === 'catalogue')),
    ...rangeConditions(sql`f.duration_seconds`, filter.length),
    ...rangeConditions(sql`f.loudness_lufs`, filter.loudness),
    ...when(filter.since, () => sql`f.created_at >= ${filter.since}::timestamptz`),
    ...(source?.kind === 'batch' ? when(filter.found, () => sql`b.found = ${filter.found}`) : []),
  ];
}

/** Whether a filter leaves anything out; the retired collections aside. */
export function isNarrow(filter: ListFilter): boolean {
  const { person: _person, also: _also, ...narrowing } = filterSchema.shape;
  return Object.keys(narrowing).some((key) => filter[key as keyof ListFilter] !== '');
}

/** Sounds that stand in nothing but retired collections are listed only when one of those is asked for. */
const IS_NOT_RETIRED = sql`exists (
  select from copies k left join folders w on w.id = k.read_folder_id left join collections o on o.id = w.collection_id
  where k.sound_id = f.sound_id and o.retired_at is null)`;
const NOT_RETIRED = sql`(not exists (select from collections where retired_at is not null) or ${IS_NOT_RETIRED})`;

function inCollections(numbers: string): SQL {
  return sql`f.sound_id in (select k.sound_id from copies k where k.read_folder_id in (
    select id from folders where collection_id = any(${`{${numbers}}`}::int[])))`;
}

/** Search rows whose record has no value in a field. */
function missingOf(name: FieldName): SQL {
  const kept = getTableColumns(searchRows) as Record<string, PgColumn>;
  const column = kept[name];
  if (column && name !== 'rating') {
    const own = sql`f.${sql.identifier(column.name)}`;
    return column.notNull ? sql`${own} = ''` : sql`${own} is null`;
  }
  return sql`(select ${missingField(name)} from records r where r.sound_id = f.sound_id)`;
}

/** Records `r` without a value in a field. */
export function missingField(name: FieldName): SQL {
  const column = sql`r.${sql.identifier(getTableColumns(records)[name].name)}`;
  const kind = FIELDS.find((field) => field.name === name)?.kind;
  if (kind === 'list') return sql`cardinality(${column}) = 0`;
  return kind === 'integer' || kind === 'number' ? sql`${column} is null` : sql`${column} = ''`;
}

/** Bounds as in the contract's ranges: the lower one belongs to the range, the upper one does not. */
function rangeConditions(column: SQL, range: string): SQL[] {
  const [from = '', to = ''] = range.split('..');
  return [
    ...(from === '' ? [] : [sql`${column} >= ${Number(from)}`]),
    ...(to === '' ? [] : [sql`${column} < ${Number(to)}`]),
  ];
}
