import type { HitCount } from '@flagstone/contract/facets';
import { filterSchema, type ListFilter } from '@flagstone/contract/selection';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { forAll } from '../db/while-waited.ts';
import { keptAnswer } from './kept.ts';
import { wordsAsked } from '../records/query-sql.ts';
import { allOf, upTo } from '../db/sql-parts.ts';
import { catalogueTables, conditionsNow, isNarrow, type ConditionsOf } from '../records/search.ts';

/** Of so many sounds, as PostgreSQL expects them, what is found is counted one by one, where that is not too dear; of more, a fair sample stands for all. */
const MOST_COUNTED = 2000;
/** Samples, the larger first; the largest that is not too dear is taken. Each is one value of a column, which the index of words knows. */
const LARGE = { condition: sql`f.eighth = 0::smallint`, factor: 8 };
const SMALL = { condition: sql`f.bucket = 0::smallint`, factor: 64 };
/** When there are more than so many after all, they are counted in a sample too. */
const MOST_AFTER_ALL = 5000;
/** What PostgreSQL may expect counting to cost, in its own units: some 10 ms here. Looking at 2,000 sounds all over the table costs about as much. */
const DEAR = 2500;

/** What PostgreSQL expects of a filter, from its statistics, before anything is looked for. */
export interface Expectation {
  /** How the filter, and others like it, are asked for in full. */
  conditionsOf: ConditionsOf;
  /** How many sounds it expects the filter to find in all. */
  expected: number;
  /** How many of them it expects to have the words in name, keywords or category; 0 for a filter without words. */
  expectedNamed: number;
  /** How many are filed. */
  filed: number;
  /** Few enough to look at all of them. */
  isFew: boolean;
}

/** Some of what a filter finds, whose counts, times `factor`, are those of all of it; with 1 it is all of it. */
export interface Sample {
  conditions: SQL[];
  factor: number;
  /** How many to count at most, where few are expected. */
  most?: number;
}

/** How many of the filed sounds a filter finds: exactly for some thousands, and when it finds all of them; else in proportion. */
export async function countHits(app: AppContext, filter: ListFilter): Promise<HitCount> {
  if (!isNarrow(filter)) return { count: await countCatalogue(app), isApproximate: false };
  return inSample(app, filter, async ({ conditions, factor, most }) => {
    const counted = await count(app.db, conditions, most);
    return { count: counted * factor, isApproximate: factor !== 1 };
  });
}

/** Counts in the sample of a filter; again in a small one when there are far more than PostgreSQL expected, as of words that always stand together. */
export async function inSample<Value extends HitCount | { total: HitCount }>(
  app: AppContext,
  filter: ListFilter,
  counting: (sample: Sample) => Promise<Value>,
): Promise<Value> {
  const sample = await sampleOf(app, filter);
  const value = await counting(sample);
  const { count: counted } = 'total' in value ? value.total : value;
  if (sample.most === undefined || counted <= sample.most) return value;
  return counting(inPart(sample.conditions, SMALL));
}

const countCatalogue = keptAnswer(async (app) => {
  const conditionsOf = await conditionsNow(app.db, '');
  return count(app.db, conditionsOf(filterSchema.parse({})));
});

/** A list, its index and its categories ask for the same at the same time: it is worked out once. */
export const expectationOf = atOnce(expect);

/** The sample to count in, so that a search that finds half a million costs no more than one that finds some thousand. */
export const sampleOf = atOnce(findSample);

/** The work for a filter, done once for all who ask for it while it is under way. */
function atOnce<Value>(
  work: (app: AppContext, filter: ListFilter) => Promise<Value>,
): (app: AppContext, filter: ListFilter) => Promise<Value> {
  const underWay = new WeakMap<AppContext, Map<string, Promise<Value>>>();
  return (app, filter) => {
    const known = underWay.get(app) ?? new Map<string, Promise<Value>>();
    underWay.set(app, known);
    const key = JSON.stringify(filterSchema.parse(filter));
    const asked = known.get(key);
    if (asked) return asked;
    const value = forAll(() => work(app, filter)).finally(() => known.delete(key));
    known.set(key, value);
    return value;
  };
}

async function expect(app: AppContext, filter: ListFilter): Promise<Expectation> {
  const conditionsOf = await conditionsNow(app.db, filter.q);
  const named = wordsAsked(filter.q) ? [conditionsOf({ ...filter, also: '' }, true)] : [];
  const [ofAll, everything, ofNamed] = await expectationsOf(app.db, [conditionsOf(filter), [sql`f.filed`], ...named]);
  if (!ofAll || !everything) throw new Error('PostgreSQL did not say what it expects');
  const isFew = ofAll.rows <= MOST_COUNTED && ofAll.cost <= DEAR;
  return { conditionsOf, isFew, expected: ofAll.rows, expectedNamed: ofNamed?.rows ?? 0, filed: everything.rows };
}

async function findSample(app: AppContext, filter: ListFilter): Promise<Sample> {
  const { conditionsOf, isFew } = await expectationOf(app, filter);
  const all = conditionsOf(filter);
  if (isFew) return { conditions: all, factor: 1, most: MOST_AFTER_ALL };
  const large = inPart(all, LARGE);
  const [ofLarge] = await expectationsOf(app.db, [large.conditions]);
  return ofLarge && ofLarge.cost <= DEAR ? large : inPart(all, SMALL);
}

const inPart = (conditions: readonly SQL[], { condition, factor }: typeof LARGE): Sample => ({
  conditions: [...conditions, condition],
  factor,
});

interface PlanNode {
  'Subplan Name'?: string;
  'Total Cost': number;
  'Plan Rows': number;
  Plans?: PlanNode[];
}

/**
 * How many sounds PostgreSQL expects to meet each of some lists of conditions, and what it expects finding them to cost: it knows when few are found by
 * looking at many. One statement plans them all.
 */
async function expectationsOf(db: Queryable, lists: readonly SQL[][]): Promise<{ rows: number; cost: number }[]> {
  const found = lists.map(
    (conditions) => sql`array(select f.sound_id from ${catalogueTables()} where ${allOf(conditions)})`,
  );
  const { rows } = await db.execute<{ 'QUERY PLAN': [{ Plan: PlanNode }] }>(
    sql`explain (format json) select ${sql.join(found, sql`, `)}`,
  );
  // “InitPlan 1 (returns $0)” is the first of them.
  return (rows[0]?.['QUERY PLAN'][0].Plan.Plans ?? [])
    .map((plan) => ({ place: Number(/\d+/.exec(plan['Subplan Name'] ?? '')), plan }))
    .sort((a, b) => a.place - b.place)
    .map(({ plan }) => ({ rows: plan['Plan Rows'], cost: plan['Total Cost'] }));
}

async function count(db: Queryable, conditions: readonly SQL[], most?: number): Promise<number> {
  const { rows } = await db.execute<{ count: number }>(
    sql`select count(*) from (select from ${catalogueTables()} where ${allOf(conditions)} ${upTo(most)}) hit`,
  );
  return rows[0]?.count ?? 0;
}
