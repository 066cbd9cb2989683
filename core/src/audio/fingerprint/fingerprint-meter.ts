import { GrowingNumbers } from '../measure/growing-numbers.ts';
import { PowerSpectrum } from '../measure/power-spectrum.ts';
import { Decimator } from './decimator.ts';
import { HOP_SECONDS, MOST_WORDS, WORD_BITS, type Fingerprint } from './fingerprint.ts';
import { weighedWords } from './weighed-words.ts';

const { abs, ceil, cos, floor, log2, max, min, round } = Math;

/** Below this, -60 dBFS, a recording has not begun. */
const HEARD = 0.001;
/** How long it is heard is told by what lies less far below its loudest sample, dB: that stays when the whole is made louder, and codecs add little there. */
const HEARD_BELOW_PEAK_DB = 45;
/** As exactly as it is told. */
const BLOCK_SECONDS = 0.005;
const WINDOW_SECONDS = 0.128;
const BANDS = WORD_BITS + 1;
const LOWEST_HZ = 200;
const HIGHEST_HZ = 6000;
/** Where the middle of the power begins to count, counts in full, begins to fall and ends: above, the low-pass differs from rate to rate. */
const CENTRE_HZ = [100, 400, 3000, 4500] as const;

/**
 * The fingerprint of a recording, which stays when it is coded, made louder, brought to another rate or trimmed of silence: for each moment a word of 32 bits, each the sign of
 * how the difference of two neighbouring bands changed (Haitsma and Kalker, “A highly robust audio fingerprinting system”, ISMIR 2002), of shorter windows than theirs, since
 * effects are shorter than songs. Of the mono sum, in blocks of any length.
 */
export class FingerprintMeter {
  private readonly rateHz: number;
  private readonly decimator: Decimator;
  private readonly width: number;
  /** Of the decimated signal, from where it is heard first. */
  private readonly samples = new GrowingNumbers();
  private readonly mostSamples: number;
  /** The highest sample of each block. */
  private readonly peaks = new GrowingNumbers();
  private readonly blockFrames: number;
  private peak = 0;
  private inBlock = 0;
  private isHeard = false;

  constructor(sampleRateHz: number) {
    this.rateHz = sampleRateHz;
    this.decimator = new Decimator(sampleRateHz);
    this.width = max(16, round(WINDOW_SECONDS * this.decimator.rateHz));
    this.blockFrames = max(1, round(BLOCK_SECONDS * sampleRateHz));
    this.mostSamples = MOST_WORDS * HOP_SECONDS * this.decimator.rateHz;
  }

  /** The first `frames` samples. */
  add(mono: Float32Array, frames: number): void {
    this.addPeaks(mono, frames);
    let from = 0;
    if (!this.isHeard) {
      while (from < frames && abs(mono[from] as number) < HEARD) from += 1;
      this.isHeard = from < frames;
    }
    if (this.samples.length < this.mostSamples) this.decimator.add(mono, from, frames, this.samples);
  }

  private addPeaks(mono: Float32Array, frames: number): void {
    for (let index = 0; index < frames; index += 1) {
      const size = abs(mono[index] as number);
      if (size > this.peak) this.peak = size;
      this.inBlock += 1;
      if (this.inBlock < this.blockFrames) continue;
      this.endBlock();
    }
  }

  private endBlock(): void {
    this.peaks.push(this.peak);
    this.peak = 0;
    this.inBlock = 0;
  }

  /** Null for a sound in which nothing is heard. */
  finish(): Fingerprint | null {
    if (!this.isHeard) return null;
    if (this.inBlock > 0) this.endBlock();
    this.decimator.finish(this.samples);
    const { energies, centre } = this.energies();
    return { heardSeconds: this.heardSeconds(), centreHz: centre, ...weighedWords(energies, BANDS) };
  }

  private heardSeconds(): number {
    const peaks = this.peaks.values();
    const floor = peaks.reduce((most, peak) => max(most, peak), 0) * 10 ** (-HEARD_BELOW_PEAK_DB / 20);
    const first = peaks.findIndex((peak) => peak > floor);
    const last = peaks.findLastIndex((peak) => peak > floor);
    return ((last - first + 1) * this.blockFrames) / this.rateHz;
  }

  /** The energy of each band in each window, the first of which ends with the first sample that is heard, the last begins with the last one; and the middle of all of it, Hz. */
  private energies(): { energies: Float64Array; centre: number } {
    const { width } = this;
    const { rateHz } = this.decimator;
    const size = 2 ** ceil(log2(width));
    const spectrum = new PowerSpectrum(size);
    const window = Float64Array.from({ length: width }, (_, index) => 0.5 - 0.5 * cos((2 * Math.PI * index) / width));
    const windowed = new Float64Array(size);
    const power = new Float64Array(size / 2);
    const edges = Float64Array.from(
      { length: BANDS + 1 },
      (_, band) => (LOWEST_HZ * (HIGHEST_HZ / LOWEST_HZ) ** (band / BANDS) * size) / rateHz,
    );
    const heard = this.samples.values();
    const hops = min(MOST_WORDS, ceil((heard.length + width) / rateHz / HOP_SECONDS));
    // Silence around it, so that no window leads out of the samples.
    const samples = new Float32Array(heard.length + 2 * width + ceil(HOP_SECONDS * rateHz));
    samples.set(heard, width - 1);
    const energies = new Float64Array(hops * BANDS);
    const whole = new Float64Array(power.length);
    for (let hop = 0; hop < hops; hop += 1) {
      const first = round(hop * HOP_SECONDS * rateHz);
      for (let index = 0; index < width; index += 1)
        windowed[index] = (samples[first + index] as number) * (window[index] as number);
      spectrum.measure(windowed, power);
      sumBands(power, edges, energies, hop * BANDS);
      for (let bin = 0; bin < whole.length; bin += 1) whole[bin] = (whole[bin] as number) + (power[bin] as number);
    }
    return { energies, centre: centreHz(whole, rateHz / size) };
  }
}

/** The middle of the power, Hz; 0 where there is none. It counts less and less towards the ends, so that a tone that stands there does not jump in or out of it with the rate. */
function centreHz(power: Float64Array, binHz: number): number {
  let [sum, moment] = [0, 0];
  const [from, full, falling, to] = CENTRE_HZ;
  for (let bin = 1; bin < power.length; bin += 1) {
    const hertz = bin * binHz;
    const weight = min(1, max(0, log2(hertz / from) / log2(full / from)), max(0, (to - hertz) / (to - falling)));
    sum += weight * (power[bin] as number);
    moment += weight * hertz * (power[bin] as number);
  }
  return sum === 0 ? 0 : moment / sum;
}

/** Sums power into bands that may begin and end within a bin. */
function sumBands(power: Float64Array, edges: Float64Array, into: Float64Array, at: number): void {
  let [bin, below, before] = [0, 0, 0];
  for (let edge = 0; edge < edges.length; edge += 1) {
    const place = min(edges[edge] as number, power.length);
    for (const whole = floor(place); bin < whole; bin += 1) below += power[bin] as number;
    const upTo = below + (place - bin) * (power[bin] ?? 0);
    if (edge > 0) into[at + edge - 1] = max(0, upTo - before);
    before = upTo;
  }
}
