import { readdir, unlink } from 'node:fs/promises';
import path from 'node:path';
import { TEMPORARY_PREFIX } from './rewrite-file.ts';

/** Removes temporary files that a write left in a folder when its process was killed; returns how many. */
export async function removeLeftovers(folder: string): Promise<number> {
  const names = await readdir(folder).catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT' || error.code === 'EACCES') return [];
    throw error;
  });
  const leftovers = names.filter((name) => name.startsWith(TEMPORARY_PREFIX));
  for (const name of leftovers) await unlink(path.join(folder, name));
  return leftovers.length;
}
