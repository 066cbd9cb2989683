import { AppError } from '@flagstone/core/errors';
import { searchField } from '@flagstone/core/query/search-fields';
import { parseQuery, type Bound, type FieldTest, type QueryNode } from '@flagstone/core/query/search-query';
import { FIELDS, type FieldName } from '@flagstone/core/record/fields';
import { getTableColumns, sql, type SQL } from 'drizzle-orm';
import { records } from '../db/schema.ts';
import { stateCondition } from './copy-state.ts';

/** Fields whose words stand in `records.search`, which has an index: all of text but these. */
const NOT_IN_SEARCH: readonly FieldName[] = ['licenceUrl'];

/** Of numbers that are measured, `length:5` means about 5. */
const ABOUT: readonly string[] = ['length', 'loudness', 'peak', 'tempo'];
const HALF = 0.5;

const NUMBERS: Record<string, SQL> = {
  length: sql`s.duration_seconds`,
  rate: sql`s.sample_rate_hz`,
  depth: sql`s.bit_depth`,
  channels: sql`s.channels`,
  loudness: sql`a.loudness_lufs`,
  peak: sql`a.true_peak_dbtp`,
  rating: sql`r.rating`,
  weight: sql`r.weight`,
  activity: sql`r.activity`,
  tempo: sql`r.tempo`,
  copies: sql`(select count(*) from copies k where k.sound_id = s.id and not k.gone)`,
};

const IS: Record<string, SQL> = {
  rated: sql`r.rating is not null`,
  filed: sql`s.filed_at is not null`,
  clipped: sql`coalesce((a.measures ->> 'clippedSamples')::int, 0) > 0`,
  silent: sql`(a.measures is not null and a.loudness_lufs is null)`,
  pulled: sql`exists (select from pull_entries e where e.sound_id = s.id)`,
  cut: sql`s.parent_id is not null`,
  sliced: sql`r.slices <> ''`,
};

/**
 * The conditions that a search line means, over records `r`, sounds `s` and analyses `a`; none for an empty one. The last word also stands for the
 * beginning of a word while no space follows it. Throws QUERY_INVALID with the places of what cannot be read.
 */
export function queryConditions(line: string, isCatalogue: boolean): SQL[] {
  const { query, faults } = parseQuery(line, true);
  const [fault] = faults;
  if (fault)
    throw new AppError('QUERY_INVALID', `${fault.message} (at letter ${fault.at + 1}).`, { details: { faults } });
  if (query.kind !== 'all') return [];
  // Words go together into one question to the index.
  const worded = query.parts.flatMap((part) => textQuery(part) ?? []);
  const others = query.parts.filter((part) => textQuery(part) === undefined);
  return [
    ...(worded.length > 0 ? [found(sql.join(worded, sql` && `))] : []),
    ...others.map((part) => conditionOf(part, isCatalogue)),
  ];
}

/** What is nothing but words that say nothing (“the”) narrows nothing. */
function found(query: SQL): SQL {
  return sql`(numnode(${query}) = 0 or r.search @@ (${query}))`;
}

/** The text query of a part that is made of words and phrases alone; undefined for another one. */
function textQuery(node: QueryNode): SQL | undefined {
  if (node.kind === 'word') {
    const whole = sql`plainto_tsquery('pg_catalog.english', unaccent(${node.text}))`;
    return node.begun ? sql`(${whole} || to_tsquery('pg_catalog.simple', unaccent(${node.text}) || ':*'))` : whole;
  }
  if (node.kind === 'phrase') return sql`phraseto_tsquery('pg_catalog.english', unaccent(${node.text}))`;
  if (node.kind === 'not') {
    const inner = textQuery(node.part);
    return inner && sql`!!${inner}`;
  }
  if (node.kind === 'any') {
    const parts = node.parts.map(textQuery);
    return parts.every((part) => part !== undefined) ? sql`(${sql.join(parts, sql` || `)})` : undefined;
  }
  return undefined;
}

function conditionOf(node: QueryNode, isCatalogue: boolean): SQL {
  const words = textQuery(node);
  if (words) return found(words);
  if (node.kind === 'not') return sql`not coalesce(${conditionOf(node.part, isCatalogue)}, false)`;
  if (node.kind === 'any')
    return sql`(${sql.join(
      node.parts.map((part) => conditionOf(part, isCatalogue)),
      sql` or `,
    )})`;
  if (node.kind === 'field') return fieldCondition(node.field, node.test, isCatalogue);
  return sql`true`;
}

function fieldCondition(name: string, test: FieldTest, isCatalogue: boolean): SQL {
  if (test.kind === 'choice') {
    if (name === 'state') return stateCondition(test.choice === 'instep' ? 'inStep' : test.choice, isCatalogue);
    return name === 'form' ? sql`r.form = ${test.choice}` : (IS[test.choice] ?? sql`true`);
  }
  if (test.kind === 'range') {
    const column = NUMBERS[name] ?? sql`null`;
    const { from, to } = test;
    if (from && from.value === to?.value && ABOUT.includes(name))
      return sql`${column} between ${from.value - HALF} and ${from.value + HALF}`;
    // Ranges of what is measured follow each other without a gap and without a value that lies in two of them.
    const end = from && to && ABOUT.includes(name) ? { ...to, open: true } : to;
    return bounded(column, from, end, (value) => sql`${value}`);
  }
  // The age is the other way round than the time: less than seven days old is after a week ago.
  if (test.kind === 'age')
    return bounded(
      sql`s.created_at`,
      test.to,
      test.from,
      (days) => sql`now() - make_interval(secs => ${days * 86_400})`,
    );
  if (test.kind === 'date')
    return bounded(sql`s.created_at`, test.from, test.to, (days) => sql`to_timestamp(${days * 86_400})`);
  return textCondition(name, test);
}

function bounded(column: SQL, from: Bound | undefined, to: Bound | undefined, value: (bound: number) => SQL): SQL {
  const parts = [
    ...(from ? [from.open ? sql`${column} > ${value(from.value)}` : sql`${column} >= ${value(from.value)}`] : []),
    ...(to ? [to.open ? sql`${column} < ${value(to.value)}` : sql`${column} <= ${value(to.value)}`] : []),
  ];
  return sql`(${sql.join(parts, sql` and `)})`;
}

/** The words stand in the field, stemmed and without accents; in quotes, one after another. */
function textCondition(name: string, { text, exact, whole }: Extract<FieldTest, { kind: 'text' }>): SQL {
  const words = sql`flagstone_words(${text})`;
  const query = exact
    ? sql`phraseto_tsquery('pg_catalog.english', unaccent(${text}))`
    : sql`plainto_tsquery('pg_catalog.english', ${words})`;
  const says = (column: SQL): SQL =>
    whole
      ? sql`lower(${column}) = ${text.toLowerCase()}`
      : sql`to_tsvector('pg_catalog.english', flagstone_words(${column})) @@ ${query}`;
  const begins = `${text.toLowerCase().replace(/[\\%_]/g, '\\$&')}%`;
  const isLike = (column: SQL): SQL => (whole ? says(column) : sql`lower(${column}) like ${begins}`);
  if (name === 'layout') return isLike(sql`a.channel_layout`);
  if (name === 'container')
    return sql`exists (select from copies k where k.sound_id = s.id and ${isLike(sql`k.container`)})`;
  if (name === 'drive')
    return sql`exists (select from copies k join drives v on v.id = k.drive_id where k.sound_id = s.id and ${says(sql`v.name`)})`;
  if (name === 'name' || name === 'folder') {
    const column = name === 'name' ? sql`k.name` : sql`k.folder`;
    return sql`(r.search @@ ${query} and exists (select from copies k where k.sound_id = s.id and ${says(column)}))`;
  }
  const field = searchField(name)?.field;
  if (field === undefined) return sql`true`;
  const column = sql`r.${sql.identifier(getTableColumns(records)[field].name)}`;
  const isList = FIELDS.find((each) => each.name === field)?.kind === 'list';
  const matches = says(isList ? sql`array_to_string(${column}, ' ')` : column);
  return NOT_IN_SEARCH.includes(field) ? matches : sql`(${found(query)} and ${matches})`;
}
