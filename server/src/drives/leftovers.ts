import { open, readdir, readFile, stat, unlink } from 'node:fs/promises';
import path from 'node:path';
import { syncFolder } from './drive-files.ts';
import { applyJournal } from './patch-file.ts';
import { checkTorn, decodeJournal } from './patch-journal.ts';
import { parseTemporaryName } from './temporary-names.ts';

/**
 * Settles what writes left in a folder when their process was killed: removes unfinished copies, and finishes in-place writes from their
 * journals. Returns how many. Throws FILE_CHANGED, the journal being kept, when another program wrote to the file meanwhile.
 */
export async function settleLeftovers(folder: string): Promise<number> {
  const names = await readdir(folder).catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT' || error.code === 'EACCES') return [];
    throw error;
  });
  let settled = 0;
  for (const name of names) {
    const temporary = parseTemporaryName(name);
    if (!temporary?.left) continue;
    if (temporary.kind === 'journal') await finishWrite(folder, name);
    await unlink(path.join(folder, name));
    settled += 1;
  }
  if (settled > 0) await syncFolder(folder);
  return settled;
}

async function finishWrite(folder: string, name: string): Promise<void> {
  const journal = decodeJournal(new Uint8Array(await readFile(path.join(folder, name))));
  if (!journal) return;
  const full = path.join(folder, path.basename(journal.name));
  const entry = await stat(full).catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT') return undefined;
    throw error;
  });
  // A file that was put there since is not the one that the journal is about.
  if (!entry || String(entry.ino) !== journal.inode) return;
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
