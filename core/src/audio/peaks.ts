/** The picture of a waveform: per channel and bucket the lowest and highest sample, as signed bytes (127 is full scale). */
export interface Peaks {
  channels: number;
  frames: number;
  buckets: number;
  /** Bucket after bucket, in it channel after channel, in it minimum and maximum. */
  values: Int8Array;
}

export const PEAKS_VERSION = 1;
/** Wide enough for the listening strip on a large screen. */
export const MAX_BUCKETS = 2048;

/** Gathers peaks from interleaved samples that arrive in blocks of any length. */
export class PeakGatherer {
  private readonly channels: number;
  private readonly frames: number;
  private readonly buckets: number;
  private readonly low: Float32Array;
  private readonly high: Float32Array;
  private frame = 0;

  /** `frames` is the length to expect; frames beyond it fall into the last bucket. */
  constructor(channels: number, frames: number) {
    this.channels = channels;
    this.frames = frames;
    this.buckets = Math.max(1, Math.min(MAX_BUCKETS, frames));
    this.low = new Float32Array(this.buckets * channels).fill(Infinity);
    this.high = new Float32Array(this.buckets * channels).fill(-Infinity);
  }

  add(samples: Float32Array): void {
    const { channels, low, high } = this;
    for (let index = 0; index + channels <= samples.length; index += channels, this.frame += 1) {
      const bucket = Math.min(this.buckets - 1, Math.floor((this.frame * this.buckets) / Math.max(1, this.frames)));
      for (let channel = 0; channel < channels; channel += 1) {
        const value = samples[index + channel] ?? 0;
        const slot = bucket * channels + channel;
        if (value < (low[slot] ?? 0)) low[slot] = value;
        if (value > (high[slot] ?? 0)) high[slot] = value;
      }
    }
  }

  finish(): Peaks {
    const values = new Int8Array(this.buckets * this.channels * 2);
    for (let slot = 0; slot < this.low.length; slot += 1) {
      values[slot * 2] = toByte(this.low[slot] ?? 0, Math.floor);
      values[slot * 2 + 1] = toByte(this.high[slot] ?? 0, Math.ceil);
    }
    return { channels: this.channels, frames: this.frame, buckets: this.buckets, values };
  }
}

/** Rounded away from zero, so that no peak looks smaller than it is; empty buckets are 0. */
function toByte(value: number, round: (value: number) => number): number {
  if (!Number.isFinite(value)) return 0;
  return Math.max(-127, Math.min(127, round(value * 127)));
}
