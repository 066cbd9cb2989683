import { execFile } from 'node:child_process';
import { closeSync, openSync, writeSync } from 'node:fs';
import { unlink } from 'node:fs/promises';
import { promisify } from 'node:util';
import { canonicalAudio } from '@flagstone/core/audio/canonical-audio';
import type { MixMatrix } from '@flagstone/core/audio/channel-mix';
import { convertedLength } from '@flagstone/core/audio/convert/rate-converter';
import {
  ConversionMeter,
  gainFor,
  SoundConverter,
  type Conversion,
  type LevelSet,
  type LevelTarget,
} from '@flagstone/core/audio/convert/sound-converter';
import type { MadeContainer } from '@flagstone/core/delivery/audio-form';
import { AppError } from '@flagstone/core/errors';
import type { AudioFacts } from '@flagstone/core/formats/audio-file';
import { concatBytes, type ByteSource } from '@flagstone/core/formats/byte-source';
import { writeBext } from '@flagstone/core/formats/wav/bext';
import { newWavParts } from '@flagstone/core/formats/wav/new-wav';
import { riffChunkBytes } from '@flagstone/core/formats/wav/riff-chunks';
import { complaintOf, limitedFfmpeg } from './decoder.ts';
import { diskError } from './disk-errors.ts';
import { eachBlock, isPlainPcm, withAudio, type FrameRange } from './read-samples.ts';

const run = promisify(execFile);

/** A sound to be made into another file; paths are absolute and were checked before. */
export interface ConvertTask {
  source: string;
  range: FrameRange | null;
  /** Where a new file is made, and beside it, while it is coded, a second one. */
  target: string;
  working: string;
  container: MadeContainer;
  sampleRateHz: number;
  sampleFormat: 'integer' | 'float';
  bitDepth: number;
  dither: boolean;
  /** Gains from its channels into those that are wanted; null for all as they are. */
  matrix: MixMatrix | null;
  level: LevelTarget;
}

export interface ConvertedFile {
  frames: number;
  gainDb: number;
  level: LevelSet['told'];
  /** How much weaker the channels became by being summed, dB. */
  lostDb: number;
}

/** Encoders of ffmpeg for what is not WAV; none is told what the source said, which its record says better. */
const ENCODERS: Record<Exclude<MadeContainer, 'WAV'>, (bitDepth: number) => string[]> = {
  AIFF: (bitDepth) => ['-c:a', bitDepth > 16 ? 'pcm_s24be' : 'pcm_s16be', '-f', 'aiff'],
  FLAC: (bitDepth) =>
    bitDepth > 16
      ? ['-c:a', 'flac', '-sample_fmt', 's32', '-bits_per_raw_sample', '24', '-f', 'flac']
      : ['-c:a', 'flac', '-sample_fmt', 's16', '-f', 'flac'],
  MP3: () => ['-c:a', 'libmp3lame', '-b:a', '320k', '-f', 'mp3'],
  Ogg: () => ['-c:a', 'libvorbis', '-q:a', '6', '-f', 'ogg'],
};

/**
 * Makes a file of a sound or a part of it: its channels mixed, its rate, level and depth set, in bounded memory however long it is; once to measure where its level depends on it, once to write. The
 * source is only read. Throws what reading throws, CODEC_NOT_SUPPORTED with ffmpeg's words, and what the disk says.
 */
export async function convertFile(task: ConvertTask): Promise<ConvertedFile> {
  const isWav = task.container === 'WAV';
  try {
    return await withAudio(task.source, async (source, facts) => {
      const made = await makeWav(task, source, facts, isWav ? task.target : task.working);
      if (task.container !== 'WAV')
        await encode(task, task.container, { ...facts, durationSeconds: made.frames / task.sampleRateHz });
      return made;
    });
  } finally {
    if (!isWav) await unlink(task.working).catch((error: NodeJS.ErrnoException) => ignoreMissing(error));
  }
}

function ignoreMissing(error: NodeJS.ErrnoException): void {
  if (error.code !== 'ENOENT') throw error;
}

async function makeWav(
  task: ConvertTask,
  source: ByteSource,
  facts: AudioFacts,
  target: string,
): Promise<ConvertedFile> {
  const { range, matrix, sampleRateHz, sampleFormat, bitDepth } = task;
  const conversion: Conversion = { channels: facts.channels, fromHz: facts.sampleRateHz, toHz: sampleRateHz, matrix };
  const stored = { sampleFormat, bitDepth };
  const given = range ?? undefined;
  const isStored = matrix === null && facts.sampleRateHz === sampleRateHz && task.level.kind === 'asIs';
  const isCounted = isPlainPcm(facts);
  let frames = convertedLength((range?.to ?? facts.frames) - (range?.from ?? 0), facts.sampleRateHz, sampleRateHz);
  let set: LevelSet = { gain: 1, told: 'asWanted' };
  let lostDb = 0;
  let made: Float32Array[][] | undefined;
  // Whole numbers hold nothing above full scale, which mixing, another rate, floats and decoders may give.
  if (!isStored || !isCounted || facts.sampleFormat === 'float') {
    const meter = new ConversionMeter(conversion);
    await eachBlock(task.source, source, facts, given, (planar, count) => meter.add(planar, count));
    const measures = meter.finish();
    ({ frames, lostDb } = measures);
    ({ made } = meter);
    set = gainFor(measures, task.level, task.container === 'WAV' ? sampleFormat : 'integer');
  }
  if (frames === 0) throw new AppError('FORMAT_DAMAGED', 'It holds no audio.');
  const channels = matrix?.length ?? facts.channels;
  const { head, tail, audioBytes } = newWavParts({
    ...stored,
    channels,
    sampleRateHz,
    channelMask: matrix === null ? facts.channelMask : undefined,
    frames,
    chunks: [bextOf(task, facts, channels)],
  });
  const writer = new NewFile(target);
  try {
    writer.write(head);
    const isSame =
      isStored && set.gain === 1 && isCounted && facts.sampleFormat === sampleFormat && facts.bitDepth === bitDepth;
    if (isSame) await copyStored(source, facts, range ?? { from: 0, to: facts.frames }, (bytes) => writer.write(bytes));
    else {
      const treated = { gain: set.gain, dither: task.dither };
      const still = { channels, fromHz: sampleRateHz, toHz: sampleRateHz, matrix: null };
      const converter = new SoundConverter(made ? still : conversion, stored, treated);
      const take = (planar: Float32Array[], count: number): void => writer.write(converter.add(planar, count));
      if (made) for (const block of made) take(block, block[0]?.length ?? 0);
      else await eachBlock(task.source, source, facts, given, take);
      writer.write(converter.finish());
    }
    if (writer.written !== head.length + audioBytes)
      throw new AppError('FILE_CHANGED', `${task.source} was written to while it was read.`);
    writer.write(tail);
  } finally {
    writer.close();
  }
  return { frames, gainDb: 20 * Math.log10(set.gain), level: set.told, lostDb };
}

const COPY_BYTES = 1024 * 1024;

/** The samples as they are stored, bit by bit, in the order of WAV. */
async function copyStored(
  source: ByteSource,
  facts: AudioFacts,
  { from, to }: FrameRange,
  write: (bytes: Uint8Array) => void,
): Promise<void> {
  const canonical = canonicalAudio(facts);
  const step = Math.max(1, Math.floor(COPY_BYTES / facts.frameBytes));
  for (let frame = from; frame < to; frame += step)
    write(
      canonical(
        await source.read(facts.audioOffset + frame * facts.frameBytes, Math.min(step, to - frame) * facts.frameBytes),
      ),
    );
}

/** When the sound was recorded, counted in frames of the new rate, and what was done to it (EBU Tech 3285, EBU R 98). */
function bextOf(
  { range, sampleRateHz, bitDepth, level }: ConvertTask,
  facts: AudioFacts,
  channels: number,
): Uint8Array {
  const mode = channels === 1 ? 'mono' : channels === 2 ? 'stereo' : 'multitrack';
  const was = `${facts.codec} ${facts.sampleRateHz} Hz${facts.bitDepth > 0 ? ` ${facts.bitDepth} bit` : ''}`;
  const codingHistory = `A=PCM,F=${sampleRateHz},W=${bitDepth},M=${mode},T=Flagstone; from ${was}${level.kind === 'asIs' ? '' : '; level set'}\r\n`;
  const time =
    facts.timeReference === undefined
      ? {}
      : { timeReference: convertedLength(facts.timeReference + (range?.from ?? 0), facts.sampleRateHz, sampleRateHz) };
  const contents = writeBext(undefined, { ...time, codingHistory });
  return riffChunkBytes('bext', contents.length % 2 === 0 ? contents : concatBytes([contents, new Uint8Array(1)]));
}

async function encode(task: ConvertTask, container: Exclude<MadeContainer, 'WAV'>, facts: AudioFacts): Promise<void> {
  const args = ['-v', 'error', '-nostdin', '-protocol_whitelist', 'file', '-f', 'wav', '-i', `file:${task.working}`];
  const coding = [
    '-map',
    '0:a:0',
    '-map_metadata',
    '-1',
    '-fflags',
    '+bitexact',
    '-flags:a',
    '+bitexact',
    ...ENCODERS[container](task.bitDepth),
  ];
  const [command, ...rest] = limitedFfmpeg(facts, [...args, ...coding, '-n', `file:${task.target}`]);
  await run(command, rest).catch((error: unknown) => {
    const { stderr = '' } = error as { stderr?: string };
    if (stderr.includes('No space left'))
      throw diskError(Object.assign(new Error(stderr), { code: 'ENOSPC' }), task.target);
    throw new AppError(
      'CODEC_NOT_SUPPORTED',
      `ffmpeg cannot make ${container} of it: ${complaintOf(stderr, task.working)}`,
      {
        cause: error,
      },
    );
  });
}

/** A new file that is written from its start to its end, in a worker thread, where waiting costs nobody anything. */
class NewFile {
  written = 0;
  private readonly handle: number;

  constructor(path: string) {
    this.handle = openSync(path, 'wx', 0o600);
  }

  write(bytes: Uint8Array): void {
    for (let at = 0; at < bytes.length;) at += writeSync(this.handle, bytes, at);
    this.written += bytes.length;
  }

  close(): void {
    closeSync(this.handle);
  }
}
