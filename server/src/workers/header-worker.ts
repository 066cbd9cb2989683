import { basename } from 'node:path';
import { closeSync, fstatSync } from 'node:fs';
import type { ErrorCode } from '@flagstone/core/errors';
import { quickAudioDigest } from '@flagstone/core/audio/digest';
import type { AudioFile } from '@flagstone/core/formats/audio-file';
import { descriptorSource } from '../disk/descriptor-source.ts';
import { diskError } from '../disk/disk-errors.ts';
import { isUnchanged, stampFrom } from '../disk/file-stamp.ts';
import { openRegularSync } from '../disk/open-regular.ts';
import { readAudio, sha256 } from '../disk/read-audio.ts';

/** What a worker says of one file: its headers and quick digest, or why it cannot be read. A fault of the program is one file's too. */
export type HeaderResult =
  { ok: true; file: AudioFile; quickDigest: string } | { ok: false; code: ErrorCode; message: string };

/**
 * Reads the headers of files, given by absolute paths that were checked before. Runs in a worker thread, so it reads synchronously:
 * no thread pool in between. One bad file is one result.
 */
export default async function readHeaders(paths: string[]): Promise<HeaderResult[]> {
  const results: HeaderResult[] = [];
  for (const path of paths) results.push(await readHeader(path));
  return results;
}

/** Times that a file is read again when it was written to meanwhile. */
const MOST_READS = 5;

/** Reads an open file; once more when it was being written while it was read, in place by another job for instance. */
async function readSteady(descriptor: number, name: string): Promise<HeaderResult> {
  for (let reads = 1; ; reads += 1) {
    const before = fstatSync(descriptor);
    const source = descriptorSource(descriptor, before.size);
    const outcome = await readAudio(source, name).then(
      async (file) => ({ file, quickDigest: await quickAudioDigest(source, file.facts, sha256()) }),
      (error: unknown) => ({ error }),
    );
    const steady = isUnchanged(stampFrom(before), stampFrom(fstatSync(descriptor)));
    if (!steady && reads < MOST_READS) continue;
    if ('error' in outcome) throw outcome.error;
    return { ok: true, ...outcome };
  }
}

async function readHeader(path: string): Promise<HeaderResult> {
  let descriptor: number | undefined;
  try {
    descriptor = openRegularSync(path);
    return await readSteady(descriptor, basename(path));
  } catch (error) {
    const { code, message } = diskError(error, path);
    return { ok: false, code, message };
  } finally {
    if (descriptor !== undefined) closeSync(descriptor);
  }
}
