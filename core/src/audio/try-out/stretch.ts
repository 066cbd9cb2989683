import { resample } from '../resample.ts';

const { floor, max, min, round, sqrt } = Math;

/** Pieces of 46 ms, laid over each other by half, each taken from up to 12 ms beside its place where it fits best. */
const PIECE_SECONDS = 0.046;
const SEARCH_SECONDS = 0.012;
/** Every so many samples are compared to find the neighbourhood, then all of them. */
const COARSE = 4;

/**
 * The sound in another length at the same pitch: `share` 2 makes it twice as long. Waveform similarity overlap-add (Verhelst and Roelands, “An
 * overlap-add technique based on waveform similarity”, ICASSP 1993); all channels are cut at the same places.
 */
export function stretch(planar: readonly Float32Array[], share: number, sampleRateHz: number): Float32Array[] {
  const frames = planar[0]?.length ?? 0;
  if (share === 1 || frames === 0) return planar.map((samples) => samples.slice());
  const hop = max(16, floor((PIECE_SECONDS * sampleRateHz) / 2));
  const search = round(SEARCH_SECONDS * sampleRateHz);
  const mono = monoOf(planar);
  const length = round(frames * share);
  const result = planar.map(() => new Float32Array(length));
  const rise = Float32Array.from({ length: hop }, (_, index) => 0.5 - 0.5 * Math.cos((Math.PI * (index + 0.5)) / hop));
  let from = 0;
  for (let at = 0; at < length; at += hop) {
    // What would follow the last piece by itself is what the next piece has to resemble.
    const natural = from;
    const wanted = round(at / share);
    const start = at === 0 ? 0 : bestStart(mono, natural, wanted, search, hop);
    planar.forEach((samples, channel) => {
      const into = result[channel] as Float32Array;
      for (let index = 0; index < hop && at + index < length; index += 1) {
        const fresh = samples[start + index] ?? 0;
        const old = at === 0 ? fresh : (samples[natural + index] ?? 0);
        const weight = rise[index] as number;
        into[at + index] = fresh * weight + old * (1 - weight);
      }
    });
    from = start + hop;
  }
  return result;
}

function monoOf(planar: readonly Float32Array[]): Float32Array {
  const [first = new Float32Array(0), ...others] = planar;
  if (others.length === 0) return first;
  const mono = first.slice();
  for (const samples of others)
    for (let at = 0; at < mono.length; at += 1) mono[at] = (mono[at] as number) + (samples[at] as number);
  return mono;
}

/** Where a piece begins that resembles what stands at `natural` most, within `search` of `wanted`. */
function bestStart(mono: Float32Array, natural: number, wanted: number, search: number, length: number): number {
  const highest = max(0, mono.length - length);
  const bounded = (start: number): number => max(0, min(highest, start));
  let best = bounded(wanted);
  let bestLikeness = -Infinity;
  const consider = (start: number, every: number): void => {
    const value = likeness(mono, natural, start, length, every);
    if (value > bestLikeness) [best, bestLikeness] = [start, value];
  };
  for (let offset = -search; offset <= search; offset += COARSE) consider(bounded(wanted + offset), COARSE);
  const near = best;
  bestLikeness = -Infinity;
  for (let offset = -COARSE; offset <= COARSE; offset += 1) consider(bounded(near + offset), 1);
  return best;
}

/** The correlation of two pieces, over the energy of the second. */
function likeness(mono: Float32Array, natural: number, start: number, length: number, every: number): number {
  let [product, energy] = [0, 1e-9];
  const end = min(length, mono.length - natural, mono.length - start);
  for (let index = 0; index < end; index += every) {
    const value = mono[start + index] as number;
    product += (mono[natural + index] as number) * value;
    energy += value * value;
  }
  return product / sqrt(energy);
}

/** The sound at another pitch in the same length: stretched by the ratio, then read that much faster. */
export function shiftPitch(planar: readonly Float32Array[], semitones: number, sampleRateHz: number): Float32Array[] {
  const ratio = 2 ** (semitones / 12);
  const frames = planar[0]?.length ?? 0;
  return stretch(planar, ratio, sampleRateHz).map((samples) => {
    const shifted = resample(samples, ratio);
    if (shifted.length === frames) return shifted;
    const exact = new Float32Array(frames);
    exact.set(shifted.subarray(0, frames));
    return exact;
  });
}
