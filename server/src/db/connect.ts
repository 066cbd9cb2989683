import { fileURLToPath } from 'node:url';
import { readMigrationFiles } from 'drizzle-orm/migrator';
import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres';
import { migrate } from 'drizzle-orm/node-postgres/migrator';
import pg from 'pg';
import { KeepingClient } from './kept-statements.ts';
import * as schema from './schema.ts';
import { WaitingPool } from './while-waited.ts';

export type Database = NodePgDatabase<typeof schema>;
/** What runs inside one transaction. */
export type Transaction = Parameters<Parameters<Database['transaction']>[0]>[0];
/** A database or a transaction on it. */
export type Queryable = Pick<Database, 'select' | 'insert' | 'update' | 'delete' | 'execute'>;

// PostgreSQL's bigint and count() arrive as text; every one of ours stays below 2^53.
pg.types.setTypeParser(pg.types.builtins.INT8, Number);

export interface Connection {
  db: Database;
  pool: pg.Pool;
  close: () => Promise<void>;
}

const MIGRATIONS = fileURLToPath(new URL('../../migrations', import.meta.url));

/** A pool on the database, with the migrations applied; `onUpgrade` is told first how many of them one that is in use already lacks. */
export async function connect(
  connectionString: string,
  onUpgrade: (migrations: number) => void = () => undefined,
): Promise<Connection> {
  const pool = new WaitingPool({ connectionString, max: 12, Client: KeepingClient });
  const db = drizzle(pool, { schema });
  const client = await pool.connect();
  try {
    // Several processes may start at once: one migrates, the others wait and find nothing left to do.
    await client.query(`select pg_advisory_lock(hashtext('flagstone migrations'))`);
    const missing = await missingMigrations(client);
    if (missing > 0) onUpgrade(missing);
    await migrate(drizzle(client), { migrationsFolder: MIGRATIONS });
  } finally {
    await client.query(`select pg_advisory_unlock(hashtext('flagstone migrations'))`);
    client.release();
  }
  return { db, pool, close: () => pool.end() };
}

/** How many migrations came since those of a database; none for a new one. */
async function missingMigrations(client: pg.PoolClient): Promise<number> {
  const { rows: tables } = await client.query<{ none: boolean }>(
    `select to_regclass('drizzle.__drizzle_migrations') is null as none`,
  );
  if (tables[0]?.none) return 0;
  const { rows } = await client.query<{ last: number }>(
    'select max(created_at) as last from drizzle.__drizzle_migrations',
  );
  const last = Number(rows[0]?.last ?? Infinity);
  return readMigrationFiles({ migrationsFolder: MIGRATIONS }).filter(({ folderMillis }) => folderMillis > last).length;
}
