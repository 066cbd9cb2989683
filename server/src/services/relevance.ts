import type { ListQuery } from '@flagstone/contract/selection';
import { PLACE_WEIGHTS } from '@flagstone/core/query/explain-rank';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { sampleOf } from './hits.ts';
import { pageOf, readMark, type PageOfIds } from './page-marks.ts';
import { found, NAMES, wordsAsked } from './query-sql.ts';
import { allOf, catalogueConditions, catalogueTables } from './search.ts';

/** Up to so many sounds are ranked one by one; of more, those with the words in name, keywords or category come first, the best ones first. */
const MOST_RANKED = 2000;
/** The order of which a mark tells that all were ranked one by one; else the number of the tier. */
const RANKED = -1;

/** What a hit in paths, other fields, keywords and category, and the name counts. */
const WEIGHTS = `{${PLACE_WEIGHTS.path},${PLACE_WEIGHTS.others},${PLACE_WEIGHTS.labels},${PLACE_WEIGHTS.name}}`;
/** The best merit is 18; a sound that is described and rated in full counts half again as much as one of which nothing is known. */
const MERIT_SHARE = 36;
/** Whatever has the words themselves stands above what only has words beside them. */
const EXACT = 10;

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
 * A page of the catalogue, what answers the words of the search line best first; undefined when it has none. Its mark says how the order was made, so that
 * the pages that follow are made the same way.
 */
export async function relevantPage(
  app: AppContext,
  query: ListQuery,
  conditions: readonly SQL[],
): Promise<PageOfIds | undefined> {
  const exact = wordsAsked(query.q);
  const wide = wordsAsked(query.q, query.also);
  if (!exact || !wide) return undefined;
  const question = { exact, wide, isWidened: query.also !== '' };
  const mark = query.after === undefined ? undefined : readMark(query.after, 3);
  const order = mark === undefined ? await orderOf(app, query) : Number(mark[0]);
  const after = mark && ([mark[1] ?? 0, mark[2] ?? 0] as const);
  if (order === RANKED) {
    const rows = await keysOf(app.db, conditions, score(question), query.limit + 1, after);
    return pageOf(
      rows.map((row) => [RANKED, ...row]),
      query.limit,
    );
  }
  // Tier after tier, each by merit, which has an index, until the page is full.
  const tiers = [
    await catalogueConditions(app.db, { ...query, also: '' }, true),
    ...othersOf(question).map((one) => [...conditions, one]),
  ];
  const rows: (string | number)[][] = [];
  for (let tier = order; tier < tiers.length && rows.length <= query.limit; tier += 1) {
    const all = tiers[tier] ?? [];
    const missing = query.limit + 1 - rows.length;
    const keys = await keysOf(app.db, all, sql`f.merit`, missing, tier === order ? after : undefined);
    rows.push(...keys.map((row) => [tier, ...row]));
  }
  return pageOf(rows, query.limit);
}

/** How what is found is put in order: expected to be few enough, one by one. It does not wait until they are counted. */
async function orderOf(app: AppContext, query: ListQuery): Promise<number> {
  const { factor, expected } = await sampleOf(app, query);
  return factor === 1 && expected <= MOST_RANKED ? RANKED : 0;
}

/** What comes behind those with the words in name, keywords or category: the words elsewhere; only words beside them. */
function othersOf({ exact, isWidened }: Question): SQL[] {
  const elsewhere = sql`not ${found(exact, NAMES)}`;
  return isWidened ? [sql`${elsewhere} and ${found(exact)}`, sql`not ${found(exact)}`] : [elsewhere];
}

/** Keys and numbers of sounds, the highest key first, behind a key and number. */
async function keysOf(
  db: Queryable,
  conditions: readonly SQL[],
  key: SQL,
  limit: number,
  after: readonly [string | number, string | number] | undefined,
): Promise<[number, number][]> {
  const beyond = after ? [sql`(${key}, f.sound_id) < (${after[0]}, ${after[1]})`] : [];
  const { rows } = await db.execute<{ key: number; id: number }>(sql`
    select ${key} as key, f.sound_id as id from ${catalogueTables(false)} where ${allOf([...conditions, ...beyond])}
    order by ${key} desc, f.sound_id desc limit ${limit}`);
  return rows.map((row) => [row.key, row.id]);
}
