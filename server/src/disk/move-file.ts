import { link, lstat, rename, unlink } from 'node:fs/promises';
import { AppError } from '@flagstone/core/errors';
import { diskError } from './disk-errors.ts';
import { syncFolder, type DriveFiles } from './drive-files.ts';
import { holdFolder } from './held-folder.ts';

/** Where a file of a drive stands. */
export interface FilePlace {
  folder: string;
  name: string;
}

/**
 * Moves a file to another folder of its drive, which is there, and never over anything: a hard link under the new name fails when that is taken, then the old name goes. Where the file system has no hard
 * links, the name is looked at first. Throws NAME_TAKEN, SYMLINK_OUTSIDE, and what the disk says.
 */
export async function moveFile(files: DriveFiles, from: FilePlace, to: FilePlace): Promise<void> {
  const within = await files.realRoot();
  const shown = files.absolute(to.folder, to.name);
  await holdFolder(files.absolute(from.folder), within, (old) =>
    holdFolder(files.absolute(to.folder), within, async (next) => {
      const [source, target] = [`${old}/${from.name}`, `${next}/${to.name}`];
      try {
        await linkOrRename(source, target, shown);
      } catch (error) {
        throw diskError(error, `Moving ${files.absolute(from.folder, from.name)} to ${shown}`);
      }
      // The new name lasts before the old one goes.
      await syncFolder(next);
      await unlink(source).catch((error: NodeJS.ErrnoException) => {
        if (error.code !== 'ENOENT') throw error;
      });
      await syncFolder(old);
    }),
  );
}

async function linkOrRename(source: string, target: string, shown: string): Promise<void> {
  const taken = (cause?: unknown): AppError => new AppError('NAME_TAKEN', `${shown} exists.`, { cause });
  try {
    await link(source, target);
  } catch (error) {
    const { code = '' } = error as NodeJS.ErrnoException;
    if (code === 'EEXIST') throw taken(error);
    if (!['EPERM', 'ENOTSUP', 'EOPNOTSUPP', 'EMLINK'].includes(code)) throw error;
    const there = await lstat(target).catch((missing: NodeJS.ErrnoException) => {
      if (missing.code !== 'ENOENT') throw missing;
      return undefined;
    });
    if (there) throw taken(error);
    await rename(source, target);
  }
}

/** What became of a move that was cut short, once it is settled: the file stands at its `old` place, at its `new` one, or at `neither`. */
export async function settleMove(
  files: DriveFiles,
  from: FilePlace,
  to: FilePlace,
): Promise<'old' | 'new' | 'neither'> {
  const look = ({ folder, name }: FilePlace) =>
    lstat(files.absolute(folder, name)).catch((error: NodeJS.ErrnoException) => {
      // What cannot be looked at is settled when it can.
      if (error.code !== 'ENOENT' && error.code !== 'ENOTDIR') throw error;
      return undefined;
    });
  const [old, next] = await Promise.all([look(from), look(to)]);
  if (old && next && old.ino === next.ino && old.dev === next.dev) {
    await unlink(files.absolute(from.folder, from.name));
    await syncFolder(files.absolute(from.folder));
    return 'new';
  }
  if (old) return 'old';
  return next ? 'new' : 'neither';
}
