import { existsSync } from 'node:fs';
import path from 'node:path';
import { parseArgs } from 'node:util';
import pino from 'pino';
import { openApplication } from '../application.ts';
import { checkDatabase } from '../db/check-database.ts';
import { startLocalPostgres } from '../db/local-postgres.ts';
import { dropRights } from './drop-rights.ts';
import { defaultDataFolder } from '../data-folder.ts';
import { rootsOf, untilStopped } from './usage.ts';

/**
 * `worker`: one more process that takes jobs from the same database, on this machine (`--data DIR`, as of `start`) or on another one (`--database
 * postgresql://...`). It works on the drives below its own roots; a job whose drive it does not see is left to the others.
 */
export async function worker(args: string[]): Promise<number> {
  const { values } = parseArgs({
    args,
    options: { data: { type: 'string' }, database: { type: 'string' }, root: { type: 'string', multiple: true } },
  });
  const dataFolder = path.resolve(values.data ?? defaultDataFolder());
  const rights = dropRights(dataFolder);
  const log = pino({ level: process.env['FLAGSTONE_LOG'] ?? 'warn' }, pino.destination(2));
  const given = values.database ?? process.env['FLAGSTONE_DATABASE_URL'];
  if (given !== undefined) await checkDatabase(given);
  const postgres = given === undefined ? await startLocalPostgres(dataFolder, (what) => log.warn(what)) : undefined;
  const demoDrives = path.join(dataFolder, 'demo', 'drives');
  const roots = rootsOf(values.root);
  if (postgres && existsSync(demoDrives)) roots.push(demoDrives);
  const application = await openApplication(given ?? postgres?.connectionString ?? '', roots, log);
  // Before it is said: whoever reads it may stop it at once.
  const stopped = untilStopped();
  process.stdout.write(`Taking jobs for drives below ${roots.join(', ') || 'no root (add folders with --root DIR)'}\n`);
  if (rights !== '') process.stdout.write(`${rights}\n`);
  await stopped;
  await application.close();
  await postgres?.leave();
  return 0;
}
