import { filterSchema, type ListFilter } from '@flagstone/contract/selection';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { forAll } from '../db/while-waited.ts';
import { keptAnswer } from './kept.ts';
import { allOf, catalogueConditions, catalogueTables, isNarrow } from './search.ts';

/** Of so many sounds, as PostgreSQL expects them, what is found is counted one by one, where that is not too dear; of more, a fair sample stands for all. */
const MOST_COUNTED = 2500;
/** Samples, the larger first; the largest that is not too dear is taken. Each is one value of a column, which the index of words knows. */
const SAMPLES = [
  { condition: sql`f.eighth = 0::smallint`, factor: 8 },
  { condition: sql`f.bucket = 0::smallint`, factor: 64 },
];
/** What PostgreSQL may expect counting to cost, in its own units: some 10 ms here. Looking at 2,000 sounds all over the table costs about as much. */
const DEAR = 2500;

/** Some of what a filter finds, whose counts, times `factor`, are those of all of it. */
export interface Sample {
  conditions: SQL[];
  factor: number;
  /** How many sounds PostgreSQL expects the filter to find in all, from its statistics. */
  expected: number;
}

export interface HitCount {
  count: number;
  isApproximate: boolean;
}

/** How many of the filed sounds a filter finds: exactly for some thousands, and when it finds all of them; else in proportion. */
export async function countHits(app: AppContext, filter: ListFilter): Promise<HitCount> {
  if (!isNarrow(filter)) return { count: await countCatalogue(app), isApproximate: false };
  const { conditions, factor } = await sampleOf(app, filter);
  return { count: (await count(app.db, conditions)) * factor, isApproximate: factor !== 1 };
}

const countCatalogue = keptAnswer(async (app) =>
  count(app.db, await catalogueConditions(app.db, filterSchema.parse({}))),
);

/**
 * The sample to count in, so that a search that finds half a million costs no more than one that finds some thousand. A list, its index and its
 * categories ask for the same at the same time: it is worked out once.
 */
export function sampleOf(app: AppContext, filter: ListFilter): Promise<Sample> {
  const known = underWay.get(app) ?? new Map<string, Promise<Sample>>();
  underWay.set(app, known);
  const key = JSON.stringify(filterSchema.parse(filter));
  const asked = known.get(key);
  if (asked) return asked;
  const sample = forAll(() => findSample(app.db, filter)).finally(() => known.delete(key));
  known.set(key, sample);
  return sample;
}

const underWay = new WeakMap<AppContext, Map<string, Promise<Sample>>>();

async function findSample(db: Queryable, filter: ListFilter): Promise<Sample> {
  const conditions = await catalogueConditions(db, filter);
  const expected = await expectationOf(db, conditions);
  if (expected.rows <= MOST_COUNTED && expected.cost <= DEAR) return { conditions, factor: 1, expected: expected.rows };
  const [large, small] = SAMPLES.map(({ condition, factor }) => ({
    conditions: [...conditions, condition],
    factor,
    expected: expected.rows,
  }));
  if (!large || !small) throw new Error('there is no sample to count in');
  return (await expectationOf(db, large.conditions)).cost <= DEAR ? large : small;
}

/** How many sounds PostgreSQL expects to meet conditions, and what it expects counting them to cost: it knows when few are found by looking at many. */
async function expectationOf(db: Queryable, conditions: readonly SQL[]): Promise<{ rows: number; cost: number }> {
  const { rows } = await db.execute<{ 'QUERY PLAN': [{ Plan: { 'Total Cost': number; 'Plan Rows': number } }] }>(
    sql`explain (format json) select from ${catalogueTables(false)} where ${allOf(conditions)}`,
  );
  const plan = rows[0]?.['QUERY PLAN'][0].Plan;
  return { rows: plan?.['Plan Rows'] ?? Infinity, cost: plan?.['Total Cost'] ?? Infinity };
}

async function count(db: Queryable, conditions: readonly SQL[]): Promise<number> {
  const { rows } = await db.execute<{ count: number }>(
    sql`select count(*) from ${catalogueTables(false)} where ${allOf(conditions)}`,
  );
  return rows[0]?.count ?? 0;
}
