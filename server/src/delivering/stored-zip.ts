import { Readable, type Writable } from 'node:stream';
import { finished } from 'node:stream/promises';
import { AppError } from '@flagstone/core/errors';
import type { ZipArchive } from 'archiver';
import { openContents, type Contents } from '../disk/keep-file.ts';

const ZIP_BLOCK_BYTES = 1024 * 1024;

/** What is to be added to a ZIP file, opened before, so that what cannot be opened is only left out. */
export async function streamOf(contents: Contents): Promise<Readable> {
  const { source, close } = await openContents(contents);
  let at = 0;
  const next = async (): Promise<Buffer | null> => {
    const length = Math.min(ZIP_BLOCK_BYTES, source.sizeBytes - at);
    if (length === 0) return null;
    const block = await source.read(at, length);
    if (block.length !== length)
      throw new AppError('FILE_CHANGED', 'The file became shorter while it was being copied.');
    at += length;
    // What reads may use its memory again.
    return Buffer.from(block);
  };
  return new Readable({
    read() {
      next().then(
        (block) => this.push(block),
        (error: unknown) => this.destroy(error as Error),
      );
    },
    // Also when nobody reads it to its end.
    destroy(error, done) {
      close().then(
        () => done(error),
        (cause: unknown) => done(error ?? (cause as Error)),
      );
    },
  });
}

/** A ZIP file (APPNOTE.TXT, with ZIP64 where it is needed) that is written one file after another, each stored as it is: audio is hardly made smaller. */
export class StoredZip {
  private readonly zip: ZipArchive;
  private readonly done: Promise<void>;
  private readonly signal: AbortSignal;

  private constructor(zip: ZipArchive, out: Writable, signal: AbortSignal) {
    this.zip = zip;
    this.signal = signal;
    this.done = finished(out, { signal });
    // Looked at when all is written; until then it must not count as unhandled.
    this.done.catch(() => undefined);
    zip.pipe(out);
  }

  static async into(out: Writable, signal: AbortSignal): Promise<StoredZip> {
    // Loaded when it is needed, as it is large.
    const { ZipArchive: Archive } = await import('archiver');
    return new StoredZip(new Archive({ store: true }), out, signal);
  }

  /** Adds a file and waits until it is written. Rejects when the signal ends it, or what it is written into does. */
  add(source: Readable, name: string): Promise<void> {
    const { zip, signal } = this;
    return new Promise((resolve, reject) => {
      const stop = (): void => {
        // Otherwise the file that is being read would stay open.
        source.destroy();
        zip.abort();
        reject(new AppError('UNAVAILABLE', 'Nobody waits for the ZIP file any more.'));
      };
      const clear = (): void => {
        zip.off('entry', settle).off('error', fail);
        signal.removeEventListener('abort', stop);
      };
      const settle = (): void => {
        clear();
        resolve();
      };
      const fail = (error: Error): void => {
        clear();
        reject(error);
      };
      zip.once('entry', settle).once('error', fail);
      signal.addEventListener('abort', stop, { once: true });
      zip.append(source, { name });
    });
  }

  /** Writes its directory, and waits until everything is out. */
  async finish(): Promise<void> {
    await this.zip.finalize();
    await this.done;
  }
}
