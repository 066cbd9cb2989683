import { constants } from 'node:fs';
import { open, readlink } from 'node:fs/promises';
import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import { diskError } from './disk-errors.ts';
import { isWithin } from './roots.ts';

/**
 * Opens a folder, makes sure that it lies within another one (a real path) by the system's own word, and hands over a path to it that stays this folder
 * whatever is put in its place meanwhile. What goes wrong in it is told by the folder's own name. Throws SYMLINK_OUTSIDE, FILE_VANISHED.
 */
export async function holdFolder<Result>(
  folder: string,
  within: string,
  use: (held: string) => Promise<Result>,
): Promise<Result> {
  const handle = await open(folder, constants.O_RDONLY | constants.O_DIRECTORY).catch((error: unknown) => {
    throw diskError(error, folder);
  });
  try {
    const held = `/proc/self/fd/${handle.fd}`;
    const real = await readlink(held);
    if (!isWithin(within, real))
      throw new AppError('SYMLINK_OUTSIDE', `${folder} leads to ${real}, outside the drive.`);
    return await use(held).catch((error: unknown) => {
      throw renamed(error, held, folder);
    });
  } finally {
    await handle.close();
  }
}

/** An error with the folder's own name in place of that by which it was held. */
function renamed(error: unknown, held: string, folder: string): unknown {
  if (!(error instanceof Error) || !error.message.includes(held)) return error;
  const message = error.message.replaceAll(held, folder);
  if (error instanceof AppError)
    return new AppError(error.code, message, { details: error.details, cause: error.cause });
  error.message = message;
  return error;
}

/** The name of a file within a folder that is held. */
export function inHeld(held: string, full: string): string {
  return `${held}/${path.basename(full)}`;
}
