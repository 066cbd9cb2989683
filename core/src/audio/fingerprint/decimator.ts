import type { GrowingNumbers } from '../measure/growing-numbers.ts';

const { PI, cos, max, min, round, sin } = Math;

/** The rate that is aimed at, Hz: brought down by a whole factor, every usual rate from 12 kHz on still holds what lies up to 6 kHz. */
const AIM_HZ = 16_000;
/** Zero crossings of the filter on each side, in samples of the new rate. */
const REACH = 8;
/** The filter's cut, as a share of the new rate. */
const CUT = 0.42;
const BLOCK = 4096;

/** Brings a signal down to about 16 kHz by a whole factor, behind a Hann-windowed sinc low-pass. Of blocks of any length. */
export class Decimator {
  readonly rateHz: number;
  private readonly factor: number;
  private readonly taps: Float64Array;
  private readonly held: Float64Array;
  private readonly reach: number;
  private filled: number;

  constructor(sampleRateHz: number) {
    this.factor = max(1, round(sampleRateHz / AIM_HZ));
    this.rateHz = sampleRateHz / this.factor;
    this.reach = this.factor === 1 ? 0 : REACH * this.factor;
    const { reach, factor } = this;
    const taps = Float64Array.from({ length: reach + 1 }, (_, distance) => {
      const x = (2 * CUT * distance) / factor;
      return (x === 0 ? 1 : sin(PI * x) / (PI * x)) * (0.5 + 0.5 * cos((PI * distance) / (reach + 1)));
    });
    const sum = taps.reduce((whole, tap, distance) => whole + (distance === 0 ? tap : 2 * tap), 0);
    this.taps = taps.map((tap) => tap / sum);
    this.held = new Float64Array(BLOCK + 2 * reach + factor);
    // Silence before the first sample, which then stands in the middle of the filter.
    this.filled = reach;
  }

  /** Takes samples from `from` on up to `to`, and pushes those of the new rate. */
  add(samples: Float32Array, from: number, to: number, into: GrowingNumbers): void {
    const { held } = this;
    for (let at = from; at < to;) {
      const count = min(to - at, held.length - this.filled);
      for (let index = 0; index < count; index += 1) held[this.filled + index] = samples[at + index] as number;
      this.filled += count;
      at += count;
      this.drain(into);
    }
  }

  /** Pushes what the filter still holds. */
  finish(into: GrowingNumbers): void {
    this.add(new Float32Array(this.reach), 0, this.reach, into);
  }

  private drain(into: GrowingNumbers): void {
    const { held, taps, reach, factor, filled } = this;
    let middle = reach;
    for (; middle + reach < filled; middle += factor) {
      let sum = (taps[0] as number) * (held[middle] as number);
      for (let distance = 1; distance <= reach; distance += 1)
        sum += (taps[distance] as number) * ((held[middle - distance] as number) + (held[middle + distance] as number));
      into.push(sum);
    }
    const kept = middle - reach;
    held.copyWithin(0, kept, filled);
    this.filled = filled - kept;
  }
}
