import type { Slice, SyncPoint } from '../../record/marks.ts';
import { noiseFloorDbfs } from '../measure/energy-envelope.ts';
import type { SliceEnvelope } from './slice-envelope.ts';

const { log, log10, max, min, round, sqrt } = Math;

export interface SliceOptions {
  /** 0 finds only what stands far out, 100 every stir. */
  sensitivity: number;
  minimumSeconds: number;
  preRollSeconds: number;
  postRollSeconds: number;
  /** Ends are moved to where the sound crosses zero. */
  toZeroCrossings: boolean;
}

export const USUAL_SLICES: SliceOptions = {
  sensitivity: 50,
  minimumSeconds: 0.1,
  preRollSeconds: 0.02,
  postRollSeconds: 0.15,
  toZeroCrossings: true,
};

/** A sound whose loudest moments stand out less than this is a bed: nothing is found in it, dB. */
const LEAST_RANGE_DB = 8;
/** A sound that is nowhere louder is silence. */
const AUDIBLE_DBFS = -80;
/** No floor lies deeper below the loudest moment than this, dB. */
const MOST_RANGE_DB = 70;
const SMOOTHING_BINS = 5;
/** An event has ended when it stays this far below its beginning's threshold, dB. */
const HYSTERESIS_DB = 4;
/** A blow within an event that is still sounding is an event of its own when it rises by this over what was before it, dB. */
const RISE_DB = { least: 5, most: 16 };
const RISE_BINS = { after: 8, before: 40 };
const SNAP_SECONDS = 0.012;

/**
 * The events of a sound, one slice each: where the level rises above a threshold that lies between the noise floor and the loudest moment, and
 * where something strikes again before that has died away. A way of our own; its parts are common practice.
 */
export function findSlices(envelope: SliceEnvelope, options: SliceOptions): Slice[] {
  const { frames, binFrames, sampleRateHz } = envelope;
  const inBins = (seconds: number): number => round((seconds * sampleRateHz) / binFrames);
  const events = eventsOf(envelope, options, inBins);
  const [before, after] = [options.preRollSeconds * sampleRateHz, options.postRollSeconds * sampleRateHz];
  const snapped = (frame: number): number =>
    min(frames, options.toZeroCrossings ? nearestCrossing(envelope, frame) : round(frame));
  let free = 0;
  return events.flatMap((event, index) => {
    const next = events[index + 1];
    const from = max(free, snapped(max(0, event.from * binFrames - before)));
    // The next one's run-up is its own.
    const room = next ? next.from * binFrames - before : frames;
    const to = snapped(min(event.to * binFrames + after, room));
    if (to - from < options.minimumSeconds * sampleRateHz) return [];
    free = to;
    return [{ from, to, name: '' }];
  });
}

interface Event {
  /** In bins, the end not included. */
  from: number;
  to: number;
}

function eventsOf(
  { energies, binFrames, sampleRateHz }: SliceEnvelope,
  options: SliceOptions,
  inBins: (seconds: number) => number,
): Event[] {
  const levels = smoothed(energies);
  const top = levels.reduce((most, level) => max(most, level), -Infinity);
  const floor = max(noiseFloorDbfs(energies, binFrames / sampleRateHz) ?? -Infinity, top - MOST_RANGE_DB);
  if (top < AUDIBLE_DBFS || top - floor < LEAST_RANGE_DB) return [];
  const share = options.sensitivity / 100;
  const opens = max(floor + HYSTERESIS_DB, top - (top - floor) * (0.2 + 0.65 * share));
  const closes = opens - HYSTERESIS_DB;
  const gap = max(1, inBins(0.25 - 0.2 * share));
  const rise = RISE_DB.most - (RISE_DB.most - RISE_DB.least) * share;
  const apart = max(inBins(options.minimumSeconds), RISE_BINS.before);
  const events: Event[] = [];
  let [open, quiet] = [-1, 0];
  for (let bin = 0; bin <= levels.length; bin += 1) {
    const level = levels[bin] ?? -Infinity;
    if (open < 0) {
      if (level >= opens) [open, quiet] = [attackBefore(levels, bin, closes), 0];
      continue;
    }
    quiet = level < closes ? quiet + 1 : 0;
    const ends = quiet >= gap || bin === levels.length;
    if (ends) {
      events.push({ from: open, to: bin - quiet });
      open = -1;
    } else if (bin - open >= apart && strikesAt(energies, bin, rise) && level >= opens - HYSTERESIS_DB) {
      events.push({ from: open, to: bin });
      [open, quiet] = [bin, 0];
    }
  }
  return events;
}

/** Back to where the level began to rise. */
function attackBefore(levels: Float32Array, bin: number, closes: number): number {
  let start = bin;
  while (
    start > 0 &&
    bin - start < 30 &&
    (levels[start - 1] as number) >= closes - 6 &&
    (levels[start - 1] as number) < (levels[start] as number)
  )
    start -= 1;
  return start;
}

function strikesAt(energies: Float32Array, bin: number, riseDb: number): boolean {
  const level = (from: number, to: number): number => 10 * log10(mean(energies, from, to) + 1e-12);
  const behind = level(bin, bin + RISE_BINS.after);
  if (behind - level(bin - RISE_BINS.before, bin) < riseDb) return false;
  // Only at the steepest bin of the rise, so that one blow is one event.
  const steepness = (at: number): number => level(at, at + RISE_BINS.after) - level(at - RISE_BINS.after, at);
  const here = steepness(bin);
  for (let near = 1; near <= RISE_BINS.after; near += 1) if (steepness(bin + near) > here) return false;
  return true;
}

/** Levels in dBFS over a few milliseconds. */
function smoothed(energies: Float32Array): Float32Array {
  return energies.map((_, bin) => 10 * log10(mean(energies, bin - 2, bin + SMOOTHING_BINS - 2) + 1e-12));
}

function mean(values: Float32Array, from: number, to: number): number {
  const [first, last] = [max(0, from), min(values.length, to)];
  let sum = 0;
  for (let index = first; index < last; index += 1) sum += values[index] as number;
  return last > first ? sum / (last - first) : 0;
}

/** The crossing of zero that lies nearest within twelve milliseconds; the frame itself where there is none. */
export function nearestCrossing({ binFrames, crossings, sampleRateHz, frames }: SliceEnvelope, frame: number): number {
  const middle = Math.floor(frame / binFrames);
  const reach = Math.ceil((SNAP_SECONDS * sampleRateHz) / binFrames);
  let [best, distance] = [round(frame), Infinity];
  for (let bin = max(0, middle - reach); bin <= min(crossings.length - 1, middle + reach); bin += 1) {
    const offset = crossings[bin] as number;
    if (offset < 0) continue;
    const at = bin * binFrames + offset;
    if (Math.abs(at - frame) < distance) [best, distance] = [at, Math.abs(at - frame)];
  }
  return min(frames, best);
}

/** Where each slice strikes: the bin at which its energy rises most, weighed by the energy that it leads to; to a millisecond. */
export function strongestOnsets({ energies, binFrames }: SliceEnvelope, slices: readonly Slice[]): SyncPoint[] {
  return slices.map(({ from, to, name }) => {
    const [first, last] = [Math.floor(from / binFrames), Math.ceil(to / binFrames)];
    let [best, bestRise] = [first, 0];
    for (let bin = first; bin < last; bin += 1) {
      const behind = mean(energies, bin, bin + 3) + 1e-10;
      const before = mean(energies, max(first, bin - 8), bin) + 1e-10;
      const rise = log(behind / before) * sqrt(behind);
      if (rise > bestRise) [best, bestRise] = [bin, rise];
    }
    return { at: max(from, best * binFrames), name };
  });
}
