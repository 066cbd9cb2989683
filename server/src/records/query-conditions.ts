import { AppError } from '@flagstone/core/errors';
import { stateSearched } from '@flagstone/core/record/copy-states';
import { searchField } from '@flagstone/core/query/search-fields';
import { parseQuery, type Bound, type FieldTest, type QueryNode } from '@flagstone/core/query/search-query';
import { FIELDS } from '@flagstone/core/record/fields';
import { getTableColumns, sql, type SQL } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { records } from '../db/schema.ts';
import type { Sight } from '../rights/rights.ts';
import { pullListIsSeen, type SeenFilter } from '../rights/seen.ts';
import { isHeldInAnotherForm } from './held-in-another-form.ts';
import { stateCondition } from './copy-state.ts';
import { hasTerm, hasWords, term } from './search-terms.ts';

/** Of numbers that are measured, `length:5` means about 5. */
const ABOUT: readonly string[] = ['length', 'loudness', 'peak', 'tempo'];
const HALF = 0.5;

/** Values as a whole, up to so many letters, of the fields that the index shows: terms, and the library in the indexes of words. */
const WHOLE: Record<string, (value: string) => SQL> = {
  library: (value) => sql`lower(f.library) = ${value}`,
  publisher: (value) => hasTerm(term('publisher=', value)),
  creator: (value) => hasTerm(term('creator=', value)),
  licence: (value) => hasTerm(term('licence=', value)),
};
const MOST_LETTERS_WHOLE = 79;

const NUMBERS: Record<string, SQL> = {
  length: sql`f.duration_seconds`,
  rate: sql`f.sample_rate_hz`,
  depth: sql`f.bit_depth`,
  channels: sql`f.channels`,
  loudness: sql`coalesce(f.loudness_lufs, -1000)`,
  peak: sql`f.true_peak_dbtp`,
  rating: sql`coalesce(f.rating, 0)`,
  uses: sql`f.uses`,
  weight: sql`f.weight`,
  activity: sql`f.activity`,
  tempo: sql`f.tempo`,
  copies: sql`f.copies`,
};
/** Sentinel of unknown numbers, so that lists can be sorted by the column; no range finds it. */
const UNKNOWN: Record<string, number> = { loudness: -1000, rating: 0 };

const IS: Record<string, SQL> = {
  loved: marked(sql`m.favourite`),
  used: sql`f.uses > 0`,
  rated: sql`f.rating is not null`,
  filed: sql`f.filed`,
  clipped: hasTerm(term('is', 'clipped')),
  silent: hasTerm(term('is', 'silent')),
  pulled: sql`f.sound_id in (select e.sound_id from pull_entries e)`,
  cut: sql`f.sound_id in (select s.id from sounds s where s.parent_id is not null)`,
  cutshort: sql`f.sound_id in (select s.id from sounds s where s.is_cut_short)`,
  sliced: hasTerm(term('is', 'sliced')),
  damaged: sql`f.sound_id in (select c.sound_id from copies c where c.damaged_at is not null and not c.gone)`,
};

/**
 * The conditions that a search line means, over search rows `f`; none for an empty one. The last word also stands for the
 * beginning of a word while no space follows it. With `isNamed`, the words have to stand in name, keywords or category. Throws QUERY_INVALID with the places of what cannot be read.
 */
export function queryConditions(
  { q, also, person, seenBy }: Asked,
  isCatalogue: boolean,
  isNamed = false,
  drives: KnownDrives = new Map(),
): SQL[] {
  const { query, faults } = parseQuery(q, true);
  const context: Context = { isCatalogue, also: alsoIn(also), person: person ?? 0, seenBy, drives };
  const [fault] = faults;
  if (fault)
    throw new AppError('QUERY_INVALID', `${fault.message} (at letter ${fault.at + 1}).`, { details: { faults } });
  if (query.kind !== 'all') return [];
  const isWorded = (part: QueryNode): boolean => textQuery(part, context.also) !== undefined;
  const joined = (parts: readonly QueryNode[], vector?: SQL): SQL[] => {
    const worded = parts.flatMap((part) => textQuery(part, context.also) ?? []);
    return worded.length > 0 ? [found(sql.join(worded, sql` && `), vector)] : [];
  };
  const others = query.parts.filter((part) => !isWorded(part)).map((part) => conditionOf(part, context));
  // Words go together into one question to the index.
  if (!isNamed) return [...joined(query.parts), ...others];
  const excluded = query.parts.filter((part) => part.kind === 'not');
  return [
    ...joined(
      query.parts.filter((part) => part.kind !== 'not'),
      NAMES,
    ),
    ...joined(excluded),
    ...others,
  ];
}

/** The words of name, keywords and category alone, which have an index of their own. */
export const NAMES = sql`flagstone_names(f.search)`;

/** What of a filter the search line needs. */
type Asked = Pick<SeenFilter, 'q' | 'also' | 'person' | 'seenBy'>;

interface Context {
  isCatalogue: boolean;
  also: ReadonlyMap<string, readonly string[]>;
  person: number;
  seenBy: Sight;
  drives: KnownDrives;
}

/** The text queries over terms that fields about drives (`in:`, `drive:`) stand for, by `keyOfDrives`. */
export type KnownDrives = ReadonlyMap<string, string>;

/**
 * Looks up the drives that a search line names, before it is planned: then the planner knows the selectivity, and the table of drives is read once, not for each row.
 */
export async function drivesAsked(db: Queryable, line: string): Promise<KnownDrives> {
  const asked = new Map<string, SQL>();
  const collect = (node: QueryNode): void => {
    if (node.kind === 'all' || node.kind === 'any') node.parts.forEach(collect);
    else if (node.kind === 'not') collect(node.part);
    else if (node.kind === 'field' && node.test.kind === 'text') {
      const question = driveQuestion(node.field, node.test);
      if (question) asked.set(keyOfDrives(node.field, node.test), question);
    }
  };
  collect(parseQuery(line, true).query);
  if (asked.size === 0) return new Map();
  const { rows } = await db.execute<{ terms: string[] }>(
    sql`select array[${sql.join([...asked.values()], sql`, `)}]::text[] as terms`,
  );
  return new Map([...asked.keys()].map((key, at) => [key, rows[0]?.terms[at] ?? '']));
}

/** Fields that say something of copies: where they lie, what they are called, how they stand to the record. */
const OF_COPIES: readonly string[] = ['name', 'folder', 'in', 'drive', 'container', 'state', 'copies', 'infile'];

/** Whether a search line asks something of copies by a field; words alone may stand in their paths too. */
export function asksOfCopies(line: string): boolean {
  const isOne = (node: QueryNode): boolean => {
    if (node.kind === 'all' || node.kind === 'any') return node.parts.some(isOne);
    if (node.kind === 'not') return isOne(node.part);
    return node.kind === 'field' && OF_COPIES.includes(node.field);
  };
  return isOne(parseQuery(line, true).query);
}

const keyOfDrives = (field: string, test: TextTest): string => JSON.stringify([field, test]);

/** The text query over terms for a field about drives, as PostgreSQL works it out; undefined for any other field. */
function driveQuestion(field: string, test: TextTest): SQL | undefined {
  if (field === 'in') {
    const { drive, folder } = drivePlace(test.text);
    return sql`flagstone_in(${drive}, ${folder})`;
  }
  if (field !== 'drive') return undefined;
  return sql`flagstone_on_drives(${questionFor(test)}, ${test.whole ? test.text.toLowerCase() : ''})`;
}

/** The words that stand beside each word. */
export function alsoIn(also: string): ReadonlyMap<string, readonly string[]> {
  const words = new Map<string, string[]>();
  for (const pair of also.split(',')) {
    const [of = '', other = ''] = pair.split('~');
    if (other.trim() !== '') words.set(of.toLowerCase(), [...(words.get(of.toLowerCase()) ?? []), other.trim()]);
  }
  return words;
}

/**
 * What the words and phrases of a search line ask for, as one text query, without what is excluded; undefined when it has none. With `also`, the words that
 * stand beside them too.
 */
export function wordsAsked(line: string, also = ''): SQL | undefined {
  const { query } = parseQuery(line, true);
  if (query.kind !== 'all') return undefined;
  const beside = alsoIn(also);
  const words = query.parts.flatMap((part) => (part.kind === 'not' ? [] : (textQuery(part, beside) ?? [])));
  return words.length > 0 ? sql`(${sql.join(words, sql` && `)})` : undefined;
}

/** Where a vector answers a text query. What is nothing but words that say nothing (“the”) narrows nothing. */
export function found(query: SQL, vector = sql`f.search`): SQL {
  return sql`(numnode(${query}) = 0 or ${vector} @@ (${query}))`;
}

/** The text query of a part that is made of words and phrases alone; undefined for another one. */
function textQuery(node: QueryNode, also: ReadonlyMap<string, readonly string[]>): SQL | undefined {
  if (node.kind === 'word') {
    const whole = sql`plainto_tsquery('pg_catalog.english', flagstone_unaccent(${node.text}))`;
    const begun = node.begun ? [sql`to_tsquery('pg_catalog.simple', flagstone_unaccent(${node.text}) || ':*')`] : [];
    const others = (also.get(node.text.toLowerCase()) ?? []).map(phraseQuery);
    return begun.length + others.length === 0 ? whole : sql`(${sql.join([whole, ...begun, ...others], sql` || `)})`;
  }
  if (node.kind === 'phrase') return phraseQuery(node.text);
  if (node.kind === 'not') {
    const inner = textQuery(node.part, also);
    return inner && sql`!!${inner}`;
  }
  if (node.kind === 'any') {
    const parts = node.parts.map((part) => textQuery(part, also));
    return parts.every((part) => part !== undefined) ? sql`(${sql.join(parts, sql` || `)})` : undefined;
  }
  return undefined;
}

function phraseQuery(text: string): SQL {
  return sql`phraseto_tsquery('pg_catalog.english', flagstone_unaccent(${text}))`;
}

function conditionOf(node: QueryNode, context: Context): SQL {
  const words = textQuery(node, context.also);
  if (words) return found(words);
  if (node.kind === 'not') return sql`not coalesce(${conditionOf(node.part, context)}, false)`;
  if (node.kind === 'any')
    return sql`(${sql.join(
      node.parts.map((part) => conditionOf(part, context)),
      sql` or `,
    )})`;
  if (node.kind === 'field') return fieldCondition(node.field, node.test, context);
  return sql`true`;
}

function fieldCondition(name: string, test: FieldTest, { isCatalogue, person, seenBy, drives }: Context): SQL {
  if (test.kind === 'choice') {
    if (name === 'state') return stateCondition(stateSearched(test.choice) ?? test.choice, isCatalogue);
    if (test.choice === 'doubled') return isHeldInAnotherForm(sql`f.sound_id`, seenBy);
    if (test.choice === 'favourite') return marked(sql`m.favourite and m.person_id = ${person}`);
    return name === 'form' ? sql`f.form = ${test.choice}` : (IS[test.choice] ?? sql`true`);
  }
  if (test.kind === 'range') {
    if (name === 'mine')
      return marked(
        sql`m.person_id = ${person} and ${bounded(sql`m.rating`, test.from, test.to, (value) => sql`${value}`)}`,
      );
    const column = NUMBERS[name] ?? sql`null`;
    const unknown = UNKNOWN[name];
    const { to } = test;
    const isKnown = unknown !== undefined && test.from === undefined;
    const from = isKnown ? { value: unknown, open: true } : test.from;
    if (from && from.value === to?.value && ABOUT.includes(name))
      return sql`${column} between ${from.value - HALF} and ${from.value + HALF}`;
    // Ranges of what is measured follow each other without a gap and without a value that lies in two of them.
    const end = from && to && ABOUT.includes(name) ? { ...to, open: true } : to;
    return bounded(column, from, end, (value) => sql`${value}`);
  }
  if (test.kind === 'age' || test.kind === 'date')
    return name === 'used' ? usedAt((at) => timeCondition(at, test)) : timeCondition(sql`f.created_at`, test);
  if (name === 'list') return inLists(test, person, seenBy);
  const question = driveQuestion(name, test);
  if (!question) return textCondition(name, test);
  const known = drives.get(keyOfDrives(name, test));
  return known === undefined ? sql`f.terms @@ (select ${question})` : sql`f.terms @@ ${known}::tsquery`;
}

function timeCondition(column: SQL, test: Extract<FieldTest, { kind: 'age' | 'date' }>): SQL {
  if (test.kind === 'date') return bounded(column, test.from, test.to, (days) => sql`to_timestamp(${days * 86_400})`);
  // The age is the other way round than the time: less than seven days old is after a week ago.
  return bounded(column, test.to, test.from, (days) => sql`now() - make_interval(secs => ${days * 86_400})`);
}

/** The sound was copied out, or pulled onto a list where it still stands, at such a time. */
function usedAt(isThen: (at: SQL) => SQL): SQL {
  return sql`f.sound_id in (select o.sound_id from copies_out o where ${isThen(sql`o.copied_at`)}
    union all select e.sound_id from pull_entries e where ${isThen(sql`e.added_at`)})`;
}

/** The sound stands in a pull list that is seen, in whose name, show or scene the text occurs; as a whole it is the list's name. */
function inLists({ text, whole }: TextTest, person: number, sight: Sight): SQL {
  const lower = text.toLowerCase();
  const says = sql`strpos(flagstone_unaccent(lower(concat_ws(' ', l.name, l.show, l.scene))), flagstone_unaccent(${lower})) > 0`;
  return sql`f.sound_id in (select e.sound_id from pull_entries e join pull_lists l on l.id = e.list_id
    where ${pullListIsSeen(sight, person)} and ${whole ? sql`lower(l.name) = ${lower}` : says})`;
}

/** Somebody marked the sound so. */
function marked(condition: SQL): SQL {
  return sql`f.sound_id in (select m.sound_id from sound_marks m where ${condition})`;
}

function bounded(column: SQL, from: Bound | undefined, to: Bound | undefined, value: (bound: number) => SQL): SQL {
  // Said as “is”, which the index of words answers too.
  if (from && from.value === to?.value && !from.open && !to.open) return sql`${column} = ${value(from.value)}`;
  const parts = [
    ...(from ? [from.open ? sql`${column} > ${value(from.value)}` : sql`${column} >= ${value(from.value)}`] : []),
    ...(to ? [to.open ? sql`${column} < ${value(to.value)}` : sql`${column} <= ${value(to.value)}`] : []),
  ];
  return sql`(${sql.join(parts, sql` and `)})`;
}

/** A drive's name `v` as it stands in a place: without slashes. */
export const DRIVE_PART = sql`replace(v.name, '/', ' ')`;

/** A place in its parts; the folder is empty for the whole drive. */
export function drivePlace(place: string): { drive: string; folder: string } {
  const [drive = '', ...folders] = place.replace(/\/+$/, '').split('/');
  return { drive, folder: folders.join('/') };
}

/** Whether a folder is another one or lies below it, as a range that the index of paths knows: `0` comes right after `/`. */
export function belowFolder(column: SQL, folder: string): SQL {
  return folder === ''
    ? sql`true`
    : sql`(${column} = ${folder} or (${column} >= ${`${folder}/`} and ${column} < ${`${folder}0`}))`;
}

type TextTest = Extract<FieldTest, { kind: 'text' }>;

/** The words stand in the field, stemmed and without accents; in quotes, one after another. */
function textCondition(name: string, test: TextTest): SQL {
  const { text, whole } = test;
  const lower = text.toLowerCase();
  if (name === 'tag') {
    const begins = `${lower.replace(/[\\%_]/g, '\\$&')}%`;
    return marked(
      sql`exists (select from unnest(m.tags) tag where lower(tag) ${whole ? sql`= ${lower}` : sql`like ${begins}`})`,
    );
  }
  if (name === 'layout' || name === 'container') return hasTerm(term(name, lower, !whole));
  if (name === 'name' || name === 'folder') {
    const column = name === 'name' ? sql`k.name` : sql`k.folder`;
    return inField(
      name,
      test,
      (says) => sql`(select bool_or(${says(column)}) from copies k where k.sound_id = f.sound_id)`,
    );
  }
  if (name === 'infile')
    return inField(
      name,
      test,
      (says) =>
        sql`(select bool_or(${says(sql`said`)}) from copies k cross join lateral flagstone_file_texts(k.in_file, k.other_texts) said
          where k.sound_id = f.sound_id and not k.gone)`,
    );
  const field = searchField(name)?.field;
  if (field === undefined) return sql`true`;
  const isWhole = whole && text !== '' && text.length <= MOST_LETTERS_WHOLE ? WHOLE[name] : undefined;
  if (isWhole) return isWhole(lower);
  const column = sql`r.${sql.identifier(getTableColumns(records)[field].name)}`;
  const isList = FIELDS.find((each) => each.name === field)?.kind === 'list';
  const said = isList ? sql`array_to_string(${column}, ' ')` : column;
  return inField(name, test, (says) => sql`(select ${says(said)} from records r where r.sound_id = f.sound_id)`);
}

/**
 * The index of words knows which sounds have all words of a text in a field; where it has to be nothing else, or the words one after another, the texts of those are
 * looked at, by `looked`.
 */
function inField(name: string, test: TextTest, looked: (says: (text: SQL) => SQL) => SQL): SQL {
  const { exact, whole } = test;
  if (whole) {
    const { text } = test;
    const words = sql`to_tsvector('pg_catalog.english', flagstone_unaccent(regexp_replace(${text}, '[^[:alnum:]'']+', ' ', 'g')))`;
    const isSame = looked((said) => sql`lower(${said}) = ${text.toLowerCase()}`);
    // Of “The The” nothing stands in the index.
    return sql`((length(${words}) = 0 or ${hasWords(name, words)}) and ${isSame})`;
  }
  if (!exact) return hasWords(name, sql`to_tsvector('pg_catalog.english', flagstone_words(${test.text}))`);
  const text = plainWords(test.text);
  const words = hasWords(name, sql`to_tsvector('pg_catalog.english', flagstone_unaccent(${text}))`);
  if (!text.includes(' ')) return words;
  return sql`(${words} and ${looked((said) => sql`to_tsvector('pg_catalog.english', flagstone_words(${said})) @@ ${questionFor(test)}`)})`;
}

/** The words of a text without what stands between them, as `flagstone_words` has them: to PostgreSQL “lock-gate” would be three words, and “6d-0.wav” a host. */
function plainWords(text: string): string {
  return text.replace(/[^\p{L}\p{N}']+/gu, ' ').trim();
}

function questionFor({ text, exact }: TextTest): SQL {
  return exact ? phraseQuery(plainWords(text)) : sql`plainto_tsquery('pg_catalog.english', flagstone_words(${text}))`;
}
