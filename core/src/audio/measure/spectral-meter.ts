import { GrowingNumbers } from './growing-numbers.ts';
import { CosineTransform, MEL_BANDS, MelBands } from './mel-bands.ts';
import { PowerSpectrum } from './power-spectrum.ts';

/** Taken once: where code runs in a context of its own, as tests do, each look-up of a global costs more than the sum it is for. */
const { log2, log10, max } = Math;

/** Windows of about 21 ms: 1024 samples at 44.1 and 48 kHz. */
const WINDOW_SECONDS = 0.0213;
export const CEPSTRAL_COEFFICIENTS = 13;
/** Frames below this RMS say nothing of the sound's colour. */
const AUDIBLE = 10 ** (-70 / 10);
/** Bands below this level count as having it, so that noise far down makes no onsets. */
const BAND_FLOOR = 10 ** (-85 / 10);
const ROLL_OFF_SHARE = 0.85;

/** A mean and the spread around it. */
export interface Spread {
  mean: number;
  deviation: number;
}

class Statistics {
  private count = 0;
  private sum = 0;
  private squares = 0;

  add(value: number): void {
    this.count += 1;
    this.sum += value;
    this.squares += value * value;
  }

  spread(): Spread {
    const mean = this.count > 0 ? this.sum / this.count : 0;
    const variance = this.count > 0 ? this.squares / this.count - mean * mean : 0;
    return { mean, deviation: Math.sqrt(max(0, variance)) };
  }
}

/** Of the audible frames. Centroid, bandwidth and roll-off in octaves above 1 Hz (log2), since ears compare ratios. */
export interface SpectralSummary {
  audibleFrames: number;
  centroid: Spread;
  bandwidth: Spread;
  rollOff: Spread;
  /** Geometric over arithmetic mean of the power, dB: 0 for noise, far below for tones. */
  flatnessDb: Spread;
  /** Changes of sign a second over the rate: 0 to 1. */
  zeroCrossings: Spread;
  cepstrum: Spread[];
}

export interface SpectralResult extends SpectralSummary {
  /** The middle of window n lies at n times this. */
  hopSeconds: number;
  /** How much the bands rose from hop to hop, mean of the bands, dB. */
  flux: Float32Array;
  /** The spectral centroid of every second hop, Hz; 0 where it is not audible. */
  brightnessHz: Float32Array;
}

/** The spectrum over time, of the mono sum: windows (Hann) of about 21 ms, one beginning in the middle of the one before. */
export class SpectralMeter {
  private readonly rate: number;
  private readonly size: number;
  private readonly hop: number;
  private readonly spectrum: PowerSpectrum;
  private readonly window: Float64Array;
  private readonly held: Float64Array;
  private readonly windowed: Float64Array;
  private readonly power: Float64Array;
  private readonly mel: MelBands;
  private readonly bands = new Float64Array(MEL_BANDS);
  private readonly levels = new Float64Array(MEL_BANDS);
  private readonly before = new Float64Array(MEL_BANDS).fill(10 * log10(BAND_FLOOR));
  private readonly cosine = new CosineTransform(CEPSTRAL_COEFFICIENTS);
  private readonly cepstrum = new Float64Array(CEPSTRAL_COEFFICIENTS);
  private readonly flux = new GrowingNumbers();
  private readonly brightness = new GrowingNumbers();
  private readonly centroid = new Statistics();
  private readonly bandwidth = new Statistics();
  private readonly rollOff = new Statistics();
  private readonly flatness = new Statistics();
  private readonly crossings = new Statistics();
  private readonly coefficients = Array.from({ length: CEPSTRAL_COEFFICIENTS }, () => new Statistics());
  private filled: number;
  private audible = 0;
  private lastHalf = { energy: 0, signs: 0 };

  constructor(sampleRateHz: number) {
    this.rate = sampleRateHz;
    this.size = 2 ** max(6, Math.round(log2(sampleRateHz * WINDOW_SECONDS)));
    this.hop = this.size / 2;
    this.spectrum = new PowerSpectrum(this.size);
    const half = this.size / 2;
    // Scaled so that the power of a full-scale sine is 1 in its bin.
    this.window = Float64Array.from(
      { length: this.size },
      (_, index) => (0.5 - 0.5 * Math.cos((2 * Math.PI * index) / this.size)) / (half / 2),
    );
    this.held = new Float64Array(this.size);
    this.windowed = new Float64Array(this.size);
    this.power = new Float64Array(half);
    this.mel = new MelBands(sampleRateHz, half);
    // The first window begins half a window before the sound, so that its very start is seen.
    this.filled = half;
  }

  add(mono: Float32Array, frames: number): void {
    let from = 0;
    while (from < frames) {
      const count = Math.min(frames - from, this.size - this.filled);
      for (let index = 0; index < count; index += 1) this.held[this.filled + index] = mono[from + index] as number;
      this.filled += count;
      from += count;
      if (this.filled < this.size) continue;
      this.measure();
      this.held.copyWithin(0, this.hop);
      this.filled -= this.hop;
    }
  }

  private measure(): void {
    const { held, windowed, window, size, power } = this;
    const { energy, signs } = this.newHalf();
    for (let index = 0; index < size; index += 1) windowed[index] = (held[index] as number) * (window[index] as number);
    if (energy === 0) power.fill(0);
    else this.spectrum.measure(windowed, power);
    this.mel.sum(power, this.bands);
    let rise = 0;
    for (let band = 0; band < MEL_BANDS; band += 1) {
      const level = 10 * log10((this.bands[band] as number) + BAND_FLOOR);
      this.levels[band] = level;
      rise += max(0, level - (this.before[band] as number));
      this.before[band] = level;
    }
    this.flux.push(rise / MEL_BANDS);
    // Every other window says enough of the colour; the flux needs them all.
    if (this.flux.length % 2 === 0) return;
    if (energy / size < AUDIBLE) this.brightness.push(0);
    else this.summarise(signs / size);
  }

  /** Energy and changes of sign of the whole window, of which only the second half is new. */
  private newHalf(): { energy: number; signs: number } {
    const { held, hop, size, lastHalf } = this;
    let [energy, signs, last] = [0, 0, held[hop - 1] as number];
    for (let index = hop; index < size; index += 1) {
      const value = held[index] as number;
      energy += value * value;
      signs += value * last < 0 ? 1 : 0;
      last = value;
    }
    this.lastHalf = { energy, signs };
    return { energy: energy + lastHalf.energy, signs: signs + lastHalf.signs };
  }

  private summarise(crossings: number): void {
    const { power, rate, size } = this;
    const binHz = rate / size;
    let [sum, moment, logs, product] = [0, 0, 0, 1];
    for (let bin = 1; bin < power.length; bin += 1) {
      const value = power[bin] as number;
      sum += value;
      moment += value * bin;
      // One logarithm for eight values: their product is still far from the least number that there is.
      product *= value + 1e-20;
      if (bin % 8 === 0) {
        logs += log2(product);
        product = 1;
      }
    }
    logs += log2(product);
    const mean = moment / sum;
    let spread = 0;
    for (let bin = 1; bin < power.length; bin += 1) spread += (power[bin] as number) * (bin - mean) * (bin - mean);
    let [rollBin, above] = [power.length, 0];
    while (rollBin > 1 && above < sum * (1 - ROLL_OFF_SHARE)) {
      rollBin -= 1;
      above += power[rollBin] as number;
    }
    const bins = power.length - 1;
    this.audible += 1;
    this.brightness.push(mean * binHz);
    this.centroid.add(log2(mean * binHz));
    this.bandwidth.add(log2(max(binHz, Math.sqrt(spread / sum) * binHz)));
    this.rollOff.add(log2(rollBin * binHz));
    this.flatness.add(10 * log10(2) * (logs / bins - log2(sum / bins)));
    this.crossings.add(crossings);
    this.cosine.apply(this.levels, this.cepstrum);
    for (let row = 0; row < CEPSTRAL_COEFFICIENTS; row += 1) this.coefficients[row]?.add(this.cepstrum[row] as number);
  }

  finish(): SpectralResult {
    if (this.filled > this.hop || this.flux.length === 0) {
      this.held.fill(0, this.filled);
      this.measure();
    }
    return {
      audibleFrames: this.audible,
      centroid: this.centroid.spread(),
      bandwidth: this.bandwidth.spread(),
      rollOff: this.rollOff.spread(),
      flatnessDb: this.flatness.spread(),
      zeroCrossings: this.crossings.spread(),
      cepstrum: this.coefficients.map((each) => each.spread()),
      hopSeconds: this.hop / this.rate,
      flux: this.flux.values(),
      brightnessHz: this.brightness.values(),
    };
  }
}
