import { FIELD_NAMES } from '@flagstone/core/record/fields';
import { TEXT_FIELDS } from '@flagstone/core/recipes/recipe';
import type { FilePlace } from '@flagstone/contract/recipes';
import { sql, type SQL } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { allOf, idList } from '../db/sql-parts.ts';
import type { SeenSelection } from '../rights/seen.ts';
import { selectionParts } from './sound-rows.ts';

const MOST_FILES_LOOKED_AT = 5000;
const MOST_PLACES = 200;
const NO_TEXTS = new Set<string>(FIELD_NAMES.filter((name) => !TEXT_FIELDS.includes(name)));

/** What the files of some copies say, by field and by the places that no field takes. */
const SAID: SQL = sql`
  (select key, case when jsonb_typeof(value) = 'array' then (select string_agg(each, ', ') from jsonb_array_elements_text(value) each) else value #>> '{}' end as said
  from jsonb_each(c.in_file || coalesce(c.other_texts, '{}'))) t`;

/** What the files of rows say as they were last read, by the id of the copy, then by field and by the places that no field takes. */
export async function saidByFiles(
  db: Queryable,
  rows: readonly { copyId: number }[],
): Promise<Map<number, Record<string, string>>> {
  const { rows: found } = await db.execute<{ id: number; said: Record<string, string> }>(sql`
    select c.id, coalesce(jsonb_object_agg(t.key, t.said) filter (where t.key is not null), '{}') as said
    from copies c left join lateral ${SAID} on true where c.id = any(${idList(rows.map(({ copyId }) => copyId))}) group by c.id`);
  return new Map(found.map(({ id, said }) => [Number(id), said]));
}

/** The places at which the files of a selection say something, the most frequent first, of the first 5,000 files. */
export async function filePlaces(db: Queryable, selection: SeenSelection): Promise<FilePlace[]> {
  const { tables, conditions } = selectionParts(selection);
  const { rows } = await db.execute<{ place: string; files: number; example: string }>(sql`
    with chosen as (select c.in_file, c.other_texts from ${tables} where ${allOf(conditions)} limit ${MOST_FILES_LOOKED_AT})
    select t.key as place, count(*)::int as files, min(left(t.said, 80)) as example
    from chosen c cross join lateral ${SAID} group by t.key order by 2 desc, 1 limit ${MOST_PLACES}`);
  // Fields of numbers and marks are no source of texts.
  return rows.filter(({ place }) => !NO_TEXTS.has(place));
}
