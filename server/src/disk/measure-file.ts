import { decodedLength, type KnownLength } from '@flagstone/core/audio/decoded-length';
import { AudioDigester, fullAudioDigest } from '@flagstone/core/audio/digest';
import { SoundMeter, type SoundAnalysis } from '@flagstone/core/audio/measure/sound-meter';
import { decodePcm, sampleReader } from '@flagstone/core/audio/pcm';
import { AppError } from '@flagstone/core/errors';
import type { AudioFacts } from '@flagstone/core/formats/audio-file';
import type { ByteSource } from '@flagstone/core/formats/byte-source';
import { complaintOf, inputOf, refuseUnworkable, startFfmpeg } from './decoder.ts';
import { isUnchanged, stampFrom } from './file-stamp.ts';
import { handleSource } from './drive-files.ts';
import { openRegular } from './open-regular.ts';
import { readAudio, sha256 } from './read-audio.ts';

const READ_BYTES = 256 * 1024;
const MOST_COMPLAINT = 4000;
const MOST_UNTOLD_SECONDS = 6 * 3600;

/** Size and time of a file as it was read; both the same before and after. */
export interface SteadyStamp {
  sizeBytes: number;
  mtimeMs: number;
}

export interface DigestedFile {
  /** The full audio digest. */
  audioDigest: string;
  stamp: SteadyStamp;
}

export interface MeasuredFile extends SoundAnalysis, DigestedFile {
  facts: AudioFacts;
  length: KnownLength;
}

/**
 * Measures a file given by its absolute path, checked before: everything of core's SoundMeter and the full audio digest. PCM is read once, in blocks; other audio is decoded by ffmpeg. Throws what readAudio throws, FILE_CHANGED, and
 * CODEC_NOT_SUPPORTED with ffmpeg's own words.
 */
export function measureFile(path: string): Promise<MeasuredFile> {
  return whileSteady(path, async (source) => {
    const { facts } = await readAudio(source);
    refuseUnworkable(facts);
    const isPcm = sampleReader(facts) !== undefined && facts.frameBytes > 0;
    const meter = new SoundMeter({
      ...facts,
      // Coded audio is decoded to float, whose full scale is 1.
      bitDepth: facts.sampleFormat === 'integer' ? facts.bitDepth : 0,
    });
    const audioDigest = isPcm
      ? await measurePcm(source, facts, meter)
      : await Promise.all([
          fullAudioDigest(source, facts, sha256()),
          decodeCoded(path, facts, (planar, frames) => meter.add(planar, frames)),
        ]).then(([digest]) => digest);
    const analysis = meter.finish();
    return { ...analysis, facts, audioDigest, length: decodedLength(facts, analysis.frames) };
  });
}

/** Works with an open file and adds its size and time. Throws FILE_CHANGED when it was written to meanwhile. */
async function whileSteady<Value>(
  path: string,
  work: (source: ByteSource) => Promise<Value>,
): Promise<Value & { stamp: SteadyStamp }> {
  const handle = await openRegular(path);
  try {
    const before = stampFrom(await handle.stat());
    const { sizeBytes, mtimeMs } = before;
    const value = await work(handleSource(handle, sizeBytes));
    if (!isUnchanged(before, stampFrom(await handle.stat())))
      throw new AppError('FILE_CHANGED', `${path} was written to while it was read.`);
    return { ...value, stamp: { sizeBytes, mtimeMs } };
  } finally {
    await handle.close();
  }
}

/** The full audio digest of a file given by its absolute path, checked before. Throws what readAudio throws. */
export function fullDigestOf(path: string): Promise<DigestedFile> {
  return whileSteady(path, async (source) => {
    const { facts } = await readAudio(source);
    return { audioDigest: await fullAudioDigest(source, facts, sha256()) };
  });
}

/** Feeds the meter with every sample, and returns the full digest of the same bytes. The next block is read while one is measured. */
async function measurePcm(source: ByteSource, facts: AudioFacts, meter: SoundMeter): Promise<string> {
  const digester = new AudioDigester(facts, sha256());
  const step = Math.max(1, Math.floor(READ_BYTES / facts.frameBytes)) * facts.frameBytes;
  const planar = planarOf(facts.channels, step / facts.frameBytes);
  const read = (at: number): Promise<Uint8Array> =>
    source.read(facts.audioOffset + at, Math.min(step, facts.audioBytes - at));
  let next = facts.audioBytes > 0 ? read(0) : undefined;
  for (let at = 0; at < facts.audioBytes; at += step) {
    const bytes = (await next) ?? new Uint8Array(0);
    if (at + step < facts.audioBytes) next = read(at + step);
    digester.update(bytes);
    meter.add(planar, decodePcm(bytes, facts, planar));
  }
  return digester.hex();
}

function planarOf(channels: number, frames: number): Float32Array[] {
  return Array.from({ length: channels }, () => new Float32Array(frames));
}

/**
 * Coded audio, or the frames of it that `range` names, as 32-bit float from ffmpeg, handed over block by block: the first `frames` samples of each
 * channel.
 */
export async function decodeCoded(
  path: string,
  facts: AudioFacts,
  use: (planar: Float32Array[], frames: number) => void,
  range?: { from: number; to: number },
): Promise<void> {
  const part = range ? ['-af', `atrim=start_sample=${range.from}:end_sample=${range.to}`] : [];
  const args = [...inputOf(path, facts), '-map', '0:a:0', ...part, '-ac', String(facts.channels), '-f', 'f32le', '-'];
  const child = startFfmpeg(facts, args);
  let complaint = '';
  child.stderr?.on('data', (text: Buffer) => {
    if (complaint.length < MOST_COMPLAINT) complaint += text.toString();
  });
  const ended = new Promise<number | null>((resolve, reject) => child.on('error', reject).on('close', resolve));
  // A failure to start is told by `ended`, below; until then it is no unhandled one.
  ended.catch(() => undefined);
  const frameBytes = facts.channels * 4;
  const floatFacts: AudioFacts = { ...facts, sampleFormat: 'float', bitDepth: 32, frameBytes, bigEndian: false };
  let planar = planarOf(facts.channels, READ_BYTES / 4);
  let rest: Buffer = Buffer.alloc(0);
  // What the header said, and a little; a file without a count gets as much as can be worked with.
  const most =
    (facts.frames > 0 && facts.isLengthEstimated !== true
      ? facts.frames * 1.1 + facts.sampleRateHz
      : MOST_UNTOLD_SECONDS * facts.sampleRateHz) * frameBytes;
  let seen = 0;
  for await (const block of (child.stdout ?? []) as AsyncIterable<Buffer>) {
    seen += block.length;
    if (seen > most) {
      child.kill('SIGKILL');
      throw new AppError('FORMAT_DAMAGED', 'Its audio is longer than its header says.');
    }
    const bytes = rest.length > 0 ? Buffer.concat([rest, block]) : block;
    const whole = bytes.length - (bytes.length % frameBytes);
    if (whole / frameBytes > (planar[0]?.length ?? 0)) planar = planarOf(facts.channels, whole / frameBytes);
    use(planar, decodePcm(bytes.subarray(0, whole), floatFacts, planar));
    rest = bytes.subarray(whole);
  }
  if ((await ended) !== 0)
    throw new AppError('CODEC_NOT_SUPPORTED', `ffmpeg cannot decode it: ${complaintOf(complaint, path)}`);
}
