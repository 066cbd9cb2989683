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

/** Entries that are looked at together: a share answers many questions in the time of one. */
const AT_ONCE = 128;

/** Files of the system, hidden files and leftovers of other programs (common practice). */
function isHidden(name: string): boolean {
  return (
    name.startsWith('.') || name === 'Thumbs.db' || name === 'System Volume Information' || name === '$RECYCLE.BIN'
  );
}

/**
 * Every audio file below a folder of a drive, by extension, folder after folder in the order of names. A folder that cannot be
 * read, a name that is not UTF-8 or a link that leads out is told as a fault and the walk goes on. Links are followed inside the
 * drive; a folder is entered once, so loops end. What `isExcluded` says of paths below the root is left out, folders with all they hold.
 */
export async function* walk(
  root: string,
  start: string,
  isExcluded: (path: string) => boolean = () => false,
): AsyncGenerator<WalkEntry> {
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
    const folders: string[] = [];
    for (let at = 0; at < entries.length; at += AT_ONCE) {
      const some = entries.slice(at, at + AT_ONCE).map((entry) => inspect(root, realRoot, folder, entry));
      for (const found of await Promise.all(some)) {
        if (found === undefined || isExcluded(below(folder, typeof found === 'string' ? found : found.name))) continue;
        if (typeof found === 'string') folders.push(below(folder, found));
        else yield found;
      }
    }
    waiting.push(...folders.reverse());
  }
}

function below(folder: string, name: string): string {
  return folder === '' ? name : `${folder}/${name}`;
}

function utf8Name(bytes: Buffer): string | undefined {
  const text = bytes.toString('utf8');
  return Buffer.from(text, 'utf8').equals(bytes) ? text : undefined;
}

function isAudioName(name: string): boolean {
  return AUDIO_EXTENSIONS.includes(path.extname(name).toLowerCase());
}

/** What an entry of a folder is: a file, a fault, the name of a folder to be entered, or nothing of ours. */
async function inspect(
  root: string,
  realRoot: string,
  folder: string,
  entry: Dirent<Buffer>,
): Promise<WalkEntry | string | undefined> {
  const name = utf8Name(entry.name);
  if (name === undefined) {
    const shown = entry.name.toString('latin1');
    const message = `The name “${shown}” in ${path.join(root, folder)} is not valid UTF-8.`;
    const isOurs = isAudioName(shown) || entry.isDirectory();
    return isOurs ? { kind: 'fault', folder, name: shown, error: new AppError('NAME_NOT_UTF8', message) } : undefined;
  }
  if (isHidden(name)) return undefined;
  if (entry.isDirectory()) return name;
  const isLink = entry.isSymbolicLink();
  if (!entry.isFile() && !isLink) return undefined;
  const full = path.join(root, folder, name);
  try {
    if (isLink) {
      const real = await realpath(full);
      if (!isWithin(realRoot, real)) {
        const error = new AppError('SYMLINK_OUTSIDE', `${full} leads to ${real}, outside the drive.`);
        return { kind: 'fault', folder, name, error };
      }
      if ((await stat(real)).isDirectory()) return name;
    }
    if (!isAudioName(name)) return undefined;
    const found = isLink ? await stat(full) : await lstat(full);
    if (!found.isFile()) return undefined;
    return {
      kind: 'file',
      folder,
      name,
      stamp: { sizeBytes: found.size, mtimeMs: found.mtimeMs, inode: String(found.ino) },
    };
  } catch (error) {
    return { kind: 'fault', folder, name, error: diskError(error, full) };
  }
}
