import { fileURLToPath } from 'node:url';
import { AppError } from '@flagstone/core/errors';
import { readMigrationFiles } from 'drizzle-orm/migrator';
import { drizzle, type NodePgQueryResultHKT } from 'drizzle-orm/node-postgres';
import { migrate } from 'drizzle-orm/node-postgres/migrator';
import type { PgDatabase } from 'drizzle-orm/pg-core';
import pg from 'pg';
import { applyFunctions, functionFiles } from './functions.ts';
import { makeJobQueueTables } from './job-queue-tables.ts';
import { restrictedAddress } from './restricted-role.ts';
import { PreparingClient } from './prepared-statements.ts';
import * as schema from './schema.ts';
import { holdingOne, WaitingPool } from './while-waited.ts';

/** The database, or a transaction that stands for it in everything that is called from it. */
export type Database = PgDatabase<NodePgQueryResultHKT, typeof schema>;
/** What runs inside one transaction. */
export type Transaction = Parameters<Parameters<Database['transaction']>[0]>[0];
/** A database or a transaction on it. */
export type Queryable = Pick<Database, 'select' | 'insert' | 'update' | 'delete' | 'execute'>;

// PostgreSQL's bigint and count() arrive as text; every one of ours stays below 2^53.
pg.types.setTypeParser(pg.types.builtins.INT8, Number);

export interface Connection {
  db: Database;
  pool: pg.Pool;
  /** The address as which it is connected: that of the restricted role. */
  address: string;
  close: () => Promise<void>;
}

/** Size of the connection pool; how long a caller waits for a connection. */
const CONNECTIONS = 12;
const WAIT_FOR_CONNECTION_MS = 30_000;
/**
 * What PostgreSQL itself ends, so that nothing that went wrong here holds rows or connections for ever: a statement (bulk changes of a million records take
 * minutes), a wait for rows that somebody else changes, a transaction in which nothing happens.
 */
const LIMITS = {
  statement_timeout: 900_000,
  lock_timeout: 60_000,
  idle_in_transaction_session_timeout: 120_000,
} as const;

const MIGRATIONS = fileURLToPath(new URL('../../migrations', import.meta.url));

/**
 * A pool on the database whose owner's address is given, with the migrations applied; `onUpgrade` is told first how many of them one that is in use already
 * lacks. The pool connects as a role that may do nothing but read and write rows, unless it is asked for `asOwner`.
 */
export async function connect(
  ownerAddress: string,
  onUpgrade: (migrations: number) => void = () => undefined,
  asOwner = false,
): Promise<Connection> {
  const restricted = await migrateOnce(ownerAddress, onUpgrade);
  const address = asOwner ? ownerAddress : restricted;
  const pool = new WaitingPool({
    connectionString: address,
    max: CONNECTIONS,
    connectionTimeoutMillis: WAIT_FOR_CONNECTION_MS,
    Client: PreparingClient,
    ...LIMITS,
  });
  const db = drizzle(pool, { schema });
  const transaction = db.transaction.bind(db);
  db.transaction = (work, config) => holdingOne(() => transaction(work, config));
  return { db, pool, address, close: () => pool.end() };
}

/** Applies the migrations that are missing, without limits of time: at a million sounds one may take minutes. Returns the address of the restricted role. */
async function migrateOnce(connectionString: string, onUpgrade: (migrations: number) => void): Promise<string> {
  const client = new pg.Client(connectionString);
  await client.connect();
  try {
    // Several processes may start at once: one migrates, the others wait and find nothing left to do.
    await client.query(`select pg_advisory_lock(hashtext('flagstone migrations'))`);
    const missing = await missingMigrations(client);
    if (missing > 0) onUpgrade(missing);
    const functions = await functionFiles();
    await applyFunctions(client, functions);
    await migrate(drizzle(client), { migrationsFolder: MIGRATIONS });
    const left = await applyFunctions(client, functions);
    if (left.length > 0) throw new Error(`These functions need tables that are not there: ${left.join(', ')}`);
    await makeJobQueueTables(connectionString);
    return await restrictedAddress(client, connectionString);
  } finally {
    // Ending the connection gives the lock back.
    await client.end();
  }
}

/** How many migrations came since those of a database; none for a new one. Throws DATABASE_TOO_OLD for one that is older than the first of them, DATABASE_TOO_NEW for one that had later ones. */
async function missingMigrations(client: pg.Client): Promise<number> {
  const { rows: tables } = await client.query<{ none: boolean }>(
    `select to_regclass('drizzle.__drizzle_migrations') is null as none`,
  );
  if (tables[0]?.none) return 0;
  const { rows } = await client.query<{ last: number }>(
    'select max(created_at) as last from drizzle.__drizzle_migrations',
  );
  const last = Number(rows[0]?.last ?? Infinity);
  const migrations = readMigrationFiles({ migrationsFolder: MIGRATIONS });
  // The first one lays out all tables: what came before it was joined into it.
  if (migrations.some(({ folderMillis }, index) => index === 0 && folderMillis > last))
    throw new AppError('DATABASE_TOO_OLD', 'This database was last opened by a version from before November 2026.');
  // Otherwise this version would put its older functions in the place of the newer ones.
  if (last !== Infinity && migrations.every(({ folderMillis }) => folderMillis < last))
    throw new AppError('DATABASE_TOO_NEW', 'This database was last opened by a newer version of Flagstone.');
  return migrations.filter(({ folderMillis }) => folderMillis > last).length;
}
