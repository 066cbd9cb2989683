import { channelLayout, loudnessWeight, type ChannelFacts } from '../channel-layout.ts';
import { kWeighting, type Biquad } from './k-weighting.ts';
import { integratedLoudness, loudnessOf, loudnessRange } from './loudness-statistics.ts';

export interface Loudness {
  /** Gated over the whole, LUFS; null for silence and sounds shorter than one block of 400 ms. */
  integratedLufs: number | null;
  /** The loudest 400 ms and 3 s, LUFS; a shorter sound counts as standing in silence. Null for silence. */
  momentaryMaxLufs: number | null;
  shortTermMaxLufs: number | null;
  /** LU; null for sounds shorter than 3 s and silence. */
  loudnessRangeLu: number | null;
}

/** Blocks begin every 100 ms (75 % overlap, BS.1770-4), so energy is gathered in steps of that length. */
export const STEPS_A_SECOND = 10;
const MOMENTARY_STEPS = 4;
const SHORT_TERM_STEPS = 30;
/** Below this a filter's memory is taken for 0: numbers so small make processors slow. */
const TINY = 1e-25;

/** Two filters in a row, with their memories (direct form II transposed). */
class ChannelFilter {
  private readonly shelf: Biquad;
  private readonly highPass: Biquad;
  private s1 = 0;
  private s2 = 0;
  private h1 = 0;
  private h2 = 0;

  constructor(sampleRateHz: number) {
    ({ shelf: this.shelf, highPass: this.highPass } = kWeighting(sampleRateHz));
  }

  /** The sum of the squares of the weighted samples from `from` up to `to`. */
  energy(samples: Float32Array, from: number, to: number): number {
    const { b0, b1, b2, a1, a2 } = this.shelf;
    const { a1: c1, a2: c2 } = this.highPass;
    let { s1, s2, h1, h2 } = this;
    let sum = 0;
    for (let index = from; index < to; index += 1) {
      const x = samples[index] as number;
      const y = b0 * x + s1;
      s1 = b1 * x - a1 * y + s2;
      s2 = b2 * x - a2 * y;
      // The high-pass has the numerator 1, -2, 1.
      const z = y + h1;
      h1 = -2 * y - c1 * z + h2;
      h2 = y - c2 * z;
      sum += z * z;
    }
    this.s1 = Math.abs(s1) < TINY ? 0 : s1;
    this.s2 = Math.abs(s2) < TINY ? 0 : s2;
    this.h1 = Math.abs(h1) < TINY ? 0 : h1;
    this.h2 = Math.abs(h2) < TINY ? 0 : h2;
    return sum;
  }
}

/** Measures loudness after ITU-R BS.1770-4 and EBU Tech 3341, fed with planar samples in blocks of any length. */
export class LoudnessMeter {
  private readonly rate: number;
  private readonly filters: { channel: number; weight: number; filter: ChannelFilter }[];
  /** Weighted energy of each step of 100 ms, as a sum over frames. */
  private readonly steps: number[] = [];
  private readonly stepFrames: number[] = [];
  private frame = 0;
  private stepStart = 0;
  private stepEnd: number;
  private energy = 0;

  constructor(sampleRateHz: number, shape: ChannelFacts) {
    this.rate = sampleRateHz;
    this.stepEnd = Math.round(sampleRateHz / STEPS_A_SECOND);
    this.filters = channelLayout(shape)
      .speakers.map((speaker, channel) => ({ channel, weight: loudnessWeight(speaker) }))
      .filter(({ weight }) => weight > 0)
      .map((each) => ({ ...each, filter: new ChannelFilter(sampleRateHz) }));
  }

  add(channels: readonly Float32Array[], frames: number): void {
    let from = 0;
    while (from < frames) {
      const to = Math.min(frames, from + this.stepEnd - this.frame);
      for (const { channel, weight, filter } of this.filters)
        this.energy += weight * filter.energy(channels[channel] as Float32Array, from, to);
      this.frame += to - from;
      from = to;
      if (this.frame === this.stepEnd) this.endStep();
    }
  }

  private endStep(): void {
    this.steps.push(this.energy);
    this.stepFrames.push(this.frame - this.stepStart);
    this.energy = 0;
    this.stepStart = this.frame;
    // Counted from the start, so that rates which 10 does not divide do not drift.
    this.stepEnd = Math.round(((this.steps.length + 1) * this.rate) / STEPS_A_SECOND);
  }

  finish(): Loudness {
    const momentary = this.windows(MOMENTARY_STEPS);
    const shortTerm = this.windows(SHORT_TERM_STEPS);
    return {
      integratedLufs: integratedLoudness(momentary),
      momentaryMaxLufs: this.loudest(momentary, MOMENTARY_STEPS),
      shortTermMaxLufs: this.loudest(shortTerm, SHORT_TERM_STEPS),
      loudnessRangeLu: loudnessRange(shortTerm),
    };
  }

  /** The momentary loudness every 100 ms, of the 400 ms up to then, LUFS; -Infinity where nothing is heard. */
  curve(): Float32Array {
    return Float32Array.from(this.windows(MOMENTARY_STEPS), (power) => loudnessOf(power) ?? -Infinity);
  }

  /** Mean square of every window of so many steps that lies within the sound. */
  private windows(length: number): Float64Array {
    const { steps, stepFrames } = this;
    const found = new Float64Array(Math.max(0, steps.length - length + 1));
    for (let first = 0; first < found.length; first += 1) {
      let [energy, frames] = [0, 0];
      for (let step = first; step < first + length; step += 1) {
        energy += steps[step] as number;
        frames += stepFrames[step] as number;
      }
      found[first] = energy / frames;
    }
    return found;
  }

  private loudest(windows: Float64Array, length: number): number | null {
    if (windows.length > 0) return loudnessOf(windows.reduce((most, each) => Math.max(most, each), 0));
    const all = this.steps.reduce((sum, each) => sum + each, this.energy);
    return loudnessOf(all / ((length * this.rate) / STEPS_A_SECOND));
  }
}
