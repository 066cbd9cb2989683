import { statfs } from 'node:fs/promises';
import { AppError } from '@flagstone/core/errors';

/** Throws DISK_FULL when so many bytes have no room in a folder's file system. */
export async function refuseWhenFull(folder: string, bytes: number): Promise<void> {
  const { bsize, bavail } = await statfs(folder);
  if (bytes <= bsize * bavail) return;
  const [needed, free] = [bytes, bsize * bavail].map((each) => `${(each / 1e9).toFixed(1)} GB`);
  throw new AppError('DISK_FULL', `${folder} has ${free} free; the files have ${needed}.`);
}

/** Bytes that are free in a folder's file system; null where that cannot be found out now. */
export async function freeBytesOf(folder: string): Promise<number | null> {
  const found = await statfs(folder).catch((error: NodeJS.ErrnoException) => {
    if (error.code === undefined) throw error;
    return null;
  });
  return found && found.bsize * found.bavail;
}
