import { filterSchema } from '@flagstone/contract/selection';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { allOf } from '../db/sql-parts.ts';
import { keyOf } from '../rights/rights.ts';
import type { SeenFilter } from '../rights/seen.ts';
import { forAll } from '../db/while-waited.ts';
import { wordsAsked } from '../records/query-conditions.ts';
import { catalogueTables, conditionsNow, type ConditionsOf } from '../records/search-conditions.ts';

/**
 * How a search of the catalogue is answered: exactly or from a sample, by an index scan or by collecting and sorting. It is decided here alone, from the planner's
 * estimates, before anything is read; lists, counts, facets and relevance ask the plan and carry it out.
 *
 * PostgreSQL by itself scans the index of an order until it has enough and assumes that hits are spread evenly: for “water” by name, or two words that no sound has
 * both of, it would read a million rows. So it is told which way to go, and how far.
 */

/** Look at every hit when at most so many are expected, at no more than this cost in PostgreSQL's units (some 10 ms here); otherwise a sample stands for all. */
const EXACT_MAX_ROWS = 2000;
const EXACT_MAX_COST = 2500;
/** Stop an exact count here: there are more than expected after all, and a sample is taken. */
const EXACT_COUNT_LIMIT = 5000;

/** Walk the index of an order when at least 1 in 200 filed sounds is expected to match; otherwise collect and sort, which then costs no more. */
const INDEX_WALK_ONE_IN = 200;
/** The same for the best of the sounds that have words in their names: whether a name has them is dear to find out. */
const BEST_WALK_ONE_IN = 20;
/** From so many expected sounds on, ask for one merit after the other: the best value over 240 searches in a million. */
const BY_MERIT_MIN_ROWS = 1000;

/** Gather at most so many times as many as expected, and some: where there are many more, they are met soon on a walk. */
const GATHER_LIMIT_FACTOR = 2;
const GATHER_LIMIT_EXTRA = 3000;

/** Samples, each one value of a column that the index of words knows. */
const EIGHTH = { condition: sql`f.eighth = 0::smallint`, factor: 8 };
const SIXTY_FOURTH = { condition: sql`f.bucket = 0::smallint`, factor: 64 };

/** The planner's estimate for a list of conditions. */
export interface Expected {
  rows: number;
  /** In the planner's cost units. */
  cost: number;
}

export interface Expectations {
  /** Of all that the filter finds. */
  all: Expected;
  /** Of those with the words in name, keywords or category; undefined for a filter without words. */
  named: Expected | undefined;
  /** Filed sounds. */
  filed: number;
}

/** One way to the first rows in an order; the next one is tried when it does not lead to enough of them. */
export type Way =
  /** Walk the index of the order until so many times the wanted rows should have been enough. */
  | { by: 'walk'; oneIn: number }
  /** Gather all hits, by whichever index finds them, and sort them; given up when there are more than the limit. */
  | { by: 'gather'; limit?: number }
  /** Ask for the hits of one merit after the other, for an order by merit. */
  | { by: 'merit' };

export interface SearchDecisions {
  /** Few enough that every hit is looked at: ranked one by one, and counted on the way. */
  isFew: boolean;
  /** For an order that has an index; without one, walks are left out. */
  inOrder: Way[];
  /** For the best hits of a tier of relevance: those with the words in name, keywords or category, then the others. */
  named: Way[];
  others: Way[];
}

/** Decides how a search is answered. */
export function decide({ all, named, filed }: Expectations): SearchDecisions {
  const isFew = all.rows <= EXACT_MAX_ROWS && all.cost <= EXACT_MAX_COST;
  const walk: Way = { by: 'walk', oneIn: INDEX_WALK_ONE_IN };
  const isFrequent = !isFew && all.rows * INDEX_WALK_ONE_IN >= filed;
  const gather: Way = { by: 'gather', limit: GATHER_LIMIT_FACTOR * all.rows + GATHER_LIMIT_EXTRA };
  return {
    isFew,
    // Of words that always stand together PostgreSQL expects far too few: what is more than the limit is walked to.
    inOrder: isFrequent ? [walk, { by: 'gather' }] : [gather, walk, { by: 'gather' }],
    named: bestOf(named?.rows ?? 0, filed),
    others: bestOf(all.rows - (named?.rows ?? 0), filed),
  };
}

function bestOf(expected: number, filed: number): Way[] {
  const walk: Way[] = expected * BEST_WALK_ONE_IN >= filed ? [{ by: 'walk', oneIn: BEST_WALK_ONE_IN }] : [];
  return [...walk, expected >= BY_MERIT_MIN_ROWS ? { by: 'merit' } : { by: 'gather' }];
}

/** For the whole catalogue, of which PostgreSQL need not be asked. */
export const WAYS_THROUGH_ALL: readonly Way[] = [{ by: 'walk', oneIn: INDEX_WALK_ONE_IN }, { by: 'gather' }];

/** What is counted, whose counts, times `factor`, are those of all hits; with 1 they are exact. */
export interface Sample {
  conditions: SQL[];
  factor: number;
  /** Where an exact count stops; the smallest sample is taken then. */
  limit?: number;
}

/** The largest sample that is cheap enough, from what PostgreSQL expects of an eighth; a search that finds half a million costs no more than one that finds some thousand. */
export function sampleFrom(all: readonly SQL[], isFew: boolean, ofEighth: Expected | undefined): Sample {
  if (isFew) return { conditions: [...all], factor: 1, limit: EXACT_COUNT_LIMIT };
  return ofEighth && ofEighth.cost <= EXACT_MAX_COST ? inPart(all, EIGHTH) : smallestSample(all);
}

export function smallestSample(all: readonly SQL[]): Sample {
  return inPart(all, SIXTY_FOURTH);
}

const inPart = (all: readonly SQL[], { condition, factor }: typeof EIGHTH): Sample => ({
  conditions: [...all, condition],
  factor,
});

export interface SearchPlan extends SearchDecisions {
  /** How the filter, and others with its search line, are asked for in full. */
  conditionsOf: ConditionsOf;
}

/** The plan for a filter that leaves something out. A list, its index and its counts ask for it at the same time: it is made once. */
export const planOf = onceAtATime(async (app: AppContext, filter: SeenFilter): Promise<SearchPlan> => {
  const conditionsOf = await conditionsNow(app.db, filter);
  const named = wordsAsked(filter.q) ? [conditionsOf({ ...filter, also: '' }, true)] : [];
  const [all, filed, ofNamed] = await expectedOf(app.db, [conditionsOf(filter), [sql`f.filed`], ...named]);
  if (!all || !filed) throw new Error('PostgreSQL did not say what it expects');
  const expectations = { all, named: ofNamed, filed: filed.rows };
  const decisions = decide(expectations);
  app.log.debug({ search: filter.q, ...expectations, ...decisions }, 'planned a search');
  return { conditionsOf, ...decisions };
});

/** The sample to count in for a filter that leaves something out. */
export const sampleOf = onceAtATime(async (app: AppContext, filter: SeenFilter): Promise<Sample> => {
  const { conditionsOf, isFew } = await planOf(app, filter);
  const all = conditionsOf(filter);
  const [ofEighth] = isFew ? [] : await expectedOf(app.db, [inPart(all, EIGHTH).conditions]);
  const sample = sampleFrom(all, isFew, ofEighth);
  app.log.debug({ search: filter.q, factor: sample.factor }, 'chose a sample');
  return sample;
});

/** Work for a filter; concurrent callers share one run. */
function onceAtATime<Value>(
  work: (app: AppContext, filter: SeenFilter) => Promise<Value>,
): (app: AppContext, filter: SeenFilter) => Promise<Value> {
  const underWay = new WeakMap<AppContext, Map<string, Promise<Value>>>();
  return (app, filter) => {
    const known = underWay.get(app) ?? new Map<string, Promise<Value>>();
    underWay.set(app, known);
    const key = JSON.stringify([filterSchema.parse(filter), keyOf(filter.seenBy), filter.person]);
    const asked = known.get(key);
    if (asked) return asked;
    const value = forAll(() => work(app, filter)).finally(() => known.delete(key));
    known.set(key, value);
    return value;
  };
}

interface PlanNode {
  'Subplan Name'?: string;
  'Total Cost': number;
  'Plan Rows': number;
  Plans?: PlanNode[];
}

/** The planner's row and cost estimates for some lists of conditions. One EXPLAIN plans them all. */
async function expectedOf(db: Queryable, lists: readonly SQL[][]): Promise<Expected[]> {
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
