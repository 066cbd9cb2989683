/** Taken once: where code runs in a context of its own, as tests do, each look-up of a global costs more than the sum it is for. */
const { abs, max } = Math;

/** Sums of one channel, gathered in one pass. */
interface ChannelSums {
  highest: number;
  sum: number;
  squares: number;
  clipped: number;
  clippedRun: number;
}

export interface Levels {
  /** Highest sample, dBFS (full scale 1); null for digital silence. */
  samplePeakDbfs: number | null;
  /** Root mean square over all channels, dB below full scale 1 (a full-scale sine has -3.01); null for digital silence. */
  rmsDbfs: number | null;
  /** Peak over RMS, dB. */
  crestFactorDb: number | null;
  /** The mean sample of the channel that is furthest off, full scale 1. */
  dcOffset: number;
  /** Samples in runs of at least three at full scale, in all channels. */
  clippedSamples: number;
  /** Seconds before the first and behind the last sample above -60 dBFS; both the whole length where there is none. */
  leadingSilenceSeconds: number;
  trailingSilenceSeconds: number;
  /** Of two channels, -1 to 1; null where one is silent or there are not two. */
  correlation: number | null;
  /** Two channels that carry the same: their difference lies 60 dB below their sum. */
  isDualMono: boolean;
  /** Channels, counted from 1, that never exceed -90 dBFS while another does. */
  silentChannels: number[];
}

const SILENCE = 10 ** (-60 / 20);
const SILENT_CHANNEL = 10 ** (-90 / 20);
const CLIP_RUN = 3;
const DUAL_MONO = 1e-6;

/** Linear full scale 1 as dB; null for 0. */
export function decibels(amplitude: number): number | null {
  return amplitude > 0 ? 20 * Math.log10(amplitude) : null;
}

/** Levels, offset, clipping, silence at the ends and the relation of two channels. Fed with planar samples in blocks of any length. */
export class LevelMeter {
  private readonly rate: number;
  private readonly channels: ChannelSums[];
  private readonly fullScale: number;
  private products = 0;
  private differences = 0;
  private frame = 0;
  private firstLoud = -1;
  private lastLoud = -1;

  /** `bitDepth` tells what full scale is: the highest code of up to 16 bits, 1 for float (0). */
  constructor(sampleRateHz: number, channels: number, bitDepth: number) {
    this.rate = sampleRateHz;
    this.fullScale = bitDepth > 0 ? 1 - 1 / 2 ** (Math.min(16, bitDepth) - 1) : 1;
    this.channels = Array.from({ length: channels }, () => ({
      highest: 0,
      sum: 0,
      squares: 0,
      clipped: 0,
      clippedRun: 0,
    }));
  }

  add(channels: readonly Float32Array[], frames: number): void {
    this.channels.forEach((sums, channel) => this.addChannel(sums, channels[channel] as Float32Array, frames));
    const [left, right] = channels;
    if (this.channels.length === 2 && left && right) this.compare(left, right, frames);
    this.frame += frames;
  }

  private compare(left: Float32Array, right: Float32Array, frames: number): void {
    let products = 0;
    let differences = 0;
    for (let index = 0; index < frames; index += 1) {
      const a = left[index] as number;
      const b = right[index] as number;
      products += a * b;
      differences += (a - b) * (a - b);
    }
    this.products += products;
    this.differences += differences;
  }

  private addChannel(sums: ChannelSums, samples: Float32Array, frames: number): void {
    let { highest, sum, squares } = sums;
    let most = 0;
    for (let index = 0; index < frames; index += 1) {
      const value = samples[index] as number;
      const size = abs(value);
      sum += value;
      squares += value * value;
      most = size > most ? size : most;
    }
    if (most > highest) highest = most;
    if (most >= this.fullScale) this.countClipped(sums, samples, frames);
    else sums.clippedRun = 0;
    Object.assign(sums, { highest, sum, squares });
    if (most > SILENCE) this.findLoud(samples, frames);
  }

  private countClipped(sums: ChannelSums, samples: Float32Array, frames: number): void {
    for (let index = 0; index < frames; index += 1) {
      sums.clippedRun = abs(samples[index] as number) >= this.fullScale ? sums.clippedRun + 1 : 0;
      if (sums.clippedRun === CLIP_RUN) sums.clipped += CLIP_RUN;
      else if (sums.clippedRun > CLIP_RUN) sums.clipped += 1;
    }
  }

  /** Where this block is first and last above silence; looked for from both ends, so it costs next to nothing in the middle of a sound. */
  private findLoud(samples: Float32Array, frames: number): void {
    let last = frames - 1;
    while (last >= 0 && abs(samples[last] as number) <= SILENCE) last -= 1;
    if (last < 0) return;
    this.lastLoud = max(this.lastLoud, this.frame + last);
    if (this.firstLoud >= 0 && this.firstLoud < this.frame) return;
    let first = 0;
    while (abs(samples[first] as number) <= SILENCE) first += 1;
    const at = this.frame + first;
    this.firstLoud = this.firstLoud < 0 ? at : Math.min(this.firstLoud, at);
  }

  finish(): Levels {
    const { frame, rate, channels } = this;
    const highest = channels.reduce((most, each) => max(most, each.highest), 0);
    const squares = channels.reduce((sum, each) => sum + each.squares, 0);
    const rms = Math.sqrt(squares / max(1, frame * channels.length));
    const [left, right] = channels;
    const power = left && right ? Math.sqrt(left.squares * right.squares) : 0;
    return {
      samplePeakDbfs: decibels(highest),
      rmsDbfs: decibels(rms),
      crestFactorDb: rms > 0 ? 20 * Math.log10(highest / rms) : null,
      dcOffset: channels
        .map((each) => each.sum / max(1, frame))
        .reduce((most, each) => (abs(each) > abs(most) ? each : most), 0),
      clippedSamples: channels.reduce((sum, each) => sum + each.clipped, 0),
      leadingSilenceSeconds: (this.firstLoud < 0 ? frame : this.firstLoud) / rate,
      trailingSilenceSeconds: (frame - 1 - this.lastLoud) / rate,
      correlation: channels.length === 2 && power > 0 ? this.products / power : null,
      isDualMono: channels.length === 2 && power > 0 && this.differences < DUAL_MONO * 2 * squares,
      silentChannels:
        highest > SILENT_CHANNEL
          ? channels.flatMap((each, index) => (each.highest <= SILENT_CHANNEL ? [index + 1] : []))
          : [],
    };
  }
}
