import { open, stat } from 'node:fs/promises';
import { AppError } from '@flagstone/core/errors';
import { diskError } from './disk-errors.ts';
import { isUnchanged, stampFrom, type FileStamp } from './file-stamp.ts';
import type { DriveFiles } from './drive-files.ts';
import type { FilePlace } from './move-file.ts';
import { removeMadeFile } from './remove-file.ts';

/**
 * Deletes a file of which another one is kept: its full path, and the stamp that it had when it was read as a whole. It takes another name first, and goes only once the kept one is seen to stand as it was read: a drive may be mounted twice, and a link lead to the
 * very file. Throws ONLY_COPY when both are one file, FILE_CHANGED when the kept one is not as it was, and what the disk says; the file has its name again then.
 */
export async function deleteWhileKept(
  files: DriveFiles,
  { folder, name }: FilePlace,
  aside: string,
  { path: kept, copy }: { path: string; copy: Pick<FileStamp, 'sizeBytes' | 'mtimeMs'> },
): Promise<void> {
  const shown = files.absolute(folder, name);
  const look = (full: string) =>
    stat(full).catch((error: unknown) => {
      throw diskError(error, full);
    });
  const [own, other] = [await look(shown), await look(kept)];
  if (own.dev === other.dev && own.ino === other.ino)
    throw new AppError('ONLY_COPY', `${shown} and ${kept} are one and the same file.`);
  await files.rename(folder, name, aside);
  try {
    // Opened, and not only looked at: a share that is mounted twice then asks its server anew.
    const handle = await open(kept, 'r').catch((error: unknown) => {
      throw diskError(error, kept);
    });
    try {
      if (!isUnchanged(copy, stampFrom(await handle.stat())))
        throw new AppError('FILE_CHANGED', `${kept} was changed while it was to be the copy that is kept.`);
    } finally {
      await handle.close();
    }
  } catch (error) {
    await files.rename(folder, aside, name).catch((cause: unknown) => {
      const why = error instanceof Error ? error.message : String(error);
      throw new AppError(
        'IO_FAILED',
        `${why} ${shown} is called ${files.absolute(folder, aside)} now and could not be given its name back.`,
        { cause },
      );
    });
    throw error;
  }
  await removeMadeFile(files, folder, aside);
}
