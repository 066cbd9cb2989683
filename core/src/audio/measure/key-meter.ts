import { PowerSpectrum } from './power-spectrum.ts';

const { abs, log2, max, min, round, sqrt } = Math;

/** Rate to which the sound is brought down at least: pitches lie far below half of it. */
const LEAST_RATE_HZ = 8000;
const SIZE = 4096;
/** Fundamentals and the first partials of most instruments: A1 to A6. */
const LOWEST_HZ = 55;
const HIGHEST_HZ = 1760;
const A4_HZ = 440;
/** Peaks of the spectrum count when they stand so far above the mean of what is looked at. */
const PEAK_OVER_MEAN = 8;
const AUDIBLE = 10 ** (-70 / 10);

/**
 * How well each note of the scale is felt to fit a key, from its first note on (Krumhansl and Kessler 1982, in Krumhansl, “Cognitive Foundations
 * of Musical Pitch”, 1990; from memory).
 */
const MAJOR = [6.35, 2.23, 3.48, 2.33, 4.38, 4.09, 2.52, 5.19, 2.39, 3.66, 2.29, 2.88];
const MINOR = [6.33, 2.68, 3.52, 5.38, 2.6, 3.53, 2.54, 4.75, 3.98, 2.69, 3.34, 3.17];
const NOTES = ['C', 'C#', 'D', 'Eb', 'E', 'F', 'F#', 'G', 'Ab', 'A', 'Bb', 'B'];

/** A key is told when the notes fit it so well (correlation), and no other as well. */
const CERTAIN = 0.7;
const AHEAD = 0.03;
/** One pitch, as of a horn or a hum, is no key: so many notes have to be there with a share of the strongest, for so long. */
const FEWEST_NOTES = 4;
const NOTE_SHARE = 0.15;
const SHORTEST_SECONDS = 4;
/** The share of windows in which pitches are heard. */
const PITCHED_SHARE = 0.5;

/** The musical key of a sound, by the notes whose partials stand out of its spectrum. Of the mono sum, in blocks of any length. */
export class KeyMeter {
  private readonly step: number;
  private readonly rate: number;
  private readonly spectrum = new PowerSpectrum(SIZE);
  private readonly window = Float64Array.from(
    { length: SIZE },
    (_, index) => (0.5 - 0.5 * Math.cos((2 * Math.PI * index) / SIZE)) / (SIZE / 4),
  );
  private readonly held = new Float64Array(SIZE);
  private readonly windowed = new Float64Array(SIZE);
  private readonly power = new Float64Array(SIZE / 2);
  private readonly notes = new Float64Array(12);
  private filled = 0;
  private sum = 0;
  private summed = 0;
  private windows = 0;
  private pitched = 0;

  constructor(sampleRateHz: number) {
    this.step = max(1, Math.floor(sampleRateHz / LEAST_RATE_HZ));
    this.rate = sampleRateHz / this.step;
  }

  add(mono: Float32Array, frames: number): void {
    const { step, held } = this;
    for (let index = 0; index < frames; index += 1) {
      // The mean of each step: what would fold down onto the pitches lies near its zeros.
      this.sum += mono[index] as number;
      this.summed += 1;
      if (this.summed < step) continue;
      held[this.filled] = this.sum / step;
      this.filled += 1;
      this.sum = 0;
      this.summed = 0;
      if (this.filled < SIZE) continue;
      this.measure();
      this.filled = 0;
    }
  }

  private measure(): void {
    const { held, window, windowed, power } = this;
    let energy = 0;
    for (let index = 0; index < SIZE; index += 1) {
      const value = held[index] as number;
      energy += value * value;
      windowed[index] = value * (window[index] as number);
    }
    if (energy / SIZE < AUDIBLE) return;
    this.windows += 1;
    this.spectrum.measure(windowed, power);
    const binHz = this.rate / SIZE;
    const [from, to] = [round(LOWEST_HZ / binHz), min(SIZE / 2 - 2, round(HIGHEST_HZ / binHz))];
    let mean = 0;
    for (let bin = from; bin <= to; bin += 1) mean += power[bin] as number;
    mean /= to - from + 1;
    const found = new Float64Array(12);
    let strongest = 0;
    for (let bin = from; bin <= to; bin += 1) {
      const [left, here, right] = [power[bin - 1], power[bin], power[bin + 1]] as [number, number, number];
      if (here < mean * PEAK_OVER_MEAN || here <= left || here < right) continue;
      const hertz = (bin + offsetOfPeak(left, here, right)) * binHz;
      const semitones = 12 * log2(hertz / A4_HZ);
      // Between two notes it is neither.
      if (abs(semitones - round(semitones)) > 0.4) continue;
      const note = (((round(semitones) + 9) % 12) + 12) % 12;
      found[note] = (found[note] as number) + sqrt(here);
      strongest = max(strongest, found[note]);
    }
    if (strongest === 0) return;
    this.pitched += 1;
    // Each moment counts alike, however loud.
    for (let note = 0; note < 12; note += 1)
      this.notes[note] = (this.notes[note] as number) + (found[note] as number) / strongest;
  }

  /** The key as ID3v2.4 writes it in TKEY: `C`, `F#m`; null where there is none, or it is not certain. */
  finish(): string | null {
    const { notes, windows, pitched, rate } = this;
    const strongest = max(...notes);
    const heard = notes.filter((strength) => strength > strongest * NOTE_SHARE).length;
    if ((windows * SIZE) / rate < SHORTEST_SECONDS || pitched < windows * PITCHED_SHARE || heard < FEWEST_NOTES)
      return null;
    const keys = NOTES.flatMap((name, first) => [
      { key: name, fit: fitOf(notes, MAJOR, first) },
      { key: `${name}m`, fit: fitOf(notes, MINOR, first) },
    ]).sort((a, b) => b.fit - a.fit);
    const [best, next] = keys;
    return best && next && best.fit >= CERTAIN && best.fit - next.fit >= AHEAD ? best.key : null;
  }
}

/** Where between bins a peak stands, -0.5 to 0.5, by a parabola through the logarithms of three bins. */
function offsetOfPeak(left: number, here: number, right: number): number {
  const [a, b, c] = [log2(left + 1e-30), log2(here + 1e-30), log2(right + 1e-30)];
  const bend = a - 2 * b + c;
  return bend < 0 ? (0.5 * (a - c)) / bend : 0;
}

/** Correlation of the notes with a profile that begins on one of them. */
function fitOf(notes: Float64Array, profile: readonly number[], first: number): number {
  const meanOf = (values: ArrayLike<number>): number => Array.from(values).reduce((sum, each) => sum + each, 0) / 12;
  const [noteMean, profileMean] = [meanOf(notes), meanOf(profile)];
  let [product, noteSquares, profileSquares] = [0, 0, 0];
  for (let step = 0; step < 12; step += 1) {
    const note = (notes[(first + step) % 12] as number) - noteMean;
    const fit = (profile[step] as number) - profileMean;
    product += note * fit;
    noteSquares += note * note;
    profileSquares += fit * fit;
  }
  return noteSquares === 0 ? 0 : product / sqrt(noteSquares * profileSquares);
}
