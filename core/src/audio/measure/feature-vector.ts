import type { Onset } from './onsets.ts';
import { windowsOf } from './energy-envelope.ts';
import { CEPSTRAL_COEFFICIENTS, type SpectralSummary } from './spectral-meter.ts';

/** Parts into which a sound's course is divided. */
const PARTS = 8;
/** A part without anything counts as this far below the whole, dB. */
const QUIETEST_DB = -60;

export interface FeatureInput {
  durationSeconds: number;
  bins: Float32Array;
  binSeconds: number;
  onsets: readonly Onset[];
  spectrum: SpectralSummary;
  crestFactorDb: number | null;
}

/** How much a feature differs between sounds, in its own unit; a distance of one such spread in each feature counts alike. */
type Feature = [name: string, value: number, spread: number];

/**
 * What two sounds are compared by, as numbers of like size, so that the distance of two vectors says how alike the sounds are: colour
 * (cepstrum and moments of the spectrum), course of the level, density of events, length. The level itself is left out. The spreads are
 * round figures from the demo's sounds (our own choice, docs/analysis.md). Null for silence.
 */
export function featureVector(input: FeatureInput): number[] | null {
  if (input.spectrum.audibleFrames === 0) return null;
  return features(input).map(([, value, spread]) => Number((value / spread).toFixed(4)));
}

/** How many numbers a vector has. */
export const FEATURE_COUNT = 2 * CEPSTRAL_COEFFICIENTS - 1 + 8 + PARTS + 5;

/** Numbers of the course, the attack, the middle, the events and the length. */
const SHAPE_COUNT = PARTS + 4;
/**
 * Which numbers of a vector, counted from 1, say how a sound goes and nothing of its colour: what somebody can hum or knock. The crest, the last of all, is left
 * out: a microphone at hand changes it.
 */
export const SHAPE_FEATURES: readonly number[] = Array.from(
  { length: SHAPE_COUNT },
  (_, index) => FEATURE_COUNT - SHAPE_COUNT + index,
);

function features({ durationSeconds, bins, binSeconds, onsets, spectrum, crestFactorDb }: FeatureInput): Feature[] {
  const { cepstrum, centroid, bandwidth, rollOff, flatnessDb, zeroCrossings } = spectrum;
  return [
    ...cepstrum
      .slice(1)
      .map(({ mean }, row): Feature => [`cepstrum ${row + 1}`, mean, row < 2 ? 30 : row < 6 ? 12 : 6]),
    ...cepstrum.map(({ deviation }, row): Feature => [`cepstrum ${row}, movement`, deviation, row < 3 ? 20 : 8]),
    ['centroid', centroid.mean, 1],
    ['centroid, movement', centroid.deviation, 0.6],
    ['bandwidth', bandwidth.mean, 1],
    ['roll-off', rollOff.mean, 1.2],
    ['flatness', flatnessDb.mean, 8],
    ['flatness, movement', flatnessDb.deviation, 4],
    ['zero crossings', Math.log2(zeroCrossings.mean + 0.002), 1.2],
    ['zero crossings, movement', zeroCrossings.deviation, 0.06],
    ...course(bins),
    ['attack', Math.log2(attackSeconds(bins, binSeconds) + 0.002), 2],
    ['middle of the energy', middleOfEnergy(bins), 0.2],
    ['events a second', Math.log2(onsets.length / Math.max(0.5, durationSeconds) + 0.25), 1],
    ['length', Math.log2(durationSeconds + 0.1), 1.5],
    ['crest', crestFactorDb ?? 0, 6],
  ];
}

/** The level of each part of the sound against the whole, dB. */
function course(bins: Float32Array): Feature[] {
  const whole = bins.reduce((sum, each) => sum + each, 0) / Math.max(1, bins.length);
  return Array.from({ length: PARTS }, (_, part) => {
    const [from, to] = [Math.floor((part * bins.length) / PARTS), Math.floor(((part + 1) * bins.length) / PARTS)];
    const [mean] = to > from ? windowsOf(bins.subarray(from, to), to - from) : [0];
    const level = Math.max(QUIETEST_DB, 10 * Math.log10((mean ?? 0) / whole + 1e-9));
    return [`level of part ${part + 1}`, level, 16];
  });
}

/** Seconds from a tenth of the highest energy up to it. */
function attackSeconds(bins: Float32Array, binSeconds: number): number {
  let peak = 0;
  for (let bin = 1; bin < bins.length; bin += 1) if ((bins[bin] as number) > (bins[peak] as number)) peak = bin;
  let start = peak;
  while (start > 0 && (bins[start - 1] as number) > (bins[peak] as number) / 10) start -= 1;
  return (peak - start) * binSeconds;
}

/** Where the middle of the energy lies, 0 at the start and 1 at the end. */
function middleOfEnergy(bins: Float32Array): number {
  let [sum, moment] = [0, 0];
  bins.forEach((energy, bin) => {
    sum += energy;
    moment += energy * bin;
  });
  return sum > 0 ? moment / sum / Math.max(1, bins.length - 1) : 0.5;
}
