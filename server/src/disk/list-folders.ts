import { createHash } from 'node:crypto';
import {
  closeSync,
  constants,
  lstatSync,
  openSync,
  readdirSync,
  readlinkSync,
  realpathSync,
  statSync,
  type Dirent,
} from 'node:fs';
import { AppError, type ErrorCode } from '@flagstone/core/errors';
import { isHiddenName } from '@flagstone/core/arrivals/arriving-path';
import { isAudioName } from '@flagstone/core/formats/container';
import { diskError } from './disk-errors.ts';
import { stampFrom, type FileStamp } from './file-stamp.ts';
import { isWithin } from './roots.ts';
import { TEMPORARY_PREFIX } from './temporary-names.ts';

/** A folder to be listed. */
export interface FolderTask {
  /** The real path of the drive's root. */
  realRoot: string;
  full: string;
  /** What the stamp depends on beside the files. */
  seed: string;
  /** Whether the stamp depends on the numbers of files. */
  inodes: boolean;
  /** The stamp that the folder had when it was read last. */
  knownStamp?: string | undefined;
}

/** An audio file, or why something is not taken up; plain data, since it travels between threads. */
export type ListedEntry = { name: string; stamp: FileStamp } | { name: string; code: ErrorCode; message: string };

/** What a folder holds. When its stamp is the known one, its files are not told: they are the same. */
export interface ListedFolder {
  real: string;
  /** Of the names, sizes, times and inodes of all audio files; empty where something could not be taken up. */
  stamp: string;
  entries: ListedEntry[];
  folders: string[];
  /** Files that are not taken up by their names, without hidden ones. */
  others: string[];
  /** Something that a killed write left stands here. */
  hasLeftovers: boolean;
}
export type FolderResult = ListedFolder | { code: ErrorCode; message: string };

/**
 * Lists folders: audio files by extension, in the order of names, and the folders in them. Runs in a worker thread, with synchronous calls:
 * without the thread pool in between, a file takes a third of the time.
 */
export function listFolders(tasks: readonly FolderTask[]): FolderResult[] {
  return tasks.map((task) => {
    try {
      return listFolder(task);
    } catch (error) {
      const { code, message } = diskError(error, task.full);
      return { code, message };
    }
  });
}

function listFolder({ realRoot, full, seed, inodes, knownStamp }: FolderTask): ListedFolder {
  // By a descriptor, so that it stays the folder that was looked at, whatever is put in its place.
  const descriptor = openSync(full, constants.O_RDONLY | constants.O_DIRECTORY);
  try {
    const held = `/proc/self/fd/${descriptor}`;
    const real = readlinkSync(held);
    if (!isWithin(realRoot, real))
      throw new AppError('SYMLINK_OUTSIDE', `${full} leads to ${real}, outside the drive.`);
    return listHeld(held, real, { realRoot, full, seed, inodes, knownStamp });
  } finally {
    closeSync(descriptor);
  }
}

function listHeld(held: string, real: string, { realRoot, full, seed, inodes, knownStamp }: FolderTask): ListedFolder {
  const listing = readdirSync(held, { withFileTypes: true, encoding: 'buffer' });
  listing.sort((a, b) => Buffer.compare(a.name, b.name));
  const entries: ListedEntry[] = [];
  const folders: string[] = [];
  const others: string[] = [];
  let hasLeftovers = false;
  let hasFaults = false;
  let summary = `${seed}\n`;
  for (const entry of listing) {
    const found = inspect(realRoot, held, full, entry);
    if (found === undefined) {
      const name = entry.name.toString();
      hasLeftovers ||= name.startsWith(TEMPORARY_PREFIX);
      if (entry.isFile() && !isHiddenName(name)) others.push(name);
    } else if (typeof found === 'string') folders.push(found);
    else {
      entries.push(found);
      if ('stamp' in found)
        summary += `${found.name}\0${found.stamp.sizeBytes}\0${found.stamp.mtimeMs}\0${inodes ? found.stamp.inode : ''}\n`;
      else hasFaults = true;
    }
  }
  const stamp = hasFaults ? '' : createHash('sha256').update(summary).digest('base64url');
  return { real, stamp, entries: stamp !== '' && stamp === knownStamp ? [] : entries, folders, others, hasLeftovers };
}

function utf8Name(bytes: Buffer): string | undefined {
  const text = bytes.toString('utf8');
  return Buffer.from(text, 'utf8').equals(bytes) ? text : undefined;
}

/** What an entry of a folder is: a file, a fault, the name of a folder to be entered, or nothing of ours. */
function inspect(
  realRoot: string,
  held: string,
  parent: string,
  entry: Dirent<Buffer>,
): ListedEntry | string | undefined {
  const name = utf8Name(entry.name);
  if (name === undefined) {
    const shown = entry.name.toString('latin1');
    const message = `The name “${shown}” in ${parent} is not valid UTF-8.`;
    const isOurs = isAudioName(shown) || entry.isDirectory();
    return isOurs ? { name: shown, code: 'NAME_NOT_UTF8', message } : undefined;
  }
  if (isHiddenName(name)) return undefined;
  if (entry.isDirectory()) return name;
  const isLink = entry.isSymbolicLink();
  if ((!entry.isFile() && !isLink) || (!isLink && !isAudioName(name))) return undefined;
  const [full, inHeld] = [`${parent}/${name}`, `${held}/${name}`];
  try {
    if (isLink) {
      const real = realpathSync(inHeld);
      if (!isWithin(realRoot, real))
        throw new AppError('SYMLINK_OUTSIDE', `${full} leads to ${real}, outside the drive.`);
      if (statSync(real).isDirectory()) return name;
      if (!isAudioName(name)) return undefined;
    }
    const found = isLink ? statSync(inHeld) : lstatSync(inHeld);
    if (!found.isFile()) return undefined;
    return { name, stamp: stampFrom(found) };
  } catch (error) {
    const { code, message } = diskError(error, full);
    return { name, code, message: message.replaceAll(held, parent) };
  }
}
