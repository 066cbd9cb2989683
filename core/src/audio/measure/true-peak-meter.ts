/** Taken once: where code runs in a context of its own, as tests do, each look-up of a global costs more than the sum it is for. */
const { abs, max } = Math;

/** Samples to either side that an interpolated value is made of. */
const REACH = 12;
const TAPS = 2 * REACH;
/** Runs of samples that are looked at together before they are worth interpolating. */
const RUN = 16;
/** Shape of the Kaiser window: side lobes at about -80 dB. */
const BETA = 7.5;

/** Modified Bessel function of order 0, by its series. */
function bessel0(x: number): number {
  let [sum, term] = [1, 1];
  for (let k = 1; term > 1e-12 * sum; k += 1) {
    term *= (x / (2 * k)) ** 2;
    sum += term;
  }
  return sum;
}

/** Weights of the samples around a place that lies `phase` (0 to 1) of a sample behind one: of that and those before it, and of those behind it. */
function interpolator(phase: number): { before: Float64Array; behind: Float64Array } {
  const weight = (distance: number): number =>
    (Math.sin(Math.PI * distance) / (Math.PI * distance)) *
    bessel0(BETA * Math.sqrt(max(0, 1 - (distance / REACH) ** 2)));
  const before = Float64Array.from({ length: REACH }, (_, index) => weight(index + phase));
  const behind = Float64Array.from({ length: REACH }, (_, index) => weight(index + 1 - phase));
  const sum = [...before, ...behind].reduce((total, each) => total + each, 0);
  return { before: before.map((each) => each / sum), behind: behind.map((each) => each / sum) };
}

/**
 * The true peak of one channel: the highest value between the samples too (ITU-R BS.1770-4 annex 2), at no less than 192 kHz as there. The
 * filter is a Kaiser-windowed sinc of 24 taps a phase, longer than the standard's example of 12. Where the samples of a run cannot
 * give more than what was found already, nothing is interpolated; the result is the same.
 */
export class TruePeakMeter {
  private readonly factor: number;
  /** A quarter and three quarters of a sample behind mirror each other: of sums and of differences of the samples to either side. */
  private readonly quarterSums: Float64Array;
  private readonly quarterDifferences: Float64Array;
  private readonly half: Float64Array;
  /** No value between samples is higher than the highest of them times this. */
  private readonly bound: number;
  /** Samples that wait for those behind them, then the block. */
  private tail = new Float32Array(TAPS - 1);
  private joined = new Float32Array(0);
  /** Highest so far, full scale 1. */
  highest = 0;

  constructor(sampleRateHz: number) {
    this.factor = sampleRateHz < 96_000 ? 4 : sampleRateHz < 192_000 ? 2 : 1;
    const { before, behind } = interpolator(0.25);
    this.quarterSums = before.map((each, index) => (each + (behind[index] as number)) / 2);
    this.quarterDifferences = before.map((each, index) => (each - (behind[index] as number)) / 2);
    this.half = interpolator(0.5).before;
    const size = (weights: Float64Array): number => weights.reduce((sum, each) => sum + abs(each), 0);
    this.bound = max(2 * size(this.half), size(before) + size(behind));
  }

  add(samples: Float32Array, frames: number): void {
    const length = TAPS - 1 + frames;
    if (this.joined.length < length) this.joined = new Float32Array(length);
    const joined = this.joined;
    joined.set(this.tail);
    joined.set(frames === samples.length ? samples : samples.subarray(0, frames), TAPS - 1);
    this.interpolate(joined, length);
    this.tail = joined.slice(length - (TAPS - 1), length);
  }

  /** Ends the sound with silence, which the last values between samples need. Returns the highest, full scale 1. */
  finish(): number {
    this.add(new Float32Array(TAPS), TAPS);
    return this.highest;
  }

  private interpolate(joined: Float32Array, length: number): void {
    for (let from = 0; from + TAPS <= length; from += RUN) {
      const to = Math.min(length - TAPS + 1, from + RUN);
      let most = 0;
      for (let index = from; index < to + TAPS - 1; index += 1) {
        const size = abs(joined[index] as number);
        if (size > most) most = size;
      }
      if (most * (this.factor > 1 ? this.bound : 1) <= this.highest) continue;
      const highest =
        this.factor > 2 ? this.quarters(joined, from, to) : this.factor > 1 ? this.halves(joined, from, to) : 0;
      this.highest = max(this.highest, highest);
      for (let index = from; index < to; index += 1) this.highest = max(this.highest, abs(joined[index] as number));
    }
  }

  /** The highest value at a quarter, half and three quarters behind the samples in the middle of the taps. */
  private quarters(joined: Float32Array, from: number, to: number): number {
    const { quarterSums, quarterDifferences, half } = this;
    let highest = 0;
    for (let index = from; index < to; index += 1) {
      let [sums, differences, middle] = [0, 0, 0];
      for (let tap = 0; tap < REACH; tap += 1) {
        const before = joined[index + REACH - 1 - tap] as number;
        const behind = joined[index + REACH + tap] as number;
        sums += (quarterSums[tap] as number) * (before + behind);
        differences += (quarterDifferences[tap] as number) * (before - behind);
        middle += (half[tap] as number) * (before + behind);
      }
      highest = max(highest, abs(sums) + abs(differences), abs(middle));
    }
    return highest;
  }

  private halves(joined: Float32Array, from: number, to: number): number {
    let highest = 0;
    for (let index = from; index < to; index += 1) {
      let middle = 0;
      for (let tap = 0; tap < REACH; tap += 1)
        middle +=
          (this.half[tap] as number) *
          ((joined[index + REACH - 1 - tap] as number) + (joined[index + REACH + tap] as number));
      highest = max(highest, abs(middle));
    }
    return highest;
  }
}
