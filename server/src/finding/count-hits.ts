import type { HitCount } from '@flagstone/contract/facets';
import { filterSchema } from '@flagstone/contract/selection';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { allOf, upTo } from '../db/sql-parts.ts';
import { catalogueTables, conditionsNow, isNarrow } from '../records/search-conditions.ts';
import type { SeenFilter } from '../rights/seen.ts';
import { cachedAnswer } from './cached-answer.ts';
import { sampleOf, smallestSample, type Sample } from './search-plan.ts';

/** How many of the filed sounds a filter finds: exactly for some thousands, and when it finds all of them; else in proportion. */
export async function countHits(app: AppContext, filter: SeenFilter): Promise<HitCount> {
  if (!isNarrow(filter)) return { count: await countCatalogue(app, filter.seenBy), isApproximate: false };
  return countInSample(app, filter, async ({ conditions, factor, limit }) => {
    const counted = await count(app.db, conditions, limit);
    return { count: counted * factor, isApproximate: factor !== 1 };
  });
}

/** Counts in the sample of a filter; again in the smallest one when there are far more than PostgreSQL expected, as of words that always stand together. */
export async function countInSample<Value extends HitCount | { total: HitCount }>(
  app: AppContext,
  filter: SeenFilter,
  counting: (sample: Sample) => Promise<Value>,
): Promise<Value> {
  const sample = await sampleOf(app, filter);
  const value = await counting(sample);
  const { count: counted } = 'total' in value ? value.total : value;
  if (sample.limit === undefined || counted <= sample.limit) return value;
  return counting(smallestSample(sample.conditions));
}

const countCatalogue = cachedAnswer(async (app, seenBy) => {
  const all: SeenFilter = { ...filterSchema.parse({}), seenBy };
  return count(app.db, (await conditionsNow(app.db, all))(all));
});

async function count(db: Queryable, conditions: readonly SQL[], limit?: number): Promise<number> {
  const { rows } = await db.execute<{ count: number }>(
    sql`select count(*) from (select from ${catalogueTables()} where ${allOf(conditions)} ${upTo(limit)}) hit`,
  );
  return rows[0]?.count ?? 0;
}
