import { createHash } from 'node:crypto';
import { createReadStream, createWriteStream } from 'node:fs';
import { mkdtemp, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { PassThrough, type Readable, type Writable } from 'node:stream';
import { pipeline } from 'node:stream/promises';

/** A file that is being written, with its length and its digest by SHA-256, which are known once its end is written. */
export interface CountedFile {
  into: Writable;
  /** Rejects when the file could not be written. */
  facts: () => Promise<{ bytes: number; sha256: string }>;
}

/** A folder of the system's temporary folder, for what is too large for memory. */
export interface ScratchFolder {
  write: (name: string) => CountedFile;
  read: (name: string) => Readable;
}

/** Gives work a folder of its own, which is gone after it. */
export async function withScratchFolder<Result>(work: (folder: ScratchFolder) => Promise<Result>): Promise<Result> {
  const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-made-'));
  try {
    return await work({
      write: (name) => countedFile(path.join(folder, name)),
      read: (name) => createReadStream(path.join(folder, name)),
    });
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

function countedFile(file: string): CountedFile {
  const into = new PassThrough();
  const hash = createHash('sha256');
  let bytes = 0;
  into.on('data', (chunk: Buffer) => {
    hash.update(chunk);
    bytes += chunk.length;
  });
  const written = pipeline(into, createWriteStream(file));
  // Looked at when all is written; until then it must not count as unhandled.
  written.catch(() => undefined);
  return {
    into,
    facts: async () => {
      await written;
      return { bytes, sha256: hash.digest('hex') };
    },
  };
}
