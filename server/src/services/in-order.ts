import { sql, type SQL } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { allOf, catalogueTables } from './search.ts';

/**
 * The first of what is found in the catalogue, in an order that an index has. PostgreSQL by itself goes along that index until it has enough, and expects
 * to find them spread evenly: of “water” by name, or of two words that no sound has both of, it looks at a million. So it is told how far to go.
 */

/** So many times as many rows are looked at as should be needed. */
const PATIENCE = 2;

export interface Order {
  /** The last one is the number of the sound. */
  keys: readonly { column: SQL; descending: boolean }[];
  /** Rows behind the last one of the page before. */
  beyond: readonly SQL[];
  /** A key is a column of the record. */
  withRecord?: boolean;
}

/** Keys by the name of their place: `k0`, `k1`, … */
export type KeyRow = Record<string, string | number>;

const names = (order: Order): SQL[] => order.keys.map((_, index) => sql`${sql.identifier(`k${index}`)}`);
const columnsOf = (order: Order): SQL =>
  sql.join(
    order.keys.map(({ column }, index) => sql`${column} as ${sql.identifier(`k${index}`)}`),
    sql`, `,
  );
const sorted = (order: Order, columns: readonly SQL[]): SQL =>
  sql.join(
    columns.map((column, index) => (order.keys[index]?.descending ? sql`${column} desc` : column)),
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
    select ${sql.join(names(order), sql`, `)} from (
      select f.*, ${columnsOf(order)} from ${catalogueTables(order.withRecord)} where ${allOf(all)}
      order by ${sorted(
        order,
        order.keys.map(({ column }) => column),
      )} limit ${limit * oneIn * PATIENCE}) f
    where ${allOf(conditions)} order by ${sorted(order, names(order))} limit ${limit}`);
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
  const end = most === undefined ? sql`` : sql`limit ${most + 1}`;
  const { rows } = await db.execute<KeyRow>(sql`
    with hit as materialized (
      select ${columnsOf(order)} from ${catalogueTables(order.withRecord)} where ${allOf([...conditions, ...order.beyond])} ${end})
    select ${sql.join(names(order), sql`, `)}, (select count(*) from hit) as total from hit order by ${sorted(order, names(order))} limit ${limit}`);
  const total = Number(rows[0]?.['total'] ?? 0);
  return most !== undefined && total > most ? undefined : { rows, total };
}
