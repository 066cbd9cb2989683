import { constants } from 'node:fs';
import { open, readdir, unlink, type FileHandle } from 'node:fs/promises';
import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import { diskError } from './disk-errors.ts';
import { syncFolder } from './drive-files.ts';
import { applyJournal } from './patch-file.ts';
import { inodesTell } from './stable-inodes.ts';
import { checkTorn, decodeJournal, type PatchJournal, type ReadJournal } from './patch-journal.ts';
import { parseTemporaryName, type TemporaryFile } from './temporary-names.ts';

/** What a database knows of writes; without one, what this machine knows and the signature of a journal decide. */
export interface KnownWrites {
  /** Whether the process of a token runs no job any more. */
  hasEnded: (token: string) => Promise<boolean>;
  /** Whether a write into a file of that name in the folder was under way. */
  isUnderWay: (name: string) => Promise<boolean>;
}

/** A journal holds the metadata of one file, old and new; a larger one is none of ours. */
const MOST_JOURNAL_BYTES = 256 * 1024 * 1024;
/** No write takes so long: what a process of which nothing can be known left before that, it left for good. */
const SURELY_LEFT_MS = 60 * 60 * 1000;
/** Neither a link is followed nor is waited for the other end of a pipe. */
const SAFELY = constants.O_NOFOLLOW | constants.O_NONBLOCK;

export interface Settled {
  settled: number;
  /** Files whose journals had to be kept, with the reason: another program wrote to the file meanwhile, or the disk refused. */
  conflicts: { name: string; error: AppError }[];
}

/**
 * Settles what writes left in a folder when their process was killed: removes unfinished copies, and finishes in-place writes from their journals. A journal is
 * honoured only when this installation signed it, `known` knows of the write, it names a plain file of this folder, and that file holds nothing but the old and
 * the new bytes. One that cannot be settled is told and left; the others go on.
 */
export async function settleLeftovers(folder: string, known?: KnownWrites): Promise<Settled> {
  const names = await readdir(folder).catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT' || error.code === 'EACCES') return [];
    throw error;
  });
  const result: Settled = { settled: 0, conflicts: [] };
  for (const name of names) {
    const temporary = parseTemporaryName(name);
    if (!temporary || !(await isLeft(path.join(folder, name), temporary, known))) continue;
    const conflict = temporary.kind === 'journal' ? await finishWrite(folder, name, known) : undefined;
    if (conflict) {
      result.conflicts.push(conflict);
      continue;
    }
    await unlink(path.join(folder, name));
    result.settled += 1;
  }
  if (result.settled > 0) await syncFolder(folder);
  return result;
}

async function isLeft(
  full: string,
  { isLeft, isOwn, byJob, token }: TemporaryFile,
  known?: KnownWrites,
): Promise<boolean> {
  if (isOwn || isLeft === true) return isLeft === true;
  // A process that lost its jobs to others has nothing to do with their files any more, be it stopped or not.
  if (byJob && known) return known.hasEnded(token);
  if (byJob || isLeft === false) return false;
  const handle = await openPlain(full).catch(() => undefined);
  if (!handle) return false;
  try {
    return Date.now() - (await handle.stat()).mtimeMs > SURELY_LEFT_MS;
  } finally {
    await handle.close();
  }
}

/** Opens a plain file of a folder, never what a link leads to. Throws FILE_CHANGED for anything else. */
async function openPlain(full: string, access: number = constants.O_RDONLY): Promise<FileHandle> {
  const handle = await open(full, access | SAFELY);
  if ((await handle.stat()).isFile()) return handle;
  await handle.close();
  throw new AppError('FILE_CHANGED', `${full} is no plain file.`);
}

async function finishWrite(
  folder: string,
  journalName: string,
  known: KnownWrites | undefined,
): Promise<Settled['conflicts'][number] | undefined> {
  let name = journalName;
  try {
    const journal = decodeJournal(await bytesOf(path.join(folder, journalName)));
    if (!journal) return undefined;
    name = journal.name;
    const isPlainName = name !== '' && path.basename(name) === name && name !== '.' && name !== '..';
    if (!isPlainName || !(await isOurs(journalName, journal, known)))
      throw new AppError(
        'FILE_CHANGED',
        `${journalName} says that it is about a write of Flagstone, but none is known; it is left alone. Remove it when nobody else writes there.`,
      );
    await applyToFile(path.join(folder, name), journal);
    return undefined;
  } catch (error) {
    return { name, error: diskError(error, path.join(folder, name)) };
  }
}

/** Whether a journal is one that may be followed: signed here, and of a write that the database knows where a job made it. */
async function isOurs(journalName: string, journal: ReadJournal, known: KnownWrites | undefined): Promise<boolean> {
  const maker = parseTemporaryName(journalName);
  if (!known || maker?.byJob !== true) return journal.isSigned;
  // Versions before did not sign.
  const isTrue = journal.isSigned || (journal.isWhole && maker.token.includes(':'));
  return isTrue && (await known.isUnderWay(journal.name));
}

async function bytesOf(full: string): Promise<Uint8Array> {
  const handle = await openPlain(full);
  try {
    if ((await handle.stat()).size > MOST_JOURNAL_BYTES)
      throw new AppError('TOO_LARGE', `${full} is too large for a journal.`);
    return new Uint8Array(await handle.readFile());
  } finally {
    await handle.close();
  }
}

async function applyToFile(full: string, journal: PatchJournal): Promise<void> {
  const handle = await openPlain(full, constants.O_RDWR).catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT') return undefined;
    throw error;
  });
  if (!handle) return;
  try {
    // A file that was put there since is not the one that the journal is about. Where files are numbered anew at each mount, their bytes say so.
    const isOther = String((await handle.stat()).ino) !== journal.inode;
    if (isOther && (await inodesTell(path.dirname(full)))) return;
    for (const [index, patch] of journal.patches.entries()) {
      const current = Buffer.alloc(Math.max(patch.bytes.length, patch.old.length));
      const { bytesRead } = await handle.read(current, 0, current.length, patch.offset);
      checkTorn(journal, index, current.subarray(0, bytesRead));
    }
    await applyJournal(handle, journal);
  } finally {
    await handle.close();
  }
}
