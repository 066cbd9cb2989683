import { FIELDS, type FieldName } from '@flagstone/core/record/fields';
import type { FieldValues } from '@flagstone/contract/record';
import { sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { SeenSelection } from '../rights/seen.ts';
import { allOf } from '../db/sql-parts.ts';
import { FIELD_COLUMNS, selectionParts } from './sound-rows.ts';

/** Values of a field that are told, the most frequent first. */
const MOST_VALUES = 12;

/**
 * What the sounds of a selection say in each field: how many different values there are, and the most frequent with how many sounds say each; of
 * keywords, each word by itself. Empty values are not counted.
 */
export async function fieldValues(app: AppContext, selection: SeenSelection): Promise<FieldValues> {
  const { tables, conditions } = selectionParts(selection);
  const column = (name: FieldName) => sql.raw(`r."${FIELD_COLUMNS[name]}"`);
  const single = FIELDS.filter(({ kind }) => kind !== 'list' && kind !== 'marks').map(
    ({ name }) => sql`(${sql.raw(`'${name}'`)}, ${column(name)}::text)`,
  );
  const { rows } = await app.db.execute<{
    field: FieldName | null;
    value: string;
    times: number;
    distinct: number;
    filled: number;
  }>(sql`
    with chosen as (select distinct on (s.id) s.id, r.* from ${tables} where ${allOf(conditions)} order by s.id),
    said as (
      select v.field, v.value from chosen r cross join lateral (values ${sql.join(single, sql`, `)}) v (field, value) where v.value <> ''
      union all select 'keywords', unnest(r.keywords) from chosen r),
    counted as (
      select field, value, count(*)::int as times, count(*) over (partition by field)::int as distinct,
        sum(count(*)) over (partition by field)::int as filled,
        row_number() over (partition by field order by count(*) desc, value) as place
      from said group by field, value)
    select field, value, times, "distinct", filled from counted where place <= ${MOST_VALUES}
    union all select null, '', count(*)::int, 0, 0 from chosen order by times desc, value`);
  const fields: FieldValues['fields'] = {};
  let sounds = 0;
  for (const { field, value, times, distinct, filled } of rows) {
    if (field === null) sounds = times;
    else (fields[field] ??= { distinct, filled, values: [] }).values.push({ value, times });
  }
  return { sounds, fields };
}
