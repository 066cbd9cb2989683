import path from 'node:path';
import { defaultDataFolder } from '../data-folder.ts';
import { checkDatabase } from '../db/check-database.ts';
import { startLocalPostgres } from '../db/local-postgres.ts';
import { dropRights } from './drop-rights.ts';
import { UsageError } from './usage.ts';

/** Works with the address by which the owner of a database connects: that of a data folder, whose server is started where it does not run, or of a server that is there (`--database`). */
export async function withOwnersDatabase<Value>(
  { data, database }: { data?: string | undefined; database?: string | undefined },
  work: (address: string) => Promise<Value>,
): Promise<Value> {
  if (data !== undefined && database !== undefined) throw new UsageError('give --data or --database, not both');
  const given = data === undefined ? (database ?? process.env['FLAGSTONE_DATABASE_URL']) : undefined;
  if (given !== undefined) {
    await checkDatabase(given);
    return work(given);
  }
  const dataFolder = path.resolve(data ?? defaultDataFolder());
  dropRights(dataFolder);
  const postgres = await startLocalPostgres(dataFolder);
  try {
    return await work(postgres.connectionString);
  } finally {
    await postgres.leave();
  }
}
