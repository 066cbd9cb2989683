import { GrowingNumbers } from './growing-numbers.ts';

/** Bins of about a millisecond. */
const BINS_A_SECOND = 1000;
const WINDOW_SECONDS = 0.05;
/** The noise floor is the level that this share of the windows does not reach. */
const FLOOR_SHARE = 0.05;

/** The mean square of a sound over time, all channels together, in bins of about a millisecond. */
export class EnergyEnvelope {
  readonly binFrames: number;
  readonly binSeconds: number;
  private readonly bins = new GrowingNumbers();
  private readonly channelCount: number;
  private energy = 0;
  private filled = 0;

  constructor(sampleRateHz: number, channels: number) {
    this.binFrames = Math.max(1, Math.round(sampleRateHz / BINS_A_SECOND));
    this.binSeconds = this.binFrames / sampleRateHz;
    this.channelCount = channels;
  }

  add(channels: readonly Float32Array[], frames: number): void {
    let from = 0;
    while (from < frames) {
      const to = Math.min(frames, from + this.binFrames - this.filled);
      for (let channel = 0; channel < this.channelCount; channel += 1) {
        const samples = channels[channel] as Float32Array;
        let sum = 0;
        for (let index = from; index < to; index += 1) sum += (samples[index] as number) * (samples[index] as number);
        this.energy += sum;
      }
      this.filled += to - from;
      from = to;
      if (this.filled === this.binFrames) this.endBin();
    }
  }

  private endBin(): void {
    this.bins.push(this.energy / (this.filled * this.channelCount));
    this.energy = 0;
    this.filled = 0;
  }

  /** The mean squares, bin after bin; a last one that is not full counts as full. */
  finish(): Float32Array {
    if (this.filled > 0) this.endBin();
    return this.bins.values();
  }
}

/** Mean squares of windows of so many bins, one beside the other; what is left at the end makes none unless it is all there is. */
export function windowsOf(bins: Float32Array, length: number): Float32Array {
  const size = Math.max(1, Math.min(length, bins.length));
  return Float32Array.from({ length: Math.floor(bins.length / size) }, (_, window) => {
    let sum = 0;
    for (let bin = window * size; bin < (window + 1) * size; bin += 1) sum += bins[bin] as number;
    return sum / size;
  });
}

/** The noise floor: the RMS in dBFS that 5 % of the windows of 50 ms do not reach; null where that is digital silence. */
export function noiseFloorDbfs(bins: Float32Array, binSeconds: number): number | null {
  const windows = windowsOf(bins, Math.round(WINDOW_SECONDS / binSeconds)).sort();
  const low = windows[Math.floor((windows.length - 1) * FLOOR_SHARE)] ?? 0;
  return low > 0 ? 10 * Math.log10(low) : null;
}
