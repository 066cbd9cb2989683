import { sql, type SQL } from 'drizzle-orm';

/** Ids as one bound array. */
export function idList(ids: readonly number[]): SQL {
  return sql`${`{${ids.join(',')}}`}::bigint[]`;
}

/** Ends what is looked for with one more than so many, which tells that there are more; without a number, never. */
export function upTo(most: number | undefined): SQL {
  return most === undefined ? sql`` : sql`limit ${most + 1}`;
}

/** Conditions joined, true when there are none. */
export function allOf(conditions: readonly SQL[]): SQL {
  return conditions.length === 0 ? sql`true` : sql.join([...conditions], sql` and `);
}

/** Whether a folder is another one or lies in it; '' is the whole drive. */
export function isBelow(column: SQL, folder: string): SQL {
  return folder === '' ? sql`true` : sql`(${column} = ${folder} or starts_with(${column}, ${`${folder}/`}))`;
}

/** So many milliseconds from now by the database's clock, by which it is compared later. */
export function fromNow(milliseconds: number): SQL {
  return sql`now() + ${milliseconds} * interval '1 millisecond'`;
}
