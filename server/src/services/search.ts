import type { ListFilter } from '@flagstone/contract/selection';
import { FIELDS, type FieldName } from '@flagstone/core/record/fields';
import { getTableColumns, sql, type SQL } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { records } from '../db/schema.ts';

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

const TOKEN = /(-?)"([^"]*)"?|(-?)(\S+)/g;

/**
 * What the search line means: every word has to occur somewhere in the fields or paths, stemmed and accent-free; “quotes” for a phrase, a
 * minus to exclude; the last word, while it is being typed, also as the beginning of a word. Undefined when there is no word.
 */
export function searchCondition(typed: string): SQL | undefined {
  const stillTyping = !/[\s"]$/.test(typed);
  const tokens = [...typed.matchAll(TOKEN)];
  const parts = tokens.flatMap((match, index) => {
    const [, phraseMinus, phrase, wordMinus, word] = match;
    const text = (phrase ?? word ?? '').replace(/[^\p{L}\p{N}'\s]+/gu, ' ').trim();
    if (text === '') return [];
    let query =
      phrase === undefined
        ? sql`plainto_tsquery('pg_catalog.english', unaccent(${text}))`
        : sql`phraseto_tsquery('pg_catalog.english', unaccent(${text}))`;
    if (phrase === undefined && stillTyping && index === tokens.length - 1 && /^[\p{L}\p{N}]+$/u.test(text)) {
      query = sql`(${query} || to_tsquery('pg_catalog.simple', unaccent(${text}) || ':*'))`;
    }
    return [(phraseMinus ?? wordMinus) === '-' ? sql`!!${query}` : query];
  });
  if (parts.length === 0) return undefined;
  const query = sql.join(parts, sql` && `);
  return sql`(numnode(${query}) = 0 or r.search @@ (${query}))`;
}

/** The state of a copy `c`, from the revision of its record `r`; whether its drive is away is not known to the database. */
export const COPY_STATE = sql`case when c.gone then 'gone'
  when c.changed_outside and c.carries_revision < r.revision then 'split'
  when c.changed_outside then 'ahead'
  when c.carries_revision < r.revision then 'behind' else 'inStep' end`;

/** What a filter asks of records `r`, copies `c`, sounds `s` and analyses `a`; of batch items `b` too where a batch is listed. */
export function filterConditions(filter: ListFilter, source?: { kind: string }): SQL[] {
  const words = searchCondition(filter.q);
  const when = (value: string, condition: () => SQL): SQL[] => (value === '' ? [] : [condition()]);
  return [
    ...(words ? [words] : []),
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

/** In the catalogue, where a row is a sound, any of its copies counts. */
function stateCondition(state: string, isCatalogue: boolean): SQL {
  const condition =
    state === 'notInStep' ? sql`${COPY_STATE} not in ('inStep', 'gone')` : sql`${COPY_STATE} = ${state}`;
  return isCatalogue ? sql`exists (select from copies c where c.sound_id = s.id and ${condition})` : condition;
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
