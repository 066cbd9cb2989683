import { lstat, unlink } from 'node:fs/promises';
import path from 'node:path';
import { syncFolder } from './drive-files.ts';
import { takeFolderRights } from './folder-rights.ts';
import { holdFolder, inHeld } from './held-folder.ts';
import { nameNew } from './name-new.ts';

/**
 * Moves a finished file of this application to where nothing stands, on the same file system. Done again after it was cut short, it ends the same. Throws NAME_TAKEN, SYMLINK_OUTSIDE when the folder
 * does not lie within another one (a real path).
 */
export async function moveNew(from: string, to: string, within: string): Promise<void> {
  await holdFolder(path.dirname(to), within, async (folder) => {
    const target = inHeld(folder, to);
    if (!(await isSameEntry(from, target))) {
      await takeFolderRights(from);
      await nameNew(from, target);
      await syncFolder(folder);
    }
    await unlink(from).catch((error: NodeJS.ErrnoException) => {
      // Where there are no links it was renamed.
      if (error.code !== 'ENOENT') throw error;
    });
  });
}

async function isSameEntry(one: string, other: string): Promise<boolean> {
  const [here, there] = await Promise.all([lstat(one), lstat(other).catch(() => undefined)]);
  return there !== undefined && there.ino === here.ino && there.dev === here.dev;
}
