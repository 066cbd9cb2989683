import { open, readdir, readFile, stat, unlink } from 'node:fs/promises';
import path from 'node:path';
import type { AppError } from '@flagstone/core/errors';
import { diskError } from './disk-errors.ts';
import { syncFolder } from './drive-files.ts';
import { applyJournal } from './patch-file.ts';
import { checkTorn, decodeJournal, type PatchJournal } from './patch-journal.ts';
import { parseTemporaryName } from './temporary-names.ts';

export interface Settled {
  settled: number;
  /** Files whose journals had to be kept, with the reason: another program wrote to the file meanwhile, or the disk refused. */
  conflicts: { name: string; error: AppError }[];
}

/**
 * Settles what writes left in a folder when their process was killed: removes unfinished copies, and finishes in-place writes from their
 * journals. One that cannot be settled is told and left; the others go on.
 */
export async function settleLeftovers(folder: string): Promise<Settled> {
  const names = await readdir(folder).catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT' || error.code === 'EACCES') return [];
    throw error;
  });
  const result: Settled = { settled: 0, conflicts: [] };
  for (const name of names) {
    const temporary = parseTemporaryName(name);
    if (!temporary?.left) continue;
    const conflict = temporary.kind === 'journal' ? await finishWrite(folder, name) : undefined;
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

async function finishWrite(folder: string, name: string): Promise<Settled['conflicts'][number] | undefined> {
  const journal = decodeJournal(new Uint8Array(await readFile(path.join(folder, name))));
  if (!journal) return undefined;
  const full = path.join(folder, path.basename(journal.name));
  try {
    const entry = await stat(full).catch((error: NodeJS.ErrnoException) => {
      if (error.code === 'ENOENT') return undefined;
      throw error;
    });
    // A file that was put there since is not the one that the journal is about.
    if (entry && String(entry.ino) === journal.inode) await applyToFile(full, journal);
    return undefined;
  } catch (error) {
    return { name: journal.name, error: diskError(error, full) };
  }
}

async function applyToFile(full: string, journal: PatchJournal): Promise<void> {
  const handle = await open(full, 'r+');
  try {
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
