import { lstat, readdir } from 'node:fs/promises';
import path from 'node:path';
import { nameKey } from '@flagstone/core/naming/name-blocks';
import { TEMPORARY_PREFIX } from './temporary-names.ts';

/** The sizes of files below a folder, bytes; null for what is no plain file there. */
export function sizesIn(root: string, paths: readonly string[]): Promise<(number | null)[]> {
  return Promise.all(
    paths.map((below) =>
      lstat(path.join(root, below)).then(
        (found) => (found.isFile() ? found.size : null),
        (error: NodeJS.ErrnoException) => {
          if (error.code === 'ENOENT' || error.code === 'ENOTDIR') return null;
          throw error;
        },
      ),
    ),
  );
}

/** The keys of all names in a folder, by which one that is free is found. */
export async function namesIn(folder: string): Promise<Set<string>> {
  return new Set((await readdir(folder)).map(nameKey));
}

/** The paths of all files below a folder, `/` between their parts; none of those that a write has under way. Folders are read one by one, and links are not followed. */
export async function* filesBelow(root: string, folder = ''): AsyncGenerator<string> {
  for (const entry of await readdir(path.join(root, folder), { withFileTypes: true })) {
    const below = folder === '' ? entry.name : `${folder}/${entry.name}`;
    if (entry.isDirectory()) yield* filesBelow(root, below);
    else if (!entry.name.startsWith(TEMPORARY_PREFIX)) yield below;
  }
}
