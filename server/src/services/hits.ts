import { filterSchema, type ListFilter } from '@flagstone/contract/selection';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { keptAnswer } from './kept.ts';
import { allOf, catalogueConditions, catalogueTables, isNarrow } from './search.ts';

/** So many of what is found are counted exactly, where that is not too dear; of more, a fair sample stands for all. */
const MOST_COUNTED = 2000;
/** Samples, the larger first; the largest that is not too dear is taken. Each is one value of a column, which the index of words knows. */
const SAMPLES = [
  { condition: sql`f.eighth = 0::smallint`, factor: 8 },
  { condition: sql`f.bucket = 0::smallint`, factor: 64 },
];
/** What PostgreSQL may expect counting to cost, in its own units: some 15 ms here. Looking at 3,000 sounds all over the table costs about as much. */
const DEAR = 4000;
const NO_LIMIT = 2_000_000_000;

/** Some of what a filter finds, whose counts, times `factor`, are those of all of it. */
export interface Sample {
  conditions: SQL[];
  hits: number;
  factor: number;
}

export interface HitCount {
  count: number;
  isApproximate: boolean;
}

/** How many of the filed sounds a filter finds: exactly up to a limit, and when it finds all of them; else in proportion. */
export async function countHits(app: AppContext, filter: ListFilter): Promise<HitCount> {
  if (!isNarrow(filter)) return { count: await countCatalogue(app), isApproximate: false };
  const { hits, factor } = await sampleOf(app, filter);
  return { count: Math.round(hits * factor), isApproximate: factor !== 1 };
}

const countCatalogue = keptAnswer(async (app) =>
  countUpTo(app.db, await catalogueConditions(app.db, filterSchema.parse({})), NO_LIMIT),
);

/**
 * The sample to count in, so that a search that finds half a million costs no more than one that finds five thousand; and its hits. A list, its index and its
 * categories ask for the same at the same time: it is worked out once.
 */
export function sampleOf(app: AppContext, filter: ListFilter): Promise<Sample> {
  const known = underWay.get(app) ?? new Map<string, Promise<Sample>>();
  underWay.set(app, known);
  const key = JSON.stringify(filterSchema.parse(filter));
  const asked = known.get(key);
  if (asked) return asked;
  const sample = findSample(app.db, filter).finally(() => known.delete(key));
  known.set(key, sample);
  return sample;
}

const underWay = new WeakMap<AppContext, Map<string, Promise<Sample>>>();

async function findSample(db: Queryable, filter: ListFilter): Promise<Sample> {
  const conditions = await catalogueConditions(db, filter);
  if ((await costOf(db, conditions, MOST_COUNTED + 1)) <= DEAR) {
    const hits = await countUpTo(db, conditions, MOST_COUNTED + 1);
    if (hits <= MOST_COUNTED) return { conditions, hits, factor: 1 };
  }
  for (const { condition, factor } of SAMPLES) {
    const some = [...conditions, condition];
    if (factor === SAMPLES.at(-1)?.factor || (await costOf(db, some, NO_LIMIT)) <= DEAR)
      return { conditions: some, hits: await countUpTo(db, some, NO_LIMIT), factor };
  }
  throw new Error('there is no sample to count in');
}

/** What PostgreSQL expects counting to cost. It also knows when few sounds are found by looking at many. */
async function costOf(db: Queryable, conditions: readonly SQL[], most: number): Promise<number> {
  const { rows } = await db.execute<{ 'QUERY PLAN': [{ Plan: { 'Total Cost': number } }] }>(
    sql`explain (format json) ${countQuery(conditions, most)}`,
  );
  return rows[0]?.['QUERY PLAN'][0].Plan['Total Cost'] ?? Infinity;
}

async function countUpTo(db: Queryable, conditions: readonly SQL[], most: number): Promise<number> {
  const { rows } = await db.execute<{ count: number }>(countQuery(conditions, most));
  return rows[0]?.count ?? 0;
}

function countQuery(conditions: readonly SQL[], most: number): SQL {
  return sql`select count(*) from (select from ${catalogueTables(false)} where ${allOf(conditions)} limit ${most}) hit`;
}
