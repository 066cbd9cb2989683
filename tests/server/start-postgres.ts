import { chmod, mkdtemp } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { connect } from '@flagstone/server/db/connect';
import { startLocalPostgres } from '@flagstone/server/db/local-postgres';
import buildPrograms from '../build-programs.ts';
import { newDatabase, TEMPLATE } from './new-database.ts';

/** Nobody needs this database after a loss of power: what is committed need not have reached the disk. */
const UNSAFE = '-c fsync=off -c synchronous_commit=off -c full_page_writes=off';

/** One PostgreSQL for all server tests of a run, in a folder of its own; each test file makes its own database in it. */
export default async function startPostgres(): Promise<void> {
  await buildPrograms();
  const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-test-'));
  // The account that PostgreSQL runs as has to get in.
  await chmod(folder, 0o755);
  const postgres = await startLocalPostgres(folder, undefined, UNSAFE);
  process.env['FLAGSTONE_TEST_DATABASE'] = postgres.connectionString;
  process.env['FLAGSTONE_TEST_FOLDER'] = folder;
  await (await connect(await newDatabase(TEMPLATE, 'empty'))).close();
  Object.assign(globalThis, { stopTestPostgres: () => postgres.stop() });
}
