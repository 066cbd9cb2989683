import { sql, type SQL } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { allOf, upTo } from '../db/sql-parts.ts';
import { catalogueTables } from '../records/search.ts';

/**
 * The first of what is found in the catalogue, in an order that an index has. PostgreSQL by itself goes along that index until it has enough, and expects
 * to find them spread evenly: of “water” by name, or of two words that no sound has both of, it looks at a million. So it is told how far to go.
 */

/** So many times as many rows are looked at as should be needed. */
const PATIENCE = 2;

/** What rows are sorted by; the last one is the number of the sound or copy. */
export type Keys = readonly { column: SQL; descending: boolean }[];

export interface Order {
  keys: Keys;
  /** Rows behind the last one of the page before. */
  beyond: readonly SQL[];
  /** A key is a column of the record. */
  withRecord?: boolean;
}

/** Keys by the name of their place: `k0`, `k1`, … */
export type KeyRow = Record<string, string | number>;

const nameOf = (index: number): SQL => sql`${sql.identifier(`k${index}`)}`;
const namesOf = (keys: Keys): SQL =>
  sql.join(
    keys.map((_, index) => nameOf(index)),
    sql`, `,
  );

/** The keys as columns `k0`, `k1`, … */
export const columnsOf = (keys: Keys): SQL =>
  sql.join(
    keys.map(({ column }, index) => sql`${column} as ${nameOf(index)}`),
    sql`, `,
  );

/** The order by keys that are selected as their columns. */
export const sortedBy = (keys: Keys): SQL =>
  sql.join(
    keys.map(({ descending }, index) => (descending ? sql`${nameOf(index)} desc` : nameOf(index))),
    sql`, `,
  );

/** Goes along the index of an order when one of `oneIn` is expected to be found, but not for ever: undefined when too few were met. */
export async function alongIndex(
  db: Queryable,
  order: Order,
  conditions: readonly SQL[],
  limit: number,
  oneIn: number,
): Promise<KeyRow[] | undefined> {
  const all = [sql`f.filed`, ...order.beyond];
  const { rows } = await db.execute<KeyRow>(sql`
    select ${namesOf(order.keys)} from (
      select f.*, ${columnsOf(order.keys)} from ${catalogueTables(order.withRecord)} where ${allOf(all)}
      order by ${sortedBy(order.keys)} limit ${limit * oneIn * PATIENCE}) f
    where ${allOf(conditions)} order by ${sortedBy(order.keys)} limit ${limit}`);
  return rows.length < limit ? undefined : rows;
}

/** Finds all, by whichever index finds them, then puts them in order, and says how many there are: undefined when there are more than `most`. */
export async function gathered(
  db: Queryable,
  order: Order,
  conditions: readonly SQL[],
  limit: number,
  most?: number,
): Promise<{ rows: KeyRow[]; total: number } | undefined> {
  const { rows } = await db.execute<KeyRow>(sql`
    with hit as materialized (
      select ${columnsOf(order.keys)} from ${catalogueTables(order.withRecord)} where ${allOf([...conditions, ...order.beyond])} ${upTo(most)})
    select ${namesOf(order.keys)}, (select count(*) from hit) as total from hit order by ${sortedBy(order.keys)} limit ${limit}`);
  const total = Number(rows[0]?.['total'] ?? 0);
  return most !== undefined && total > most ? undefined : { rows, total };
}
