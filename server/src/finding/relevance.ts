import { PLACE_WEIGHTS } from '@flagstone/core/query/explain-rank';
import { sql, type SQL } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import type { SeenQuery } from '../rights/seen.ts';
import { firstRows, type Order } from './first-rows.ts';
import { pageOf, readMark, type PageOfIds } from './keyset-page.ts';
import type { SearchPlan } from './search-plan.ts';
import { found, NAMES, wordsAsked } from '../records/query-conditions.ts';
import { allOf } from '../db/sql-parts.ts';
import { catalogueTables } from '../records/search-conditions.ts';

/** Says in a cursor that every hit was ranked; otherwise the cursor says the tier. */
const RANKED = -1;
const MOST_TIERS = 3;
/** What a column of merits can hold; every score is less. */
const MOST_MERIT = 32_767;

/** What a hit in paths, other fields, keywords and category, and the name counts. */
const WEIGHTS = `{${PLACE_WEIGHTS.path},${PLACE_WEIGHTS.others},${PLACE_WEIGHTS.labels},${PLACE_WEIGHTS.name}}`;
/** The best merit is 18; a sound that is described and rated in full counts half again as much as one of which nothing is known. */
const MERIT_SHARE = 36;
/** Whatever has the words themselves stands above what only has words beside them. */
const EXACT = 10;

/** A cursor: how the order was made, with score or merit and id of the previous page's last row. */
const markSchema = z.tuple([
  z
    .int()
    .min(RANKED)
    .max(MOST_TIERS - 1),
  z.number().min(-MOST_MERIT).max(MOST_MERIT),
  z.int(),
]);
type LastRow = readonly [key: number, soundId: number];

interface Question {
  /** The words as they were typed. */
  exact: SQL;
  /** With the words that stand beside them; the same where there are none. */
  wide: SQL;
  isWidened: boolean;
}

/**
 * How well a sound `f` answers a question: where its words stand, how often and how near each other (PostgreSQL's ts_rank, in proportion to the
 * logarithm of the number of words), times its merit.
 */
function score({ exact, wide, isWidened }: Question): SQL {
  const rank = sql`ts_rank(${WEIGHTS}::real[], f.search, ${wide}, 1) * (1 + f.merit / ${MERIT_SHARE}::float8)`;
  return isWidened
    ? sql`(${rank} + case when f.search @@ ${exact} then ${EXACT} else 0 end)::float8`
    : sql`(${rank})::float8`;
}

/**
 * A page of the catalogue, what answers the words of the search line best first; undefined when it has none. What is few enough to be its own sample is ranked,
 * and counted, one by one; of more, those with the words in name, keywords or category come first, the best ones first. The cursor says how the
 * order was made, so that the pages that follow are made the same way.
 */
export async function relevantPage(
  app: AppContext,
  query: SeenQuery,
  plan: SearchPlan,
): Promise<PageOfIds | undefined> {
  const exact = wordsAsked(query.q);
  const wide = wordsAsked(query.q, query.also);
  if (!exact || !wide) return undefined;
  const question = { exact, wide, isWidened: query.also !== '' };
  const { conditionsOf, isFew } = plan;
  const isCounted = isFew && query.after === undefined;
  const mark = query.after === undefined ? undefined : readMark(query.after, markSchema);
  const order = mark?.[0] ?? (isCounted ? RANKED : 0);
  const after: LastRow | undefined = mark && [mark[1], mark[2]];
  const conditions = conditionsOf(query);
  if (order === RANKED) {
    const { keys, total } = await ranked(app.db, conditions, score(question), query.limit + 1, after);
    const page = pageOf(
      keys.map((row) => [RANKED, ...row]),
      query.limit,
    );
    return isCounted ? { ...page, total } : page;
  }
  // Tier after tier until the page is full: there are two, or three with words beside those that were typed.
  const tiers = [conditionsOf({ ...query, also: '' }, true), ...othersOf(question).map((one) => [...conditions, one])];
  const rows: (string | number)[][] = [];
  for (let tier = order; tier < tiers.length && rows.length <= query.limit; tier += 1) {
    const missing = query.limit + 1 - rows.length;
    const beyond = tier === order ? after : undefined;
    const ways = tier === 0 ? plan.named : plan.others;
    const best = await firstRows(app, ways, orderByMerit(beyond), tiers[tier] ?? [], missing);
    rows.push(...best.rows.map((row) => [tier, Number(row['k0']), Number(row['k1'])]));
  }
  return pageOf(rows, query.limit);
}

/** What comes behind those with the words in name, keywords or category: the words elsewhere; only words beside them. */
function othersOf({ exact, isWidened }: Question): SQL[] {
  const elsewhere = sql`not ${found(exact, NAMES)}`;
  return isWidened ? [sql`${elsewhere} and ${found(exact)}`, sql`not ${found(exact)}`] : [elsewhere];
}

/** Scores and ids of sounds after a cursor, the highest score first; and how many there are in all. */
async function ranked(
  db: Queryable,
  conditions: readonly SQL[],
  key: SQL,
  limit: number,
  after: LastRow | undefined,
): Promise<{ keys: [number, number][]; total: number }> {
  const beyond = after ? [sql`(${key}, f.sound_id) < (${after[0]}, ${after[1]})`] : [];
  const { rows } = await db.execute<{ key: number; id: number; total: number }>(sql`
    select ${key} as key, f.sound_id as id, count(*) over () as total from ${catalogueTables()}
    where ${allOf([...conditions, ...beyond])} order by ${key} desc, f.sound_id desc limit ${limit}`);
  return { keys: rows.map((row) => [row.key, row.id]), total: rows[0]?.total ?? 0 };
}

/** The best of a tier after a cursor, by merit. */
function orderByMerit(after: LastRow | undefined): Order {
  return {
    keys: [sql`f.merit`, sql`f.sound_id`].map((column) => ({ column, descending: true })),
    beyond: behind(after),
    ...(after ? { startMerit: after[0] } : {}),
  };
}

function behind(after: LastRow | undefined): SQL[] {
  return after ? [sql`(f.merit, f.sound_id) < (${after[0]}, ${after[1]})`] : [];
}
