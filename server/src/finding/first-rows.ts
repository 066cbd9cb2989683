import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { allOf, upTo } from '../db/sql-parts.ts';
import { catalogueTables } from '../records/search-conditions.ts';
import type { Way } from './search-plan.ts';

/** An index scan is cut off after this multiple of the rows that should be needed. */
const WALK_LIMIT_FACTOR = 2;

/** Sort keys; the last one is the id of the sound or copy, which breaks ties. */
export type SortColumns = readonly { column: SQL; descending: boolean }[];

export interface Order {
  keys: SortColumns;
  /** Rows behind the last one of the page before. */
  beyond: readonly SQL[];
  /** A key is a column of the record. */
  withRecord?: boolean;
  /** Of an order by merit: the merit of the last row of the page before. */
  startMerit?: number;
}

/** Keys by the name of their place: `k0`, `k1`, … */
export type KeyRow = Record<string, string | number>;

export interface FirstRows {
  rows: KeyRow[];
  /** How many there are in all, where that was found out on the way. */
  total?: number;
}

/** The first of what is found in the catalogue in an order, by the ways of a plan: the next one is gone when one did not lead to enough. */
export async function firstRows(
  app: AppContext,
  ways: readonly Way[],
  order: Order,
  conditions: readonly SQL[],
  limit: number,
): Promise<FirstRows> {
  for (const way of ways) {
    const found = await goOneWay(app.db, way, order, conditions, limit);
    app.log.debug({ way, reached: found !== undefined }, 'looked for the first rows');
    if (found) return found;
  }
  throw new Error('no way of the plan leads to its rows');
}

async function goOneWay(
  db: Queryable,
  way: Way,
  order: Order,
  conditions: readonly SQL[],
  limit: number,
): Promise<FirstRows | undefined> {
  if (way.by === 'walk') return walk(db, order, conditions, limit, way.oneIn);
  if (way.by === 'gather') return gather(db, order, conditions, limit, way.limit);
  return { rows: await byMerit(db, order, conditions, limit) };
}

const nameOf = (index: number): SQL => sql`${sql.identifier(`k${index}`)}`;
const namesOf = (keys: SortColumns): SQL =>
  sql.join(
    keys.map((_, index) => nameOf(index)),
    sql`, `,
  );

/** The keys as columns `k0`, `k1`, … */
export const columnsOf = (keys: SortColumns): SQL =>
  sql.join(
    keys.map(({ column }, index) => sql`${column} as ${nameOf(index)}`),
    sql`, `,
  );

/** The order by keys that are selected as their columns. */
export const sortedBy = (keys: SortColumns): SQL =>
  sql.join(
    keys.map(({ descending }, index) => (descending ? sql`${nameOf(index)} desc` : nameOf(index))),
    sql`, `,
  );

/** Scans the index of an order where one of `oneIn` rows is expected to match, up to a cutoff: undefined when too few were met. */
async function walk(
  db: Queryable,
  order: Order,
  conditions: readonly SQL[],
  limit: number,
  oneIn: number,
): Promise<FirstRows | undefined> {
  const all = [sql`f.filed`, ...order.beyond];
  const { rows } = await db.execute<KeyRow>(sql`
    select ${namesOf(order.keys)} from (
      select f.*, ${columnsOf(order.keys)} from ${catalogueTables(order.withRecord)} where ${allOf(all)}
      order by ${sortedBy(order.keys)} limit ${limit * oneIn * WALK_LIMIT_FACTOR}) f
    where ${allOf(conditions)} order by ${sortedBy(order.keys)} limit ${limit}`);
  return rows.length < limit ? undefined : { rows };
}

/** Finds all, by whichever index finds them, then puts them in order, and says how many there are: undefined when there are more than `most`. */
async function gather(
  db: Queryable,
  order: Order,
  conditions: readonly SQL[],
  limit: number,
  most?: number,
): Promise<FirstRows | undefined> {
  const { rows } = await db.execute<KeyRow>(sql`
    with hit as materialized (
      select ${columnsOf(order.keys)} from ${catalogueTables(order.withRecord)} where ${allOf([...conditions, ...order.beyond])} ${upTo(most)})
    select ${namesOf(order.keys)}, (select count(*) from hit) as total from hit order by ${sortedBy(order.keys)} limit ${limit}`);
  const total = Number(rows[0]?.['total'] ?? 0);
  return most !== undefined && total > most ? undefined : { rows, total };
}

/**
 * One merit after the other, which the indexes of words know, until there are enough, so that only the best are looked at. For an order by merit and number, the
 * highest first. (A join of nested loops keeps the order of its left side and ends at the limit; sorted as a whole, all merits would be gone through.)
 */
async function byMerit(
  db: Queryable,
  { beyond, startMerit }: Order,
  conditions: readonly SQL[],
  limit: number,
): Promise<KeyRow[]> {
  const end = (which: 'min' | 'max'): SQL => sql`(select ${sql.raw(which)}(merit) from search_rows where filed)`;
  const first = startMerit === undefined ? end('max') : sql`least(${startMerit}::int, ${end('max')})`;
  const all = [sql`f.merit = step.merit::smallint`, ...conditions, ...beyond];
  // Not just the number, whose index PostgreSQL would go along, expecting more than there may be.
  const { rows } = await db.execute<KeyRow>(sql`
    select best.merit as k0, best.id as k1 from generate_series(${first}, ${end('min')}, -1) step(merit) cross join lateral (
      select f.merit, f.sound_id as id from ${catalogueTables()} where ${allOf(all)} order by f.sound_id + 0 desc limit ${limit}) best
    limit ${limit}`);
  return rows;
}
