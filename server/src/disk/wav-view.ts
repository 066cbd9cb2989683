import type { ChildProcess } from 'node:child_process';
import { canonicalAudio } from '@flagstone/core/audio/canonical-audio';
import { encodePcm } from '@flagstone/core/audio/encode-pcm';
import { decodePcm } from '@flagstone/core/audio/pcm';
import { AppError } from '@flagstone/core/errors';
import type { AudioFacts, SampleFormat } from '@flagstone/core/formats/audio-file';
import type { ByteSource } from '@flagstone/core/formats/byte-source';
import { newWavParts, wavFrameBytes } from '@flagstone/core/formats/wav/new-wav';
import { inputOf, startFfmpeg } from './decoder.ts';
import { isPlainPcm, type FrameRange } from './read-samples.ts';

/**
 * A sound, or a part of it, as a WAV file that is nowhere on the disk: its length is known at once, and every range of its bytes can be asked
 * for. PCM keeps its samples bit by bit (but for 64-bit floats, which become 32); other audio is decoded to 16 bits.
 */
export interface WavView {
  facts: AudioFacts;
  range: FrameRange;
  head: Uint8Array;
  tail: Uint8Array;
  audioBytes: number;
  sizeBytes: number;
  frameBytes: number;
  sampleFormat: SampleFormat;
  bitDepth: number;
}

export function wavViewOf(facts: AudioFacts, part?: Partial<FrameRange>): WavView {
  const range = { from: Math.min(part?.from ?? 0, facts.frames), to: Math.min(part?.to ?? facts.frames, facts.frames) };
  if (range.to <= range.from) throw new AppError('BAD_REQUEST', 'The part has no length.');
  const isPlain = isPlainPcm(facts);
  const sampleFormat = isPlain ? facts.sampleFormat : 'integer';
  const bitDepth = !isPlain ? 16 : facts.sampleFormat === 'float' ? 32 : facts.bitDepth;
  const shape = { ...facts, sampleFormat, bitDepth };
  const parts = newWavParts({ ...shape, frames: range.to - range.from });
  return {
    ...parts,
    facts,
    range,
    sizeBytes: parts.head.length + parts.audioBytes + parts.tail.length,
    frameBytes: wavFrameBytes(shape),
    sampleFormat,
    bitDepth,
  };
}

/** Bytes of the audio of a view over PCM, from `offset` within it. */
export async function readViewAudio(
  source: ByteSource,
  view: Pick<WavView, 'facts' | 'range' | 'frameBytes' | 'bitDepth'>,
  offset: number,
  length: number,
): Promise<Uint8Array> {
  const { facts, range, frameBytes } = view;
  const first = Math.floor(offset / frameBytes);
  const last = Math.ceil((offset + length) / frameBytes);
  const start = facts.audioOffset + (range.from + first) * facts.frameBytes;
  const stored = await source.read(start, (last - first) * facts.frameBytes);
  const bytes =
    facts.sampleFormat === 'float' && facts.bitDepth === 64 ? asFloat32(stored, facts) : canonicalAudio(facts)(stored);
  const skip = offset - first * frameBytes;
  return bytes.subarray(skip, skip + length);
}

function asFloat32(stored: Uint8Array, facts: AudioFacts): Uint8Array {
  const frames = Math.floor(stored.length / facts.frameBytes);
  const planar = Array.from({ length: facts.channels }, () => new Float32Array(frames));
  decodePcm(stored, facts, planar);
  return encodePcm(planar, { sampleFormat: 'float', bitDepth: 32 });
}

/** Starts ffmpeg on a part of coded audio: 16-bit samples on its standard output, from the nearest frame that it can go to directly. */
export function decodeView(path: string, { facts, range }: WavView, firstFrame: number): ChildProcess {
  const seconds = (range.from + firstFrame) / facts.sampleRateHz;
  const input = inputOf(path, facts, seconds);
  return startFfmpeg(facts, [...input, '-map', '0:a:0', '-ac', String(facts.channels), '-f', 's16le', '-']);
}
