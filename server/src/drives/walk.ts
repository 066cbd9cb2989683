import type { Dirent } from 'node:fs';
import { lstat, readdir, realpath, stat } from 'node:fs/promises';
import path from 'node:path';
import { AUDIO_EXTENSIONS } from '@flagstone/core/formats/container';
import { AppError } from '@flagstone/core/errors';
import { diskError } from './disk-errors.ts';
import type { FileStamp } from './drive-files.ts';
import { settleLeftovers } from './leftovers.ts';
import { isWithin } from './roots.ts';
import { TEMPORARY_PREFIX } from './temporary-names.ts';

/** A file met while walking, or the reason why something was not taken up. */
export type WalkEntry =
  | { kind: 'file'; folder: string; name: string; stamp: FileStamp }
  | { kind: 'fault'; folder: string; name: string; error: AppError };

/** Files of the system, hidden files and leftovers of other programs (common practice). */
function isHidden(name: string): boolean {
  return (
    name.startsWith('.') || name === 'Thumbs.db' || name === 'System Volume Information' || name === '$RECYCLE.BIN'
  );
}

/**
 * Every audio file below a folder of a drive, by extension, folder after folder in the order of names. A folder that cannot be
 * read, a name that is not UTF-8 or a link that leads out is told as a fault and the walk goes on. Links are followed inside the
 * drive; a folder is entered once, so loops end.
 */
export async function* walk(root: string, start: string): AsyncGenerator<WalkEntry> {
  const realRoot = await realpath(root);
  const entered = new Set<string>();
  const waiting = [start];
  for (let folder = waiting.pop(); folder !== undefined; folder = waiting.pop()) {
    const full = path.join(root, folder);
    let entries: Dirent<Buffer>[];
    try {
      const real = await realpath(full);
      if (entered.has(real)) continue;
      entered.add(real);
      entries = await readdir(full, { withFileTypes: true, encoding: 'buffer' });
      if (entries.some((entry) => entry.name.toString('latin1').startsWith(TEMPORARY_PREFIX))) {
        const { conflicts } = await settleLeftovers(full);
        for (const { name, error } of conflicts) yield { kind: 'fault', folder, name, error };
      }
    } catch (error) {
      yield { kind: 'fault', folder, name: '', error: diskError(error, full) };
      continue;
    }
    entries.sort((a, b) => Buffer.compare(a.name, b.name));
    const below: string[] = [];
    for (const entry of entries) {
      const name = utf8Name(entry.name);
      if (name === undefined) {
        const shown = entry.name.toString('latin1');
        const error = new AppError('NAME_NOT_UTF8', `The name “${shown}” in ${full} is not valid UTF-8.`);
        if (isAudioName(shown) || entry.isDirectory()) yield { kind: 'fault', folder, name: shown, error };
        continue;
      }
      if (isHidden(name)) continue;
      const relative = folder === '' ? name : `${folder}/${name}`;
      if (entry.isDirectory()) below.push(relative);
      else if (entry.isFile() || entry.isSymbolicLink()) {
        const found = await inspect(root, realRoot, folder, name, entry.isSymbolicLink());
        if (found === 'folder') below.push(relative);
        else if (found) yield found;
      }
    }
    waiting.push(...below.reverse());
  }
}

function utf8Name(bytes: Buffer): string | undefined {
  const text = bytes.toString('utf8');
  return Buffer.from(text, 'utf8').equals(bytes) ? text : undefined;
}

function isAudioName(name: string): boolean {
  return AUDIO_EXTENSIONS.includes(path.extname(name).toLowerCase());
}

async function inspect(
  root: string,
  realRoot: string,
  folder: string,
  name: string,
  isLink: boolean,
): Promise<WalkEntry | 'folder' | undefined> {
  const full = path.join(root, folder, name);
  try {
    if (isLink) {
      const real = await realpath(full);
      if (!isWithin(realRoot, real)) {
        return {
          kind: 'fault',
          folder,
          name,
          error: new AppError('SYMLINK_OUTSIDE', `${full} leads to ${real}, outside the drive.`),
        };
      }
      if ((await stat(real)).isDirectory()) return 'folder';
    }
    if (!isAudioName(name)) return undefined;
    const entry = isLink ? await stat(full) : await lstat(full);
    if (!entry.isFile()) return undefined;
    return {
      kind: 'file',
      folder,
      name,
      stamp: { sizeBytes: entry.size, mtimeMs: entry.mtimeMs, inode: String(entry.ino) },
    };
  } catch (error) {
    return { kind: 'fault', folder, name, error: diskError(error, full) };
  }
}
