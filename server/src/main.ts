import { AppError } from '@flagstone/core/errors';
import { UsageError } from './commands/usage.ts';

type Command = (args: string[]) => Promise<number>;

/** Each command is loaded when it is called, so that `read` needs no database driver. */
const COMMANDS: Record<string, () => Promise<Command>> = {
  start: async () => (await import('./commands/start.ts')).start,
  read: async () => (await import('./commands/read.ts')).read,
  write: async () => (await import('./commands/write.ts')).write,
  measure: async () => (await import('./commands/measure.ts')).measure,
  suggest: async () => (await import('./commands/suggest.ts')).suggest,
  name: async () => (await import('./commands/name.ts')).name,
  index: async () => (await import('./commands/index-folder.ts')).indexFolder,
  drift: async () => (await import('./commands/drift.ts')).drift,
  deliver: async () => (await import('./commands/deliver.ts')).deliver,
  sheet: async () => (await import('./commands/sheet.ts')).sheet,
  'week-away': async () => (await import('./commands/week-away.ts')).weekAway,
  backup: async () => (await import('./commands/backup.ts')).backup,
  restore: async () => (await import('./commands/restore.ts')).restore,
  check: async () => (await import('./commands/check.ts')).check,
  person: async () => (await import('./commands/person.ts')).person,
  worker: async () => (await import('./commands/worker.ts')).worker,
  bench: async () => (await import('./commands/bench.ts')).bench,
};

// The launcher starts from its own folder; paths on the command line are meant from the caller's.
process.chdir(process.env['FLAGSTONE_CWD'] ?? '.');
const [given = '', ...args] = process.argv.slice(2);
try {
  const load = COMMANDS[given];
  if (!load)
    throw new UsageError(`there is no command “${given}”; there are ${Object.keys(COMMANDS).join(', ')} and test`);
  const command = await load();
  process.exitCode = await command(args);
} catch (error) {
  const isUsage =
    error instanceof UsageError || (error as { code?: unknown }).code?.toString().startsWith('ERR_PARSE_ARGS');
  const known = isUsage || error instanceof AppError;
  process.stderr.write(
    `flagstone ${given}: ${known ? (error as Error).message : ((error as Error).stack ?? String(error))}\n`,
  );
  if (error instanceof AppError) process.stderr.write(`  ${error.remedy}\n`);
  process.exitCode = isUsage ? 2 : 1;
}
