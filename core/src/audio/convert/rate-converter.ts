const { PI, ceil, floor, max, min, round, sin, sqrt } = Math;

/** Zero crossings of the sinc on each side. */
const CROSSINGS = 96;
/** Kaiser's beta for 120 dB of attenuation (Kaiser, “Nonrecursive digital filter design using the I0-sinh window function”, 1974). */
const BETA = 12.27;
/** The filter has fallen by 6 dB here and wholly at 1, as a share of the lower Nyquist frequency; it is flat below 0.917: 20.2 kHz at 44.1 kHz. */
const CUTOFF = 0.958;
/** Places between two samples for which the filter is worked out; others lie between two of these, on a straight line (an error of -140 dB). */
const MOST_PHASES = 2048;

/** The modified Bessel function of the first kind and order 0, by its power series. */
function bessel(x: number): number {
  let [sum, term] = [1, 1];
  for (let k = 1; term > sum * 1e-17; k += 1) {
    term *= (x / (2 * k)) ** 2;
    sum += term;
  }
  return sum;
}

/** The filter of a change of rate, a row of weights for each place between two samples, and one more row for the straight line at the end. */
interface FilterBank {
  rows: Float64Array[];
  /** Samples on each side of a place. */
  reach: number;
  phases: number;
}

function filterBank(up: number, down: number): FilterBank {
  const cutoff = CUTOFF * min(1, up / down);
  const reach = ceil(CROSSINGS / cutoff);
  const phases = min(up, MOST_PHASES);
  const rows = Array.from({ length: phases + 1 }, (_, phase) => {
    const row = Float64Array.from({ length: 2 * reach }, (_, tap) => {
      const x = (tap - reach + 1 - phase / phases) * cutoff;
      const inside = 1 - (x / CROSSINGS) ** 2;
      return inside <= 0 ? 0 : (x === 0 ? 1 : sin(PI * x) / (PI * x)) * bessel(BETA * sqrt(inside));
    });
    const sum = row.reduce((total, weight) => total + weight, 0);
    return row.map((weight) => weight / sum);
  });
  return { rows, reach, phases };
}

/** The banks that were used last: working one out takes as long as converting a second of sound. */
const banks = new Map<string, FilterBank>();
const KEPT_BANKS = 4;

function bankFor(up: number, down: number): FilterBank {
  const key = `${up}/${down}`;
  const bank = banks.get(key) ?? filterBank(up, down);
  banks.set(key, bank);
  const [oldest] = banks.keys();
  if (banks.size > KEPT_BANKS && oldest !== undefined) banks.delete(oldest);
  return bank;
}

function greatestDivisor(a: number, b: number): number {
  return b === 0 ? a : greatestDivisor(b, a % b);
}

/** How many frames a sound has at another rate. */
export function convertedLength(frames: number, fromHz: number, toHz: number): number {
  return round((frames * toHz) / fromHz);
}

/**
 * Brings a sound to another sample rate, block by block in bounded memory: a Kaiser-windowed sinc at exact rational places (Smith, “Digital Audio Resampling”, CCRMA;
 * Crochiere and Rabiner, “Multirate Digital Signal Processing”, 1983). Aliases and images lie below -115 dB; linear phase, no delay.
 */
export class RateConverter {
  private readonly up: number;
  private readonly down: number;
  private readonly bank: FilterBank;
  /** The samples that are still needed, from frame `first` on; before frame 0 there is silence. */
  private held: Float64Array[];
  private heldFrames: number;
  private first: number;
  private seen = 0;
  private made = 0;
  private readonly fromHz: number;
  private readonly toHz: number;

  constructor(channels: number, fromHz: number, toHz: number) {
    const common = greatestDivisor(fromHz, toHz);
    [this.fromHz, this.toHz] = [fromHz, toHz];
    [this.up, this.down] = [toHz / common, fromHz / common];
    this.bank = bankFor(this.up, this.down);
    this.held = Array.from({ length: channels }, () => new Float64Array(this.bank.reach));
    this.heldFrames = this.bank.reach;
    this.first = -this.bank.reach;
  }

  /** Takes the next frames and returns all that can be made of them so far. */
  add(planar: readonly Float32Array[], frames: number): Float32Array[] {
    this.seen += frames;
    this.hold(planar, frames);
    // The last frame of which everything behind is there.
    const reached = this.first + this.heldFrames - this.bank.reach;
    return this.makeUpTo(max(this.made, ceil((reached * this.up) / this.down)));
  }

  /** Ends the sound with silence and returns the rest of it. */
  finish(): Float32Array[] {
    const silence = new Float32Array(2 * this.bank.reach);
    this.hold(
      this.held.map(() => silence),
      silence.length,
    );
    return this.makeUpTo(convertedLength(this.seen, this.fromHz, this.toHz));
  }

  private hold(planar: readonly Float32Array[], frames: number): void {
    const drop = max(0, min(this.heldFrames, floor((this.made * this.down) / this.up) - this.bank.reach - this.first));
    const kept = this.heldFrames - drop;
    this.held = this.held.map((old, channel) => {
      const next = new Float64Array(kept + frames);
      next.set(old.subarray(drop, this.heldFrames));
      next.set((planar[channel] as Float32Array).subarray(0, frames), kept);
      return next;
    });
    this.first += drop;
    this.heldFrames = kept + frames;
  }

  private makeUpTo(end: number): Float32Array[] {
    const { up, down, bank, first, made } = this;
    const count = max(0, end - made);
    const rows: Float64Array[] = [];
    const starts = new Int32Array(count);
    for (let index = 0; index < count; index += 1) {
      const place = (made + index) * down;
      const whole = floor(place / up);
      rows.push(rowAt(bank, ((place - whole * up) * bank.phases) / up));
      starts[index] = whole - bank.reach + 1 - first;
    }
    this.made += count;
    return this.held.map((samples) => {
      const output = new Float32Array(count);
      for (let index = 0; index < count; index += 1)
        output[index] = dot(rows[index] as Float64Array, samples, starts[index] as number);
      return output;
    });
  }
}

/** The sum of the products of weights and the samples from a place on. Four sums, since one would wait for each of its additions; a row has an even number of weights. */
function dot(weights: Float64Array, samples: Float64Array, start: number): number {
  let [a, b, c, d] = [0, 0, 0, 0];
  const whole = weights.length & ~3;
  for (let tap = 0; tap < whole; tap += 4) {
    const at = start + tap;
    a += (weights[tap] as number) * (samples[at] as number);
    b += (weights[tap + 1] as number) * (samples[at + 1] as number);
    c += (weights[tap + 2] as number) * (samples[at + 2] as number);
    d += (weights[tap + 3] as number) * (samples[at + 3] as number);
  }
  for (let tap = whole; tap < weights.length; tap += 1)
    a += (weights[tap] as number) * (samples[start + tap] as number);
  return a + b + c + d;
}

/** The weights for a place between two samples: a row of the bank, or on a straight line between two of them. */
function rowAt({ rows }: FilterBank, phase: number): Float64Array {
  const step = floor(phase);
  const share = phase - step;
  const low = rows[step] as Float64Array;
  if (share === 0) return low;
  const high = rows[step + 1] as Float64Array;
  return low.map((weight, tap) => weight + share * ((high[tap] as number) - weight));
}
