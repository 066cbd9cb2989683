import { createWriteStream } from 'node:fs';
import { mkdtemp, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { Transform, type Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { AppError } from '@flagstone/core/errors';

/** Keeps a file that comes from outside in a file of the system's temporary folder for as long as work needs it. Throws TOO_LARGE. */
export async function withScratchFile<Result>(
  audio: Readable,
  mostBytes: number,
  signal: AbortSignal,
  work: (file: string) => Promise<Result>,
): Promise<Result> {
  const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-heard-'));
  try {
    const file = path.join(folder, 'sound');
    await pipeline(audio, limitedTo(mostBytes), createWriteStream(file), { signal });
    return await work(file);
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

function limitedTo(most: number): Transform {
  let seen = 0;
  return new Transform({
    transform(chunk: Buffer, _encoding, done) {
      seen += chunk.length;
      if (seen > most) done(new AppError('TOO_LARGE', `The file is larger than ${most / 1024 / 1024} MiB.`));
      else done(null, chunk);
    },
  });
}
