import { fileURLToPath } from 'node:url';
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

/** A pool on the database, with the migrations applied. */
export async function connect(connectionString: string): Promise<Connection> {
  const pool = new WaitingPool({ connectionString, max: 12, Client: KeepingClient });
  const db = drizzle(pool, { schema });
  const client = await pool.connect();
  try {
    // Several processes may start at once: one migrates, the others wait and find nothing left to do.
    await client.query(`select pg_advisory_lock(hashtext('flagstone migrations'))`);
    await migrate(drizzle(client), { migrationsFolder: fileURLToPath(new URL('../../migrations', import.meta.url)) });
  } finally {
    await client.query(`select pg_advisory_unlock(hashtext('flagstone migrations'))`);
    client.release();
  }
  return { db, pool, close: () => pool.end() };
}
