import { basename } from 'node:path';
import { closeSync, fstatSync, openSync } from 'node:fs';
import { AppError, type ErrorCode } from '@flagstone/core/errors';
import { quickAudioDigest } from '@flagstone/core/audio/digest';
import type { AudioFile } from '@flagstone/core/formats/audio-file';
import { descriptorSource } from './descriptor-source.ts';
import { diskError } from './disk-errors.ts';
import { readAudio, sha256 } from './read-audio.ts';

/** What a worker says of one file: its headers and quick digest, or why it cannot be read. */
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

async function readHeader(path: string): Promise<HeaderResult> {
  let descriptor: number | undefined;
  try {
    descriptor = openSync(path, 'r');
    const source = descriptorSource(descriptor, fstatSync(descriptor).size);
    const file = await readAudio(source, basename(path));
    return { ok: true, file, quickDigest: await quickAudioDigest(source, file.facts, sha256()) };
  } catch (error) {
    if (!(error instanceof AppError) && (error as NodeJS.ErrnoException).code === undefined) throw error;
    const { code, message } = diskError(error, path);
    return { ok: false, code, message };
  } finally {
    if (descriptor !== undefined) closeSync(descriptor);
  }
}
