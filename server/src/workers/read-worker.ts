import { closeSync, fstatSync, openSync } from 'node:fs';
import path from 'node:path';
import { AppError, type ErrorCode } from '@flagstone/core/errors';
import { fullAudioDigest } from '@flagstone/core/audio/digest';
import { descriptorSource } from '../disk/descriptor-source.ts';
import { diskError } from '../disk/disk-errors.ts';
import { readAudio, sha256 } from '../disk/read-audio.ts';

export interface ReadOptions {
  /** Adds every place of every field. */
  raw: boolean;
  /** Adds the full audio digest. */
  digest: boolean;
}

/** One file as a line of JSON, or why it cannot be read. */
export type ReadLine = { path: string; line: string } | { path: string; code: ErrorCode; message: string };

/** Reads the headers of files one after another, in a worker thread or not. One bad file is one result. */
export default async function readLines({
  paths,
  options,
}: {
  paths: string[];
  options: ReadOptions;
}): Promise<ReadLine[]> {
  const lines: ReadLine[] = [];
  for (const each of paths) lines.push(await readLine(each, options));
  return lines;
}

async function readLine(given: string, options: ReadOptions): Promise<ReadLine> {
  let descriptor: number | undefined;
  try {
    descriptor = openSync(given, 'r');
    const entry = fstatSync(descriptor);
    if (!entry.isFile()) throw new AppError('BAD_REQUEST', `${given} is no file.`);
    const source = descriptorSource(descriptor, entry.size);
    const { facts, record, places, disagreeing, issues } = await readAudio(source, path.basename(given));
    const { container, codec, sampleRateHz, bitDepth, channels, frames, durationSeconds } = facts;
    const { channelMask, isAmbisonic, trackNames, timeReference, decodedMd5, encoderDelayFrames, isCutShort } = facts;
    const audioDigest = options.digest ? await fullAudioDigest(source, facts, sha256()) : undefined;
    const line = JSON.stringify({
      path: given,
      container,
      codec,
      sampleRateHz,
      bitDepth,
      channels,
      frames,
      durationSeconds,
      channelMask,
      isAmbisonic,
      trackNames,
      timeReference,
      decodedMd5,
      encoderDelayFrames,
      isCutShort,
      audioDigest,
      record,
      issues,
      ...(options.raw ? { places, disagreeing } : {}),
    });
    return { path: given, line };
  } catch (error) {
    const { code, message } = diskError(error, given);
    return { path: given, code, message };
  } finally {
    if (descriptor !== undefined) closeSync(descriptor);
  }
}
