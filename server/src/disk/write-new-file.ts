import { createHash } from 'node:crypto';
import { unlink } from 'node:fs/promises';
import path from 'node:path';
import { Writable } from 'node:stream';
import { finished } from 'node:stream/promises';
import { AppError } from '@flagstone/core/errors';
import { createFile } from './copy-file.ts';
import { syncFolder } from './drive-files.ts';
import { takeFolderRights } from './folder-rights.ts';
import { holdFolder, inHeld } from './held-folder.ts';
import { fileDigest } from './keep-file.ts';
import { nameNew } from './name-new.ts';
import { temporaryName, whileUnderWay } from './temporary-names.ts';

let counter = 0;

/**
 * Writes a new file as a stream, under a temporary name until it is flushed and read back. `signal` tells `write` that nothing more can be written. Returns its digest, SHA-256. Throws NAME_TAKEN,
 * AUDIO_CHANGED when what was read back differs, SYMLINK_OUTSIDE when its folder does not lie within another one (a real path), and what the disk says.
 */
export async function writeNewFile(
  shown: string,
  within: string,
  write: (out: Writable, signal: AbortSignal) => Promise<void>,
): Promise<string> {
  return holdFolder(path.dirname(shown), within, async (folder) => {
    const temporary = temporaryName('part', `0${(counter += 1)}`);
    const made = path.join(folder, temporary);
    return whileUnderWay(temporary, async () => {
      try {
        const digest = await writeStream(made, write);
        if ((await fileDigest(made, 'sha256')) !== digest)
          throw new AppError('AUDIO_CHANGED', `${shown} could not be read back as it was written.`);
        await takeFolderRights(made);
        await nameNew(made, inHeld(folder, shown));
        await syncFolder(folder);
        return digest;
      } finally {
        await unlink(made).catch((error: NodeJS.ErrnoException) => {
          if (error.code !== 'ENOENT') throw error;
        });
      }
    });
  });
}

async function writeStream(
  file: string,
  write: (out: Writable, signal: AbortSignal) => Promise<void>,
): Promise<string> {
  const handle = await createFile(file);
  try {
    const hash = createHash('sha256');
    const broken = new AbortController();
    const out = new Writable({
      write(block: Buffer, _encoding, done) {
        hash.update(block);
        handle.appendFile(block).then(() => done(), done);
      },
    });
    // What the disk said is the cause where it said something; whoever writes learns of it by the signal.
    out.on('error', () => broken.abort());
    await write(out, broken.signal).catch((error: unknown) => {
      throw out.errored ?? error;
    });
    if (!out.writableEnded) out.end();
    await finished(out);
    await handle.sync();
    return hash.digest('hex');
  } finally {
    await handle.close();
  }
}
