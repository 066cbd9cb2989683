import { filterSchema, type ListFilter } from '@flagstone/contract/selection';
import { FIELDS, type FieldName } from '@flagstone/core/record/fields';
import { getTableColumns, sql, type SQL } from 'drizzle-orm';
import type { PgColumn } from 'drizzle-orm/pg-core';
import type { Queryable } from '../db/connect.ts';
import { allOf, idList } from '../db/sql-parts.ts';
import { PREPARED } from '../db/prepared-statements.ts';
import { searchRows } from '../db/finding-schema.ts';
import { records } from '../db/schema.ts';
import { collectionIsSeen, copyIsSeen, type SeenFilter } from '../rights/seen.ts';
import { copyConditions, soundsWithCopy } from './copy-state.ts';
import { asksOfCopies, drivesAsked, found, queryConditions, wordsAsked, type KnownDrives } from './query-conditions.ts';

/** Refreshes the search rows of sounds from their records and copies; inserts those that are missing. */
export async function refreshSearch(db: Queryable, soundIds: readonly number[]): Promise<void> {
  if (soundIds.length === 0) return;
  await lockRecords(db, soundIds);
  // What is read after that is what others that held these rows have written.
  await db.execute(sql`select from search_rows where sound_id = any(${idList(soundIds)}) order by sound_id for update`);
  await db.execute(sql`select flagstone_refresh_search(array(select distinct unnest(${idList(soundIds)}) order by 1))`);
}

/**
 * Locks the records of sounds, given as ids or as a query for them, in the order of their ids, until the transaction ends. Who changes copies, or files sounds, locks the
 * records first: one lock order for records, copies and search rows, so that two writers cannot deadlock, and the counts of drift are exact (`flagstone_note_drift`).
 */
export async function lockRecords(db: Queryable, sounds: readonly number[] | SQL): Promise<void> {
  const wanted = Array.isArray(sounds) ? sql`any(${idList(sounds as readonly number[])})` : sql`any(array(${sounds}))`;
  await db.execute(sql`select from records where sound_id = ${wanted} order by sound_id for update`);
}

/** Where the catalogue's sounds are found: search rows `f`, with their records `r` where those are sorted by or shown. */
export function catalogueTables(withRecord = false): SQL {
  return withRecord ? sql`search_rows f join records r on r.sound_id = f.sound_id` : sql`search_rows f`;
}

/** What filters ask of the sounds of the catalogue, over search rows `f`; with `isNamed`, words have to stand in name, keywords or category. */
export type ConditionsOf = (filter: SeenFilter, isNamed?: boolean) => SQL[];

/**
 * How filters with a search line and collections narrow the catalogue as it is now. Which sets of collections and which drives are meant is found out first: asked for each
 * row, PostgreSQL would not use its indexes.
 */
export async function conditionsNow(db: Queryable, asked: SeenFilter): Promise<ConditionsOf> {
  const sets = await setsNow(db, asked);
  const drives = await drivesAsked(db, asked.q);
  return (filter, isNamed = false) =>
    asSeen(filter, sets, [sql`f.filed`, ...narrowing(filter, { kind: 'catalogue' }, isNamed, drives)]);
}

/** What a filter asks of search rows `f`, and in a batch of records `r`, copies `c` and batch items `b`. */
export function filterConditions(filter: SeenFilter, source: { kind: 'catalogue' | 'batch' }): SQL[] {
  const { seenBy } = filter;
  const conditions = narrowing(filter, source);
  if (source.kind === 'catalogue') return asSeen(filter, setsOf(filter), conditions);
  const inAsked = filter.collection === '' ? [] : [sql`f.collection_set = any(${setsOf(filter).some})`];
  return [...conditions, ...inAsked, ...(seenBy === 'all' ? [] : [copyIsSeen(seenBy)])];
}

/** Sets of collections, as arrays of their numbers. */
interface Sets {
  /** A collection of theirs is asked for and seen; undefined when that is so of all sets. */
  some: SQL | undefined;
  /** Those of them that hold another collection too, which is not seen; undefined when there are none. */
  mixed: SQL | undefined;
}

/** The sets that a filter is about: of the collections that it names, else of those that are in use. */
function setsOf({ collection, seenBy }: SeenFilter): { some: SQL; mixed: SQL | undefined } {
  const named = collection === '' ? sql`o.retired_at is null` : sql`o.id = any(${`{${collection}}`}::int[])`;
  // What lies in no folder that was read belongs to no collection that could be retired.
  const none = seenBy === 'all' && collection === '' ? sql` || 0` : sql``;
  const wanted = sql`array(select o.id from collections o where ${named} and ${collectionIsSeen(seenBy, sql`o.id`)})${none}`;
  const holding = sql`select s.id from collection_sets s where s.collection_ids && (${wanted})`;
  return {
    some: sql`array(${holding})`,
    mixed: seenBy === 'all' ? undefined : sql`array(${holding} and not s.collection_ids <@ ${idList(seenBy)}::int[])`,
  };
}

async function setsNow(db: Queryable, filter: SeenFilter): Promise<Sets> {
  const { some, mixed } = setsOf(filter);
  const isPlain = filter.seenBy === 'all' && filter.collection === '';
  const { rows } = await db.execute<{ some: number[] | null; mixed: number[] }>(sql`${PREPARED}
    select case when ${isPlain} and not exists (select from collections where retired_at is not null) then null else ${some} end as some,
      ${mixed ?? sql`'{}'::int[]`} as mixed`);
  const [row] = rows;
  const numbers = (ids: readonly number[]): SQL => sql`${`{${ids.join(',')}}`}::int[]`;
  return {
    some: row?.some ? numbers(row.some) : undefined,
    mixed: row && row.mixed.length > 0 ? numbers(row.mixed) : undefined,
  };
}

/**
 * Conditions for whoever sees some collections. What a sound says in the paths of copies that they do not see is not found: where there are such, the conditions have to hold
 * of what is left without them. That is dear to find out, so it is left where the words stand in the record anyway, or nothing is asked of copies.
 */
function asSeen(filter: SeenFilter, { some, mixed }: Sets, conditions: readonly SQL[]): SQL[] {
  const { seenBy } = filter;
  const all = [...(some ? [sql`f.collection_set = any(${some})`] : []), ...conditions];
  if (seenBy === 'all' || !mixed) return all;
  const words = wordsAsked(filter.q, filter.also);
  const isOfCopies = asksOfCopies(filter.q) || filter.state !== '' || filter.drive !== '' || filter.readFolder !== '';
  if (!words && !isOfCopies) return all;
  const inRecord = words && !isOfCopies ? sql`or ${found(words, sql`ts_filter(f.search, '{a,b,c}')`)}` : sql``;
  const seen = sql`flagstone_seen_row(f.sound_id, ${idList(seenBy)}::int[])`;
  return [
    ...all,
    sql`(f.collection_set <> all(${mixed}) ${inRecord} or exists (select from ${seen} f where ${allOf(conditions)}))`,
  ];
}

function narrowing(filter: SeenFilter, source?: { kind: string }, isNamed = false, drives?: KnownDrives): SQL[] {
  const when = (value: string, condition: () => SQL): SQL[] => (value === '' ? [] : [condition()]);
  return [
    ...queryConditions(filter, source?.kind === 'catalogue', isNamed, drives),
    ...when(filter.category, () => sql`f.category = ${filter.category}`),
    ...when(filter.catId, () => sql`f.cat_id = ${filter.catId}`),
    ...when(
      filter.disagrees,
      () => sql`f.sound_id in (select sound_id from copies where disagreeing @> array[${filter.disagrees}]::text[])`,
    ),
    ...when(filter.missing, () => missingOf(filter.missing as FieldName)),
    ...(source?.kind === 'catalogue'
      ? soundsWithCopy(filter, copyIsSeen(filter.seenBy, sql`o.read_folder_id`))
      : copyConditions(filter, sql`c`)),
    ...rangeConditions(sql`f.duration_seconds`, filter.length),
    ...rangeConditions(sql`f.loudness_lufs`, filter.loudness),
    ...when(filter.since, () => sql`f.created_at >= ${filter.since}::timestamptz`),
    ...(source?.kind === 'batch' ? when(filter.found, () => sql`b.found = ${filter.found}`) : []),
  ];
}

/** Whether a filter leaves anything out of what is seen; the retired collections aside. */
export function isNarrow(filter: ListFilter): boolean {
  const { also: _also, ...narrowing } = filterSchema.shape;
  return Object.keys(narrowing).some((key) => filter[key as keyof ListFilter] !== '');
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
