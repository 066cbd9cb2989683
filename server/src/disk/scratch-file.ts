import { createWriteStream } from 'node:fs';
import { mkdtemp, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { Transform, type Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { AppError } from '@flagstone/core/errors';
import { diskError } from './disk-errors.ts';
import { refuseWhenFull } from './free-space.ts';

/** A file that comes from outside. */
export interface Incoming {
  stream: Readable;
  /** How many bytes it is said to have; undefined when that is not said. */
  bytes: number | undefined;
}

/**
 * Keeps a file that comes from outside in a file of the system's temporary folder for as long as work needs it. One that is said to be too large, or for which there is no room, is
 * refused before anything of it is kept. Throws TOO_LARGE, DISK_FULL.
 */
export async function withScratchFile<Result>(
  { stream, bytes = 0 }: Incoming,
  mostBytes: number,
  signal: AbortSignal,
  work: (file: string) => Promise<Result>,
): Promise<Result> {
  if (bytes > mostBytes) throw tooLarge(mostBytes);
  await refuseWhenFull(os.tmpdir(), bytes);
  const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-heard-'));
  try {
    const file = path.join(folder, 'sound');
    // What is refused can be answered only while the stream that it came by is not destroyed.
    const parts = stream.iterator({ destroyOnReturn: false });
    await pipeline(parts, limitedTo(mostBytes), createWriteStream(file), { signal }).catch((error: unknown) => {
      throw isOfDisk(error) ? diskError(error, 'The temporary folder') : error;
    });
    return await work(file);
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

const tooLarge = (most: number): AppError =>
  new AppError('TOO_LARGE', `The file is larger than ${most / 1024 / 1024} MiB.`);

/** Of the disk, and not of whoever sends. */
function isOfDisk(error: unknown): boolean {
  return ['write', 'open'].includes((error as NodeJS.ErrnoException).syscall ?? '');
}

function limitedTo(most: number): Transform {
  let seen = 0;
  return new Transform({
    transform(chunk: Buffer, _encoding, done) {
      seen += chunk.length;
      if (seen > most) done(tooLarge(most));
      else done(null, chunk);
    },
  });
}
