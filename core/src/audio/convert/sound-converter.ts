import { mixed, type MixMatrix } from '../channel-mix.ts';
import { encodePcm, type StoredFormat } from '../encode-pcm.ts';
import { LoudnessMeter } from '../measure/loudness-meter.ts';
import { TruePeakMeter } from '../measure/true-peak-meter.ts';
import { Dither } from './dither.ts';
import { RateConverter } from './rate-converter.ts';

/** How loud a sound is to become. */
export type LevelTarget =
  | { kind: 'asIs' }
  /** The highest sample, dBFS. */
  | { kind: 'peak'; dbfs: number }
  /** Integrated loudness, LUFS, unless the true peak would rise above the ceiling, dBTP. */
  | { kind: 'loudness'; lufs: number; ceilingDbtp: number };

/** What becomes of the samples of a sound, before they are stored. */
export interface Conversion {
  channels: number;
  fromHz: number;
  toHz: number;
  /** Gains from its channels into those that are wanted; null for as they are. */
  matrix: MixMatrix | null;
}

/** What was measured of a converted sound before its level was set. */
export interface ConvertedMeasures {
  frames: number;
  /** The highest sample and the highest value between samples, full scale 1. */
  peak: number;
  truePeak: number;
  /** Null for silence and sounds shorter than 400 ms. */
  integratedLufs: number | null;
  /** How much weaker the channels became together by being summed, dB; 0 where nothing was summed. */
  lostDb: number;
}

/** Mixes and resamples a sound, block by block. */
class Chain {
  readonly outputs: number;
  private readonly matrix: MixMatrix | null;
  private readonly rate: RateConverter | null;

  constructor({ channels, fromHz, toHz, matrix }: Conversion) {
    this.matrix = matrix;
    this.outputs = matrix ? matrix.length : channels;
    this.rate = fromHz === toHz ? null : new RateConverter(this.outputs, fromHz, toHz);
  }

  /** A block of the result, of its own memory or that of the input. */
  add(planar: readonly Float32Array[], frames: number): readonly Float32Array[] {
    const block = planar.map((samples) => samples.subarray(0, frames));
    const sum = this.matrix ? mixed(block, this.matrix) : block;
    return this.rate ? this.rate.add(sum, frames) : sum;
  }

  finish(): readonly Float32Array[] {
    return this.rate?.finish() ?? [];
  }
}

const framesOf = (planar: readonly Float32Array[]): number => planar[0]?.length ?? 0;

/** Samples of all channels that a meter keeps of what it made: 64 MiB. */
const MOST_KEPT = 16 * 1024 * 1024;

/** Measures what a conversion would give, so that its level can be set. */
export class ConversionMeter {
  /** What was made, block by block, so that it need not be made twice; undefined for more than is kept. */
  made: Float32Array[][] | undefined = [];
  private keptSamples = 0;
  private readonly chain: Chain;
  private readonly truePeaks: TruePeakMeter[];
  private readonly loudness: LoudnessMeter;
  private frames = 0;
  private peak = 0;
  private energyBefore = 0;
  private energyAfter = 0;
  private framesBefore = 0;
  private readonly channelsBefore: number;
  private readonly isSummed: boolean;

  constructor(conversion: Conversion) {
    this.chain = new Chain(conversion);
    this.channelsBefore = conversion.channels;
    const channels = this.chain.outputs;
    this.truePeaks = Array.from({ length: channels }, () => new TruePeakMeter(conversion.toHz));
    this.loudness = new LoudnessMeter(conversion.toHz, { channels });
    this.isSummed = conversion.matrix?.some((row) => row.filter((gain) => gain !== 0).length > 1) ?? false;
  }

  add(planar: readonly Float32Array[], frames: number): void {
    if (this.isSummed) this.energyBefore += energyOf(planar, frames);
    this.framesBefore += frames;
    this.take(this.chain.add(planar, frames));
  }

  finish(): ConvertedMeasures {
    this.take(this.chain.finish());
    const { frames, peak, isSummed } = this;
    const truePeak = Math.max(peak, ...this.truePeaks.map((meter) => meter.finish()));
    const { integratedLufs } = this.loudness.finish();
    const before = this.energyBefore / (this.framesBefore * this.channelsBefore);
    const after = this.energyAfter / (frames * this.chain.outputs);
    const lostDb = !isSummed || !(before > 0) ? 0 : 10 * Math.log10(before / Math.max(after, 1e-30));
    return { frames, peak, truePeak, integratedLufs, lostDb };
  }

  private take(planar: readonly Float32Array[]): void {
    const frames = framesOf(planar);
    if (frames === 0) return;
    for (const [channel, samples] of planar.entries()) {
      this.truePeaks[channel]?.add(samples, frames);
      for (const sample of samples) if (Math.abs(sample) > this.peak) this.peak = Math.abs(sample);
    }
    this.keptSamples += frames * planar.length;
    if (this.keptSamples > MOST_KEPT) this.made = undefined;
    // A block may be that of whoever read it, who fills it anew.
    this.made?.push(planar.map((samples) => samples.slice()));
    if (this.isSummed) this.energyAfter += energyOf(planar, frames);
    this.loudness.add(planar, frames);
    this.frames += frames;
  }
}

function energyOf(planar: readonly Float32Array[], frames: number): number {
  let sum = 0;
  for (const samples of planar) for (let frame = 0; frame < frames; frame += 1) sum += (samples[frame] as number) ** 2;
  return sum;
}

/** What was done with the level of a sound, and what could not be. */
export interface LevelSet {
  gain: number;
  told: 'asWanted' | 'lowered' | 'heldByCeiling' | 'tooShort';
}

/** Highest sample that whole numbers can store. */
const FULL_SCALE = 1;

/**
 * The gain that brings a sound to the level that is wanted. Whole numbers hold nothing above full scale: what would rise above it is lowered as a whole, and never clipped. Silence, and what is too
 * short for its loudness to be known, stays as it is.
 */
export function gainFor(
  measures: ConvertedMeasures,
  level: LevelTarget,
  sampleFormat: StoredFormat['sampleFormat'],
): LevelSet {
  const { peak, truePeak, integratedLufs } = measures;
  const kept: LevelSet =
    sampleFormat === 'integer' && peak > FULL_SCALE
      ? { gain: FULL_SCALE / peak, told: 'lowered' }
      : { gain: 1, told: 'asWanted' };
  if (level.kind === 'asIs' || peak === 0) return kept;
  if (level.kind === 'peak') return { gain: 10 ** (level.dbfs / 20) / peak, told: 'asWanted' };
  if (integratedLufs === null) return { ...kept, told: 'tooShort' };
  const wanted = 10 ** ((level.lufs - integratedLufs) / 20);
  const most = 10 ** (level.ceilingDbtp / 20) / truePeak;
  return wanted > most ? { gain: most, told: 'heldByCeiling' } : { gain: wanted, told: 'asWanted' };
}

/** Converts a sound, block by block, into bytes as WAV stores them. */
export class SoundConverter {
  private readonly chain: Chain;
  private readonly dither: Dither | null;
  private readonly stored: StoredFormat;
  private readonly gain: number;

  constructor(conversion: Conversion, stored: StoredFormat, { gain, dither }: { gain: number; dither: boolean }) {
    this.chain = new Chain(conversion);
    this.stored = stored;
    this.gain = gain;
    this.dither = dither && stored.sampleFormat === 'integer' ? new Dither(this.chain.outputs, stored.bitDepth) : null;
  }

  add(planar: readonly Float32Array[], frames: number): Uint8Array {
    return this.encode(this.chain.add(planar, frames));
  }

  finish(): Uint8Array {
    return this.encode(this.chain.finish());
  }

  private encode(block: readonly Float32Array[]): Uint8Array {
    const frames = framesOf(block);
    if (frames === 0) return new Uint8Array(0);
    if (this.gain === 1 && !this.dither) return encodePcm(block, this.stored, frames);
    // What came in belongs to whoever gave it.
    const own = block.map((samples) => samples.map((sample) => sample * this.gain));
    this.dither?.add(own, frames);
    return encodePcm(own, this.stored, frames);
  }
}
