import { getTableColumns, getTableName, sql, type SQL } from 'drizzle-orm';
import type { PgTable } from 'drizzle-orm/pg-core';

/**
 * The beginning of an INSERT of many rows by one JSON parameter, to be followed by ON CONFLICT or RETURNING: thousands of bound values
 * cost more to lay out than to insert. Every row holds the same columns.
 */
export function bulkInsert<Table extends PgTable>(table: Table, rows: readonly Partial<Table['$inferInsert']>[]): SQL {
  const columns = getTableColumns(table);
  const keys = Object.keys(rows[0] ?? {});
  const names = keys.map((key) => columns[key]?.name ?? key);
  const payload = rows.map((row) => {
    const values: Record<string, unknown> = { ...row };
    return Object.fromEntries(keys.map((key, index): [string, unknown] => [names[index] ?? key, values[key]]));
  });
  const into = sql.join(
    names.map((name) => sql.identifier(name)),
    sql`, `,
  );
  const target = sql.identifier(getTableName(table));
  return sql`insert into ${target} (${into}) select ${into} from jsonb_populate_recordset(null::${target}, ${JSON.stringify(payload)}::jsonb) n`;
}
