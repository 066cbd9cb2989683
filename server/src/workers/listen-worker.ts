import { encodePcm } from '@flagstone/core/audio/encode-pcm';
import type { Slice, SyncPoint } from '@flagstone/core/record/marks';
import { decodePcm } from '@flagstone/core/audio/pcm';
import { findSlices, strongestOnsets, type SliceOptions } from '@flagstone/core/audio/slices/find-slices';
import { SliceEnvelopeGatherer, type SliceEnvelope } from '@flagstone/core/audio/slices/slice-envelope';
import { Spectrogrammer, type SpectrogramShape } from '@flagstone/core/audio/spectrogram';
import { renderTryOut, tryOutInWords, type TryOut } from '@flagstone/core/audio/try-out/try-out';
import type { AudioFacts } from '@flagstone/core/formats/audio-file';
import { concatBytes, memorySource, type ByteSource } from '@flagstone/core/formats/byte-source';
import { applyPlan } from '@flagstone/core/formats/write-plan';
import { writeBext } from '@flagstone/core/formats/wav/bext';
import { newWavParts } from '@flagstone/core/formats/wav/new-wav';
import { riffChunkBytes } from '@flagstone/core/formats/wav/riff-chunks';
import { planWavWrite } from '@flagstone/core/formats/wav/wav-writer';
import type { SoundRecord } from '@flagstone/core/record/fields';
import { diskError } from '../disk/disk-errors.ts';
import type { MeasureResult } from './measure-worker.ts';
import { eachBlock, isPlainPcm, readSamples, withAudio, type FrameRange } from '../disk/read-samples.ts';

/** What is wanted of a file given by its absolute path, checked before. */
export type ListenTask = { path: string } & (
  | { what: 'samples'; range: FrameRange }
  | {
      what: 'spectrogram';
      range: FrameRange;
      columns: number;
      shape: Omit<SpectrogramShape, 'sampleRateHz'>;
      channel: number;
    }
  | { what: 'slices'; options: SliceOptions; mtimeMs: number }
  | { what: 'export'; range: FrameRange; tryOut: TryOut; record: SoundRecord }
);

export interface SamplesPart {
  /** One channel after another. */
  samples: Float32Array<ArrayBuffer>;
  channels: number;
  sampleRateHz: number;
  channelMask?: number;
  isAmbisonic?: boolean;
}

export interface FoundSlices {
  slices: Slice[];
  syncPoints: SyncPoint[];
}

/** What each kind of task gives. */
export interface ListenValues {
  samples: SamplesPart;
  /** Column after column, in it row after row from the lowest frequency. */
  spectrogram: Uint8Array<ArrayBuffer>;
  slices: FoundSlices;
  /** A WAV file. */
  export: Uint8Array<ArrayBuffer>;
}

/** Runs in a worker thread, so that nothing that is listened to waits for it. */
export default async function listen(task: ListenTask): Promise<MeasureResult<ListenValues[ListenTask['what']]>> {
  try {
    const value = await withAudio(task.path, (source, facts) => valueFor(task, source, facts));
    return { ok: true, value };
  } catch (error) {
    const { code, message } = diskError(error, task.path);
    return { ok: false, code, message };
  }
}

async function valueFor(
  task: ListenTask,
  source: ByteSource,
  facts: AudioFacts,
): Promise<ListenValues[ListenTask['what']]> {
  switch (task.what) {
    case 'samples':
      return samplesOf(await readSamples(task.path, source, facts, task.range), facts);
    case 'spectrogram':
      return spectrogramOf(task, source, facts);
    case 'slices': {
      const envelope = await envelopeOf(task, source, facts);
      const slices = findSlices(envelope, task.options);
      return { slices, syncPoints: strongestOnsets(envelope, slices) };
    }
    case 'export':
      return exportOf(task, source, facts);
  }
}

function samplesOf(planar: Float32Array[], facts: AudioFacts): SamplesPart {
  const frames = planar[0]?.length ?? 0;
  const samples = new Float32Array(frames * planar.length);
  planar.forEach((each, channel) => samples.set(each, channel * frames));
  const { channels, sampleRateHz, channelMask, isAmbisonic } = facts;
  return {
    samples,
    channels,
    sampleRateHz,
    ...(channelMask === undefined ? {} : { channelMask }),
    ...(isAmbisonic === undefined ? {} : { isAmbisonic }),
  };
}

/** A cache of the envelopes of the sounds that were sliced last, so that another sensitivity is answered at once. */
const envelopes = new Map<string, SliceEnvelope>();
const KEPT_ENVELOPES = 2;

async function envelopeOf(
  { path, mtimeMs }: Extract<ListenTask, { what: 'slices' }>,
  source: ByteSource,
  facts: AudioFacts,
): Promise<SliceEnvelope> {
  const key = `${path}\0${mtimeMs}`;
  const known = envelopes.get(key);
  if (known) return known;
  const gatherer = new SliceEnvelopeGatherer(facts.sampleRateHz, facts.channels);
  await eachBlock(path, source, facts, undefined, (planar, frames) => gatherer.add(planar, frames));
  const envelope = gatherer.finish();
  envelopes.set(key, envelope);
  const [oldest] = envelopes.keys();
  if (envelopes.size > KEPT_ENVELOPES && oldest !== undefined) envelopes.delete(oldest);
  return envelope;
}

/** Each column is a window around its moment; `channel` counts from 1, 0 is all of them together. */
async function spectrogramOf(
  { path, range, columns, shape, channel }: Extract<ListenTask, { what: 'spectrogram' }>,
  source: ByteSource,
  facts: AudioFacts,
): Promise<Uint8Array<ArrayBuffer>> {
  const meter = new Spectrogrammer({ ...shape, sampleRateHz: facts.sampleRateHz });
  const { size, rows } = shape;
  const startOf = (column: number): number =>
    Math.round(range.from + ((column + 0.5) * (range.to - range.from)) / columns - size / 2);
  const bytes = new Uint8Array(columns * rows);
  const wish = { columns, size, startOf, channel };
  const windows = isPlainPcm(facts) ? readWindows(source, facts, wish) : decodedWindows(path, source, facts, wish);
  let column = 0;
  for await (const window of windows) {
    bytes.set(meter.column(window), column * rows);
    column += 1;
  }
  return bytes;
}

/** Windows of so many samples, one a column. */
interface WindowWish {
  columns: number;
  size: number;
  startOf: (column: number) => number;
  channel: number;
}

/** PCM is read only where a column needs it, so that a sound of hours costs what a short one does. */
async function* readWindows(
  source: ByteSource,
  facts: AudioFacts,
  { columns, size, startOf, channel }: WindowWish,
): AsyncGenerator<Float32Array> {
  const planar = Array.from({ length: facts.channels }, () => new Float32Array(size));
  const window = new Float32Array(size);
  for (let column = 0; column < columns; column += 1) {
    const start = startOf(column);
    const [from, to] = [Math.max(0, start), Math.min(facts.frames, start + size)];
    const bytes = await source.read(
      facts.audioOffset + from * facts.frameBytes,
      Math.max(0, to - from) * facts.frameBytes,
    );
    const frames = decodePcm(bytes, facts, planar);
    window.fill(0);
    mixInto(window, from - start, planar, frames, channel);
    yield window;
  }
}

async function* decodedWindows(
  path: string,
  source: ByteSource,
  facts: AudioFacts,
  { columns, size, startOf, channel }: WindowWish,
): AsyncGenerator<Float32Array> {
  const windows = Array.from({ length: columns }, () => new Float32Array(size));
  const first = Math.max(0, startOf(0));
  let at = first;
  await eachBlock(path, source, facts, { from: first, to: startOf(columns - 1) + size }, (planar, frames) => {
    windows.forEach((window, column) => {
      const start = startOf(column);
      const [from, to] = [Math.max(start, at), Math.min(start + size, at + frames)];
      if (to <= from) return;
      const part = planar.map((samples) => samples.subarray(from - at, to - at));
      mixInto(window, from - start, part, to - from, channel);
    });
    at += frames;
  });
  yield* windows;
}

function mixInto(
  window: Float32Array,
  offset: number,
  planar: readonly Float32Array[],
  frames: number,
  channel: number,
): void {
  const chosen = channel === 0 ? planar : planar.slice(channel - 1, channel);
  for (const samples of chosen)
    for (let frame = 0; frame < frames; frame += 1)
      window[offset + frame] = (window[offset + frame] as number) + (samples[frame] as number) / chosen.length;
}

/** A WAV file of how a part sounds after it was tried out, with the record, and what was done in its coding history (EBU R98). */
async function exportOf(
  { path, range, tryOut, record }: Extract<ListenTask, { what: 'export' }>,
  source: ByteSource,
  facts: AudioFacts,
): Promise<Uint8Array<ArrayBuffer>> {
  const { channelMask, isAmbisonic, sampleRateHz, channels } = facts;
  const planar = await readSamples(path, source, facts, range);
  const rendered = renderTryOut({ planar, channels, sampleRateHz, channelMask, isAmbisonic }, tryOut);
  const isFloat = facts.sampleFormat === 'float';
  // Worked-on samples have more to say than 16 bits hold.
  const bitDepth = isFloat ? 32 : 24;
  const words = tryOutInWords(tryOut);
  const mode = rendered.channels === 1 ? 'mono' : rendered.channels === 2 ? 'stereo' : 'multitrack';
  const codingHistory = `A=PCM,F=${sampleRateHz},W=${bitDepth},M=${mode},T=Flagstone${words === '' ? '' : `; ${words}`}\r\n`;
  const bext = {
    ...(facts.timeReference === undefined ? {} : { timeReference: facts.timeReference + range.from }),
    codingHistory,
  };
  const contents = writeBext(undefined, bext);
  const padded = contents.length % 2 === 0 ? contents : concatBytes([contents, new Uint8Array(1)]);
  const sampleFormat = isFloat ? ('float' as const) : ('integer' as const);
  const { head, tail } = newWavParts({
    sampleFormat,
    bitDepth,
    channels: rendered.planar.length,
    sampleRateHz: rendered.sampleRateHz,
    channelMask: rendered.channelMask,
    frames: rendered.planar[0]?.length ?? 0,
    chunks: [riffChunkBytes('bext', padded)],
  });
  const file = concatBytes([head, encodePcm(rendered.planar, { sampleFormat, bitDepth }), tail]);
  const { plan } = await planWavWrite(memorySource(file), record);
  return plan ? applyPlan(file, plan) : file;
}
