import { decodePcm, sampleReader } from '@flagstone/core/audio/pcm';
import { AppError } from '@flagstone/core/errors';
import type { AudioFacts } from '@flagstone/core/formats/audio-file';
import type { ByteSource } from '@flagstone/core/formats/byte-source';
import { refuseUnworkable } from './decoder.ts';
import { handleSource } from './drive-files.ts';
import { decodeCoded } from './measure-file.ts';
import { openRegular } from './open-regular.ts';
import { readAudio } from './read-audio.ts';

/** A part of a sound, in frames, the end not included. */
export interface FrameRange {
  from: number;
  to: number;
}

/** Most samples, of all channels together, that are held at once: 256 MiB. */
export const MOST_SAMPLES = 64 * 1024 * 1024;
const BLOCK_BYTES = 256 * 1024;

/** Whether the samples of a file can be read where they stand. */
export function isPlainPcm(facts: AudioFacts): boolean {
  return sampleReader(facts) !== undefined && facts.frameBytes > 0;
}

/** Opens an audio file given by its absolute path, checked before, hands it to `use`, and closes it. */
export async function withAudio<Value>(
  path: string,
  use: (source: ByteSource, facts: AudioFacts) => Promise<Value>,
): Promise<Value> {
  const handle = await openRegular(path);
  try {
    const source = handleSource(handle, (await handle.stat()).size);
    const { facts } = await readAudio(source);
    refuseUnworkable(facts);
    return await use(source, facts);
  } finally {
    await handle.close();
  }
}

/** Hands the samples of a part over, block by block, planar: PCM from where it stands, other audio decoded by ffmpeg from its start. */
export async function eachBlock(
  path: string,
  source: ByteSource,
  facts: AudioFacts,
  range: FrameRange | undefined,
  use: (planar: Float32Array[], frames: number) => void,
): Promise<void> {
  if (!isPlainPcm(facts)) return decodeCoded(path, facts, use, range);
  const { from, to } = range ?? { from: 0, to: facts.frames };
  const step = Math.max(1, Math.floor(BLOCK_BYTES / facts.frameBytes));
  const planar = Array.from({ length: facts.channels }, () => new Float32Array(step));
  for (let frame = from; frame < to; frame += step) {
    const count = Math.min(step, to - frame);
    const bytes = await source.read(facts.audioOffset + frame * facts.frameBytes, count * facts.frameBytes);
    use(planar, decodePcm(bytes, facts, planar));
    if (bytes.length < count * facts.frameBytes) return;
  }
}

/** The samples of a part, planar. Throws BAD_REQUEST for more than can be held. */
export async function readSamples(
  path: string,
  source: ByteSource,
  facts: AudioFacts,
  { from, to }: FrameRange,
): Promise<Float32Array[]> {
  const end = facts.frames > 0 ? Math.min(to, facts.frames) : to;
  const wanted = Math.max(0, end - from);
  if (wanted * facts.channels > MOST_SAMPLES) {
    const most = Math.floor(MOST_SAMPLES / facts.channels / facts.sampleRateHz);
    throw new AppError(
      'BAD_REQUEST',
      `The part is too long: of this sound ${most} seconds can be worked with at once.`,
    );
  }
  const planar = Array.from({ length: facts.channels }, () => new Float32Array(wanted));
  let filled = 0;
  await eachBlock(path, source, facts, { from, to: end }, (block, frames) => {
    const count = Math.min(frames, wanted - filled);
    planar.forEach((samples, channel) => samples.set((block[channel] as Float32Array).subarray(0, count), filled));
    filled += count;
  });
  return planar.map((samples) => samples.subarray(0, filled));
}
