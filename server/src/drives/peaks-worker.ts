import { spawn } from 'node:child_process';
import { open } from 'node:fs/promises';
import { AppError } from '@flagstone/core/errors';
import { PeakGatherer } from '@flagstone/core/audio/peaks';
import { decodePcm, sampleReader } from '@flagstone/core/audio/pcm';
import type { AudioFacts } from '@flagstone/core/formats/audio-file';
import { handleSource } from './drive-files.ts';
import { readAudio } from './read-audio.ts';

const READ_BYTES = 1024 * 1024;

export interface PeaksResult {
  channels: number;
  buckets: number;
  frames: number;
  highest: number;
  values: Int8Array;
}

/** The peaks of a file given by its absolute path, checked before. Runs in a worker thread; reads the audio once, in blocks. */
export default async function gatherPeaks(path: string): Promise<PeaksResult> {
  const handle = await open(path, 'r');
  try {
    const source = handleSource(handle, (await handle.stat()).size);
    const { facts } = await readAudio(source);
    const gatherer = new PeakGatherer(facts.channels, facts.frames);
    let highest = 0;
    const add = (samples: Float32Array): void => {
      for (const value of samples) highest = Math.max(highest, Math.abs(value));
      gatherer.add(samples);
    };
    if (sampleReader(facts)) {
      const step = Math.max(1, Math.floor(READ_BYTES / facts.frameBytes)) * facts.frameBytes;
      for (let at = 0; at < facts.audioBytes; at += step) {
        add(decodePcm(await source.read(facts.audioOffset + at, Math.min(step, facts.audioBytes - at)), facts));
      }
    } else {
      await decodeWithFfmpeg(path, facts, add);
    }
    return { ...gatherer.finish(), highest };
  } finally {
    await handle.close();
  }
}

/** Coded audio as 32-bit float from ffmpeg, block by block. Throws CODEC_NOT_SUPPORTED with ffmpeg's own words. */
async function decodeWithFfmpeg(path: string, facts: AudioFacts, add: (samples: Float32Array) => void): Promise<void> {
  const args = [
    '-v',
    'error',
    '-nostdin',
    '-i',
    `file:${path}`,
    '-map',
    '0:a:0',
    '-ac',
    String(facts.channels),
    '-f',
    'f32le',
    '-',
  ];
  const child = spawn('ffmpeg', args, { stdio: ['ignore', 'pipe', 'pipe'] });
  let complaint = '';
  child.stderr.on('data', (text: Buffer) => (complaint += text.toString()));
  const ended = new Promise<number | null>((resolve, reject) => child.on('error', reject).on('close', resolve));
  const frameBytes = facts.channels * 4;
  const floatFacts: AudioFacts = { ...facts, sampleFormat: 'float', bitDepth: 32, frameBytes, bigEndian: false };
  let rest: Buffer = Buffer.alloc(0);
  for await (const block of child.stdout) {
    const bytes = Buffer.concat([rest, block as Buffer]);
    const whole = bytes.length - (bytes.length % frameBytes);
    add(decodePcm(bytes.subarray(0, whole), floatFacts));
    rest = bytes.subarray(whole);
  }
  if ((await ended) !== 0)
    throw new AppError('CODEC_NOT_SUPPORTED', `ffmpeg cannot decode ${path}: ${complaint.trim().slice(0, 500)}`);
}
