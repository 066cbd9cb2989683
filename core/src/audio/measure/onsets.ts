/** Taken once: where code runs in a context of its own, as tests do, each look-up of a global costs more than the sum it is for. */
const { log, max, min, sqrt } = Math;

/** A moment at which something begins. */
export interface Onset {
  seconds: number;
  /** How much the bands of the spectrum rose at once, mean of the bands, dB. */
  strengthDb: number;
}

/** How far a rise has to stand above the usual one around it, dB. */
const THRESHOLD_DB = 3.5;
/** Onsets closer than this are one. */
const APART_SECONDS = 0.05;
const AROUND_SECONDS = 0.4;
/** What begins this far below the loudest moment is not heard as an event, dB. */
const BELOW_LOUDEST_DB = 50;
const AUDIBLE = 10 ** (-75 / 10);
/** Where the attack is looked for around the window that rose, and the lengths whose energies are compared, milliseconds. */
const BEFORE_MS = 26;
const AFTER_MS = 16;
const RISE_MS = 3;
const QUIET_MS = 8;

/** What lies in the middle of the values from `from` up to `to`. */
function median(values: Float32Array, from: number, to: number): number {
  const sorted = values.slice(max(0, from), min(values.length, to)).sort();
  return sorted[Math.floor(sorted.length / 2)] ?? 0;
}

/**
 * Where events begin: peaks of the spectral flux that stand out from the median around them (Bello et al., “A tutorial on onset detection
 * in music signals”, 2005, §III-A and §IV), each moved to where the energy rises most within a millisecond.
 */
export function findOnsets(flux: Float32Array, hopSeconds: number, bins: Float32Array, binSeconds: number): Onset[] {
  const around = max(2, Math.round(AROUND_SECONDS / hopSeconds));
  const near = max(1, Math.round(APART_SECONDS / hopSeconds / 2));
  const loudest = bins.reduce((most, each) => max(most, each), 0);
  const audible = max(AUDIBLE, loudest * 10 ** (-BELOW_LOUDEST_DB / 10));
  const found: Onset[] = [];
  for (let hop = 0; hop < flux.length; hop += 1) {
    const rise = flux[hop] as number;
    if (rise < THRESHOLD_DB || !isHighest(flux, hop, near)) continue;
    const strengthDb = rise - median(flux, hop - around, hop + around + 1);
    if (strengthDb < THRESHOLD_DB) continue;
    const bin = attackBin(bins, Math.round((hop * hopSeconds) / binSeconds));
    if (mean(bins, bin, bin + 10) < audible) continue;
    const seconds = bin * binSeconds;
    const last = found.at(-1);
    if (last && seconds - last.seconds < APART_SECONDS) {
      if (last.strengthDb < strengthDb) last.strengthDb = strengthDb;
    } else found.push({ seconds, strengthDb });
  }
  return found;
}

/** Whether a value is the highest of its neighbours; of equal ones the first. */
function isHighest(values: Float32Array, at: number, near: number): boolean {
  const value = values[at] as number;
  for (let other = max(0, at - near); other <= min(values.length - 1, at + near); other += 1) {
    const neighbour = values[other] as number;
    if (neighbour > value || (neighbour === value && other < at)) return false;
  }
  return true;
}

function mean(values: Float32Array, from: number, to: number): number {
  let sum = 0;
  const [first, last] = [max(0, from), min(values.length, to)];
  for (let index = first; index < last; index += 1) sum += values[index] as number;
  return last > first ? sum / (last - first) : 0;
}

/** The bin at which the energy rises most against what lay before it. */
function attackBin(bins: Float32Array, around: number): number {
  let [best, bestRise] = [max(0, around), 0];
  const floor = 1e-10;
  for (let bin = max(0, around - BEFORE_MS); bin <= min(bins.length - 1, around + AFTER_MS); bin += 1) {
    const behind = mean(bins, bin, bin + RISE_MS) + floor;
    const before = mean(bins, bin - QUIET_MS, bin) + floor;
    // The rise weighs by the energy that it leads to, so that a breath before a blow is not taken for the blow.
    const rise = log(behind / before) * sqrt(behind);
    if (rise > bestRise) [best, bestRise] = [bin, rise];
  }
  return best;
}
