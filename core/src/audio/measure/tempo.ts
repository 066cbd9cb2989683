const SLOWEST_BPM = 50;
const FASTEST_BPM = 210;
/** Tempi are told from this many beats on. */
export const FEWEST_BEATS = 6;
/** How alike the rises have to be one beat apart (autocorrelation, 1 for a perfect repetition). */
const CERTAIN = 0.35;
/** Of tempi that fit alike, the one nearer to this is heard as the beat (common practice), within about an octave. */
const USUAL_BPM = 120;
const OCTAVES = 1;
const MOST_BEATS = 8;

/**
 * The tempo in beats a minute, from the autocorrelation of the spectral flux (Percival and Tzanetakis, “Streamlined tempo estimation”, 2014,
 * in outline), made exact over up to eight beats; null where nothing repeats evenly.
 */
export function findTempo(flux: Float32Array, hopSeconds: number): number | null {
  const seconds = flux.length * hopSeconds;
  if ((seconds * FASTEST_BPM) / 60 < FEWEST_BEATS) return null;
  const rises = centred(smoothed(centred(flux).map((each) => Math.max(0, each))));
  const power = correlation(rises, 0);
  if (power === 0) return null;
  const lagOf = (bpm: number): number => 60 / bpm / hopSeconds;
  let [best, bestScore, bestLikeness] = [0, 0, 0];
  for (let lag = Math.floor(lagOf(FASTEST_BPM)); lag <= Math.ceil(lagOf(SLOWEST_BPM)); lag += 1) {
    if (rises.length / lag < FEWEST_BEATS) break;
    const likeness = correlation(rises, lag) / power;
    const octaves = Math.log2(60 / (lag * hopSeconds) / USUAL_BPM);
    // What repeats after one beat repeats after two as well.
    const score = (likeness + 0.5 * (correlation(rises, lag * 2) / power)) * Math.exp(-0.5 * (octaves / OCTAVES) ** 2);
    if (score > bestScore) [best, bestScore, bestLikeness] = [lag, score, likeness];
  }
  if (best === 0 || bestLikeness < CERTAIN) return null;
  return 60 / (exactLag(rises, best) * hopSeconds);
}

/** The values around their mean, so that what has nothing to do with each other correlates to 0. */
function centred(values: Float32Array): Float32Array {
  const mean = values.reduce((sum, each) => sum + each, 0) / values.length;
  return values.map((each) => each - mean);
}

/** Each value with its neighbours, so that a beat which falls between two hops still meets the next. */
function smoothed(values: Float32Array): Float32Array {
  return values.map((each, index) => 0.5 * each + 0.25 * ((values[index - 1] ?? 0) + (values[index + 1] ?? 0)));
}

/** Mean product of the values with those `lag` behind. */
function correlation(values: Float32Array, lag: number): number {
  let sum = 0;
  const count = values.length - lag;
  if (count <= 0) return 0;
  for (let index = 0; index < count; index += 1) sum += (values[index] as number) * (values[index + lag] as number);
  return sum / count;
}

/** The lag of a beat in parts of a hop: the peak near two, four and eight beats, each looked for where the one before says it is. */
function exactLag(values: Float32Array, first: number): number {
  let lag = peakNear(values, first, 1);
  for (let beats = 2; beats <= MOST_BEATS && lag * beats < values.length * 0.75; beats *= 2)
    lag = peakNear(values, lag * beats, 2) / beats;
  return lag;
}

/** Where the correlation is highest within `reach` hops, between hops by a parabola. */
function peakNear(values: Float32Array, around: number, reach: number): number {
  let [best, highest] = [Math.round(around), -Infinity];
  for (let lag = Math.round(around) - reach; lag <= Math.round(around) + reach; lag += 1) {
    const value = correlation(values, lag);
    if (value > highest) [best, highest] = [lag, value];
  }
  const [left, right] = [correlation(values, best - 1), correlation(values, best + 1)];
  const bend = left - 2 * highest + right;
  return bend < 0 ? best + (0.5 * (left - right)) / bend : best;
}
