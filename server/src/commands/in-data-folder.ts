import path from 'node:path';
import pino from 'pino';
import type { AppContext } from '../app-context.ts';
import { openContext } from '../application.ts';
import { defaultDataFolder } from '../data-folder.ts';
import { startLocalPostgres } from '../db/local-postgres.ts';
import { dropRights } from './drop-rights.ts';

/**
 * Works on the database of a data folder, the usual one where none is given, whether a server runs on it or not, as the account that owns the folder. `roots` are the folders that
 * may be touched. Says nothing but warnings, to the error stream.
 */
export async function inDataFolder<Value>(
  given: string | undefined,
  roots: readonly string[],
  work: (app: AppContext) => Promise<Value>,
): Promise<Value> {
  const dataFolder = path.resolve(given ?? defaultDataFolder());
  // Said by whoever serves: here only the answer and faults are wanted.
  dropRights(dataFolder);
  const postgres = await startLocalPostgres(dataFolder);
  try {
    const log = pino({ level: 'warn' }, pino.destination(2));
    const { context, close } = await openContext(postgres.connectionString, roots, log);
    try {
      return await work(context);
    } finally {
      await close();
    }
  } finally {
    await postgres.leave();
  }
}
