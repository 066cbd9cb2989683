import { stat } from 'node:fs/promises';
import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import { diskError } from '../disk/disk-errors.ts';
import { DriveFiles } from '../disk/drive-files.ts';

/** A file named on the command line as a file of a drive: its folder is the drive's root. */
export async function fileOnCommandLine(given: string): Promise<{ files: DriveFiles; name: string; full: string }> {
  const full = path.resolve(given);
  const entry = await stat(full).catch((error: unknown) => {
    throw diskError(error, given);
  });
  if (!entry.isFile()) throw new AppError('BAD_REQUEST', `${given} is no file.`);
  return { files: new DriveFiles(path.dirname(full)), name: path.basename(full), full };
}

/** Runs a command over its items: one JSON line each on standard output, errors on standard error; 1 when any failed. */
export async function eachItem(
  items: readonly string[],
  perform: (item: string) => Promise<unknown>,
  onError: (item: string, error: AppError) => unknown = () => undefined,
): Promise<number> {
  let status = 0;
  for (const item of items) {
    try {
      process.stdout.write(`${JSON.stringify(await perform(item))}\n`);
    } catch (error) {
      const known = diskError(error, item);
      status = 1;
      process.stderr.write(`${item}: ${known.message} ${known.remedy}\n`);
      const answer = onError(item, known);
      if (answer !== undefined) process.stdout.write(`${JSON.stringify(answer)}\n`);
    }
  }
  return status;
}
