import { closeSync, constants, fstatSync, openSync } from 'node:fs';
import { open, readlink, type FileHandle } from 'node:fs/promises';
import { AppError } from '@flagstone/core/errors';
import { isWithin } from './roots.ts';

/** Opening never waits: for the other end of a pipe it would wait for ever, and hold a thread of everybody while it does. */
const NEVER_WAITS = constants.O_RDONLY | constants.O_NONBLOCK;

/**
 * Opens a plain file for reading. With `within`, the folder (a real path) in which it has to lie by the system's own word once it is open, so that no link that
 * was put in its way meanwhile leads elsewhere. Throws FILE_CHANGED for what is no plain file, SYMLINK_OUTSIDE.
 */
export async function openRegular(full: string, within?: string): Promise<FileHandle> {
  const handle = await open(full, NEVER_WAITS);
  try {
    if (!(await handle.stat()).isFile()) throw notPlain(full);
    if (within !== undefined) {
      const real = await readlink(`/proc/self/fd/${handle.fd}`);
      if (!isWithin(within, real))
        throw new AppError('SYMLINK_OUTSIDE', `${full} leads to ${real}, outside the drive.`);
    }
    return handle;
  } catch (error) {
    await handle.close();
    throw error;
  }
}

/** As openRegular, for threads that read without a pool in between. To be closed by whoever opened it. */
export function openRegularSync(full: string): number {
  const descriptor = openSync(full, NEVER_WAITS);
  if (fstatSync(descriptor).isFile()) return descriptor;
  closeSync(descriptor);
  throw notPlain(full);
}

function notPlain(full: string): AppError {
  return new AppError('FILE_CHANGED', `${full} is no plain file.`);
}
