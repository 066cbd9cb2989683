import type { ListFilter } from '@flagstone/contract/selection';
import { FIELDS, type FieldName } from '@flagstone/core/record/fields';
import { getTableColumns, sql, type SQL } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { records } from '../db/schema.ts';
import { stateCondition } from './copy-state.ts';
import { queryConditions } from './query-sql.ts';

/** Brings the search vectors of sounds up to date with their records and the paths of their copies. */
export async function refreshSearch(db: Queryable, soundIds: readonly number[]): Promise<void> {
  if (soundIds.length === 0) return;
  // In the order of their ids, so that two writers wait for each other and never both.
  await db.execute(sql`select from records where sound_id = any(${idList(soundIds)}) order by sound_id for update`);
  await db.execute(sql`
    update records r set search = flagstone_search(r, coalesce(p.paths, ''))
    from (select sound_id, string_agg(folder || '/' || name, ' ') as paths from copies where sound_id = any(${idList(soundIds)}) group by sound_id) p
    where p.sound_id = r.sound_id`);
}

/** Ids as one bound array. */
export function idList(ids: readonly number[]): SQL {
  return sql`${`{${ids.join(',')}}`}::bigint[]`;
}

/** What a filter asks of records `r`, copies `c`, sounds `s` and analyses `a`; of batch items `b` too where a batch is listed. */
export function filterConditions(filter: ListFilter, source?: { kind: string }): SQL[] {
  const when = (value: string, condition: () => SQL): SQL[] => (value === '' ? [] : [condition()]);
  return [
    ...queryConditions(filter.q, source?.kind === 'catalogue'),
    ...(filter.collection === ''
      ? source?.kind === 'catalogue'
        ? [NOT_RETIRED]
        : []
      : [inCollections(filter.collection)]),
    ...when(filter.category, () => sql`r.category = ${filter.category}`),
    ...when(filter.catId, () => sql`r.cat_id = ${filter.catId}`),
    ...when(
      filter.disagrees,
      () => sql`r.sound_id in (select sound_id from copies where disagreeing @> array[${filter.disagrees}]::text[])`,
    ),
    ...when(filter.missing, () => missingField(filter.missing as FieldName)),
    ...when(filter.state, () => stateCondition(filter.state, source?.kind === 'catalogue')),
    ...rangeConditions(sql`s.duration_seconds`, filter.length),
    ...rangeConditions(sql`a.loudness_lufs`, filter.loudness),
    ...when(filter.since, () => sql`s.created_at >= ${filter.since}::timestamptz`),
    ...(source?.kind === 'batch' ? when(filter.found, () => sql`b.found = ${filter.found}`) : []),
  ];
}

/** Sounds that stand in nothing but retired collections are listed only when one of those is asked for. */
const NOT_RETIRED = sql`(not exists (select from collections where retired_at is not null) or exists (
  select from copies k left join folders f on f.id = k.read_folder_id left join collections o on o.id = f.collection_id
  where k.sound_id = s.id and o.retired_at is null))`;

function inCollections(numbers: string): SQL {
  return sql`s.id in (select k.sound_id from copies k where k.read_folder_id in (
    select id from folders where collection_id = any(${`{${numbers}}`}::int[])))`;
}

/** Records without a value in a field. */
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

/** Whether a folder is another one or lies in it; '' is the whole drive. */
export function isBelow(column: SQL, folder: string): SQL {
  return folder === '' ? sql`true` : sql`(${column} = ${folder} or starts_with(${column}, ${`${folder}/`}))`;
}

/** Conditions joined, true when there are none. */
export function allOf(conditions: readonly SQL[]): SQL {
  return conditions.length === 0 ? sql`true` : sql.join([...conditions], sql` and `);
}
