import { constants } from 'node:fs';
import { lstat, mkdir, open, readdir, rmdir, unlink } from 'node:fs/promises';
import path from 'node:path';
import type { Readable } from 'node:stream';
import { AppError } from '@flagstone/core/errors';
import { diskError } from './disk-errors.ts';
import { syncFolder } from './drive-files.ts';
import { holdFolder, inHeld } from './held-folder.ts';

/** Where files lie while they are sent: within the folder that they are put into, so that they never have to change the disk. Hidden, so that no reading takes them up. */
const STAGING = '.flagstone-sent';

/** What is sent to one folder, file by file, by names that nobody else chooses. Paths are absolute and were checked before; `within` is the real path of the drive's root. */
export class StagedFiles {
  private readonly folder: string;
  private readonly within: string;

  constructor(target: string, within: string) {
    this.folder = path.join(target, STAGING);
    this.within = within;
  }

  /** The path of a file that was sent. */
  pathOf(id: string): string {
    return path.join(this.folder, id);
  }

  /** Begins a file. Throws NAME_TAKEN when it was begun before. */
  async begin(id: string): Promise<void> {
    await mkdir(this.folder, { recursive: true });
    await holdFolder(this.folder, this.within, async (held) => {
      const handle = await open(inHeld(held, id), 'wx', 0o600).catch((error: unknown) => {
        if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw diskError(error, this.folder);
        throw new AppError('NAME_TAKEN', 'Sending this file began already: go on with it.', { cause: error });
      });
      await handle.close();
      await syncFolder(held);
    });
  }

  /** How many bytes of a file are here; undefined for one that was not begun, or is no more. */
  async bytesOf(id: string): Promise<number | undefined> {
    const found = await lstat(this.pathOf(id)).catch((error: NodeJS.ErrnoException) => {
      if (error.code === 'ENOENT' || error.code === 'ENOTDIR') return undefined;
      throw diskError(error, this.folder);
    });
    return found?.isFile() === true ? found.size : undefined;
  }

  /** Adds what is sent to the end of a file, which has so many bytes; returns how many it has then. What was written before the line broke stays. Throws CONFLICT when somebody else sent meanwhile. */
  async append(id: string, offset: number, sent: Readable): Promise<number> {
    return holdFolder(this.folder, this.within, async (held) => {
      const handle = await open(inHeld(held, id), constants.O_WRONLY | constants.O_NOFOLLOW).catch((error: unknown) => {
        throw diskError(error, this.pathOf(id));
      });
      try {
        const { size } = await handle.stat();
        if (size !== offset) throw new AppError('CONFLICT', `${size} bytes of it are here, not ${offset}.`);
        let at = offset;
        // Whoever hands it over ends it; what fails here is told by its own name.
        for await (const block of sent.iterator({ destroyOnReturn: false }) as AsyncIterable<Buffer>)
          // One write may take less than the whole block.
          for (let done = 0; done < block.length;) {
            const { bytesWritten } = await handle.write(block, done, block.length - done, at);
            done += bytesWritten;
            at += bytesWritten;
          }
        await handle.sync();
        return at;
      } catch (error) {
        throw ofDisk(error) ? diskError(error, this.pathOf(id)) : error;
      } finally {
        await handle.close();
      }
    });
  }

  /** Removes a file that was sent; one that is not there is no fault. */
  async remove(id: string): Promise<void> {
    await holdFolder(this.folder, this.within, (held) => unlinkIfThere(inHeld(held, id))).catch((error: unknown) => {
      if (!(error instanceof AppError && error.code === 'FILE_VANISHED')) throw error;
    });
  }

  /** Removes the folder with all that was sent and not put anywhere; with the one around it, where that is to go too and is empty. */
  async clear(withTarget = false): Promise<void> {
    const cleared = await holdFolder(this.folder, this.within, async (held) => {
      for (const name of await readdir(held)) await unlinkIfThere(`${held}/${name}`);
      return true;
    }).catch((error: unknown) => {
      if (error instanceof AppError && error.code === 'FILE_VANISHED') return false;
      throw error;
    });
    if (cleared) await rmdir(this.folder);
    if (withTarget)
      await rmdir(path.dirname(this.folder)).catch((error: NodeJS.ErrnoException) => {
        if (!['ENOTEMPTY', 'EEXIST', 'ENOENT'].includes(error.code ?? '')) throw error;
      });
  }
}

async function unlinkIfThere(file: string): Promise<void> {
  await unlink(file).catch((error: NodeJS.ErrnoException) => {
    if (error.code !== 'ENOENT') throw error;
  });
}

/** Of the disk, and not of whoever sends. */
function ofDisk(error: unknown): boolean {
  return ['write', 'open', 'fsync', 'fstat'].includes((error as NodeJS.ErrnoException).syscall ?? '');
}
