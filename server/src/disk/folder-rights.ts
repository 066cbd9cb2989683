import { chmod, chown, stat } from 'node:fs/promises';
import path from 'node:path';

/** Reading and writing, without running: what a folder lets its owner, its group and others do. */
const FILE_BITS = 0o666;

/**
 * Gives a new file the rights and, where this account may, the owner that its folder gives to others: made while it is written, it is for this account alone.
 * A file system without rights is left as it is.
 */
export async function takeFolderRights(file: string): Promise<void> {
  const folder = await stat(path.dirname(file));
  try {
    await chmod(file, folder.mode & FILE_BITS);
    if (process.getuid?.() === 0) await chown(file, folder.uid, folder.gid);
  } catch (error) {
    if (!['EPERM', 'ENOTSUP', 'EOPNOTSUPP', 'ENOSYS'].includes((error as NodeJS.ErrnoException).code ?? ''))
      throw error;
  }
}
