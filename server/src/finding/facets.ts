import {
  FACETS,
  type CategoryCounts,
  type Facet,
  type Facets,
  type HitCount,
  type IndexCounts,
} from '@flagstone/contract/facets';
import { filterSchema, type ListFilter } from '@flagstone/contract/selection';
import { valueInLine } from '@flagstone/core/query/begun-term';
import {
  bandInWords,
  bandsBetween,
  bandTerm,
  LENGTH_EDGES_SECONDS,
  LOUDNESS_EDGES_LUFS,
} from '@flagstone/core/query/value-bands';
import { withoutField } from '@flagstone/core/query/toggle-term';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { drives } from '../db/schema.ts';
import type { Sight } from '../rights/rights.ts';
import { copyIsSeen, type SeenFilter } from '../rights/seen.ts';
import { cachedAnswer } from './cached-answer.ts';
import { countHits, countInSample } from './count-hits.ts';
import type { Sample } from './search-plan.ts';
import { allOf, upTo } from '../db/sql-parts.ts';
import { catalogueTables, conditionsNow, isNarrow } from '../records/search-conditions.ts';

const MOST_VALUES = 12;

/** Facets that are counted in bands: the edges of these, and the unit in words. */
const BANDED: Partial<Record<Facet, { edges: readonly number[]; unit: string }>> = {
  length: { edges: LENGTH_EDGES_SECONDS, unit: 's' },
  loudness: { edges: LOUDNESS_EDGES_LUFS, unit: 'LUFS' },
};

/** In which of the bands a value lies, by its number. */
function bandOf(value: SQL, edges: readonly number[]): SQL {
  return sql`case when ${value} is null then null else width_bucket(${value}::float8, ${`{${edges.join(',')}}`}::float8[])::text end`;
}

/** What is counted of each sound: empty and unknown values are left out. */
const VALUES: Record<Exclude<Facet, 'drive'>, SQL> = {
  form: sql`nullif(f.form, '')`,
  channels: sql`f.channels::text`,
  length: bandOf(sql`f.duration_seconds`, LENGTH_EDGES_SECONDS),
  rate: sql`f.sample_rate_hz::text`,
  depth: sql`nullif(f.bit_depth, 0)::text`,
  loudness: bandOf(sql`f.loudness_lufs`, LOUDNESS_EDGES_LUFS),
  rating: sql`f.rating::text`,
  library: sql`nullif(f.library, '')`,
  publisher: sql`nullif(f.publisher, '')`,
  creator: sql`nullif(f.creator, '')`,
  licence: sql`nullif(f.licence, '')`,
  container: sql`nullif(f.container, '')`,
};

/**
 * Facet counts: how many of the filed sounds that a filter finds have each value, and lie in each category, in one pass. A field that the search line narrows already, or the
 * category, is counted without that, so that its other values can be chosen too. Beyond a limit a sample stands for all, and the answer says so; all
 * categories of all that somebody sees are counted one by one, so that none is missing.
 */
export async function countIndex(app: AppContext, filter: SeenFilter): Promise<IndexCounts> {
  if (!isNarrow(filter)) {
    const [total, facets, categories] = await Promise.all([
      countHits(app, filter),
      allFacets(app, filter.seenBy),
      allCategories(app, filter.seenBy),
    ]);
    return { total, facets, categories };
  }
  const wider = { ...filter, category: '', catId: '' };
  if (isSame(filter, wider)) return countUnder(app, filter);
  const [counted, categories] = await Promise.all([
    countUnder(app, filter),
    isNarrow(wider) ? countValues(app, wider, [], true).then(categoriesOf) : allCategories(app, filter.seenBy),
  ]);
  return { ...counted, categories };
}

/** The values alone, for a filter of any kind. */
export async function countFacets(app: AppContext, filter: SeenFilter): Promise<Facets> {
  return isNarrow(filter) ? (await countUnder(app, filter)).facets : allFacets(app, filter.seenBy);
}

const everything = (seenBy: Sight): SeenFilter => ({ ...filterSchema.parse({}), seenBy });

const allFacets = cachedAnswer(async (app, sight) => (await countUnder(app, everything(sight))).facets);

const allCategories = cachedAnswer(async (app, sight): Promise<CategoryCounts> => {
  const all = everything(sight);
  const conditions = (await conditionsNow(app.db, all))(all);
  return categoriesOf(await countIn(app, { conditions, factor: 1 }, [], true, sight));
});

const isSame = (one: ListFilter, other: ListFilter): boolean =>
  one.category === other.category && one.catId === other.catId;

async function countUnder(app: AppContext, filter: SeenFilter): Promise<IndexCounts> {
  const wider = FACETS.flatMap((facet) => {
    const q = withoutField(filter.q, facet);
    // The trailing space completes the last word: it is not a prefix.
    return q === undefined ? [] : [{ facet, q: `${q} ` }];
  });
  const plain = FACETS.filter((facet) => !wider.some((each) => each.facet === facet));
  const [main, ...others] = await Promise.all([
    countValues(app, filter, plain, true),
    ...wider.map(({ facet, q }) => countValues(app, { ...filter, q }, [facet], false)),
  ]);
  const rows = await withDriveNames(
    app,
    [main, ...others].flatMap(({ values }) => values),
  );
  const facets = {
    isApproximate: [main, ...others].some(({ isApproximate }) => isApproximate),
    facets: FACETS.flatMap((facet) => {
      const values = rows
        .filter((row) => row.facet === facet)
        .map(({ value, count }) => ({ ...termOf(facet, value), count }));
      return values.length > 0 ? [{ facet, values: inOrder(facet, values) }] : [];
    }),
  };
  return { total: main.total, facets, categories: categoriesOf(main) };
}

interface CountedValue {
  facet: Facet;
  value: string;
  count: number;
}

interface Counted {
  total: HitCount;
  values: CountedValue[];
  categories: CategoryCounts['categories'];
  isApproximate: boolean;
}

function categoriesOf({ categories, isApproximate }: Counted): CategoryCounts {
  return { categories, isApproximate };
}

async function countValues(
  app: AppContext,
  filter: SeenFilter,
  facets: readonly Facet[],
  withCategories: boolean,
): Promise<Counted> {
  return countInSample(app, filter, (sample) => countIn(app, sample, facets, withCategories, filter.seenBy));
}

type CountedRow = Record<string, string | null> & { count: number; left: number };

/** How much is found, the most frequent values of each facet in it, and all its categories, counted in one pass. */
async function countIn(
  app: AppContext,
  { conditions, factor, limit }: Sample,
  asked: readonly Facet[],
  withCategories: boolean,
  sight: Sight,
): Promise<Counted> {
  const facets = asked.filter((facet) => facet !== 'drive');
  const columns = [
    sql`f.sound_id as found_id`,
    ...facets.map((facet) => sql`${VALUES[facet]} as ${sql.identifier(facet)}`),
  ];
  const sets = [sql`()`, ...facets.map((facet) => sql`(${sql.identifier(facet)})`)];
  // GROUPING() has a bit for each of these, the last the lowest, which is 0 for those that the row is about.
  const named = facets.map((facet) => sql.identifier(facet));
  if (withCategories) {
    columns.push(sql`f.category as in_category, f.sub_category as in_sub_category, f.cat_id as in_cat_id`);
    sets.push(sql`(in_category, in_sub_category, in_cat_id)`);
    named.push(sql.identifier('in_category'));
  }
  const categories = withCategories ? sql`, in_category, in_sub_category, in_cat_id` : sql``;
  const shown = facets.length > 0 ? sql`, ${sql.join(named.slice(0, facets.length), sql`, `)}` : sql``;
  // A sound has a copy on each of several drives, so drives are counted by their copies.
  const onDrives = asked.includes('drive')
    ? sql`union all select count(distinct k.sound_id), -1, k.drive_id::text ${sql.join(
        named.slice(0, facets.length).map(() => sql`, null`),
        sql``,
      )} ${withCategories ? sql`, null, null, null` : sql``}
      from hit h join copies k on k.sound_id = h.found_id and k.cleared_at is null and ${copyIsSeen(sight, sql`k.read_folder_id`)} group by k.drive_id`
    : sql``;
  const { rows } = await app.db.execute<CountedRow>(sql`
    with hit as (select ${sql.join(columns, sql`, `)} from ${catalogueTables()} where ${allOf(conditions)} ${upTo(limit)})
    select count(*) as count, ${named.length > 0 ? sql`grouping(${sql.join(named, sql`, `)})` : sql`0`} as left, null as on_drive ${shown} ${categories}
    from hit group by grouping sets (${sql.join(sets, sql`, `)}) ${onDrives}`);
  const all = 2 ** named.length - 1;
  const rowsAbout = (index: number): CountedRow[] => {
    const own = all - 2 ** (named.length - 1 - index);
    return rows.filter((row) => row.left === own);
  };
  const isApproximate = factor !== 1;
  return {
    total: { count: (rows.find((row) => row.left === all)?.count ?? 0) * factor, isApproximate },
    isApproximate,
    values: asked.flatMap((facet) =>
      (facet === 'drive' ? rows.filter((row) => row.left === -1) : rowsAbout(facets.indexOf(facet)))
        .flatMap((row): CountedValue[] => {
          const value = facet === 'drive' ? row['on_drive'] : row[facet];
          return value === null || value === undefined ? [] : [{ facet, value, count: Math.round(row.count * factor) }];
        })
        .sort((a, b) => b.count - a.count || (a.value < b.value ? -1 : 1))
        .slice(0, MOST_VALUES),
    ),
    categories: (withCategories ? rowsAbout(facets.length) : [])
      .map((row) => ({
        category: row['in_category'] ?? '',
        subCategory: row['in_sub_category'] ?? '',
        catId: row['in_cat_id'] ?? '',
        count: Math.round(row.count * factor),
      }))
      .sort((a, b) => byName(a.category, b.category) || byName(a.subCategory, b.subCategory)),
  };
}

function byName(one: string, other: string): number {
  return one < other ? -1 : Number(one > other);
}

async function withDriveNames(app: AppContext, values: readonly CountedValue[]): Promise<CountedValue[]> {
  if (!values.some(({ facet }) => facet === 'drive')) return [...values];
  const names = new Map((await app.db.select().from(drives)).map(({ id, name }) => [id, name]));
  return values.map((each) => (each.facet === 'drive' ? { ...each, value: names.get(each.value) ?? '' } : each));
}

function termOf(facet: Facet, value: string): { label: string; term: string } {
  const banded = BANDED[facet];
  const band = banded && bandsBetween(banded.edges)[Number(value)];
  if (banded && band) return { label: bandInWords(band, banded.unit), term: `${facet}:${bandTerm(band)}` };
  if (facet === 'rate') return { label: `${Number(value) / 1000} kHz`, term: `rate:${value}` };
  if (facet === 'depth') return { label: `${value} bit`, term: `depth:${value}` };
  if (facet === 'channels') return { label: channelsInWords(value), term: `channels:${value}` };
  if (facet === 'rating') return { label: '★'.repeat(Number(value)), term: `rating:${value}` };
  return { label: value, term: `${facet}:${facet === 'form' ? '' : '='}${valueInLine(value)}` };
}

function channelsInWords(channels: string): string {
  return { 1: 'Mono', 2: 'Stereo', 6: '6 (5.1)', 8: '8 (7.1)' }[channels] ?? `${channels} channels`;
}

/** Numbers in their order, names by how often they occur. */
function inOrder<Value extends { term: string }>(facet: Facet, values: Value[]): Value[] {
  const edges = BANDED[facet]?.edges;
  const terms = edges && bandsBetween(edges).map(bandTerm);
  const place = ({ term }: Value): number => {
    const value = term.slice(facet.length + 1);
    return terms ? terms.indexOf(value) : Number(value);
  };
  const isNumeric = terms !== undefined || ['channels', 'rate', 'depth', 'rating'].includes(facet);
  return isNumeric ? [...values].sort((a, b) => place(a) - place(b)) : values;
}
