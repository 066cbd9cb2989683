import type { FORMS } from '../../record/fields.ts';
import { windowsOf } from './energy-envelope.ts';
import type { Onset } from './onsets.ts';
import type { SpectralSummary } from './spectral-meter.ts';

/** What a sound is like, estimated from its measures; rules of our own (docs/analysis.md), to be corrected by ear. */
export interface Character {
  form: (typeof FORMS)[number];
  /** 1 light to 5 heavy; null for silence. */
  weight: number | null;
  /** 1 calm to 5 busy; null for silence. */
  activity: number | null;
}

export interface CharacterInput {
  durationSeconds: number;
  bins: Float32Array;
  binSeconds: number;
  onsets: readonly Onset[];
  spectrum: SpectralSummary;
  momentaryMaxLufs: number | null;
  tempoBpm: number | null;
}

const WINDOW_SECONDS = 0.05;
/** A part counts as sounding while it is less than this far below the loud windows, dB. */
const SOUNDING_DB = 26;
/** Takes of a series stand apart by at least this much quiet. */
const GAP_SECONDS = 0.18;
const BED_SECONDS = 6;
/** A loop holds whole beats, within this share of one. */
const LOOP_BEAT_SHARE = 0.08;
/** The share of a bed that sounds. */
const BED_SHARE = 0.9;
/** Levels of a bed lie this close together, dB from a tenth to nine tenths. */
const BED_RANGE_DB = 18;
/** How alike the two ends of a loop are, dB. */
const LOOP_ENDS_DB = 2;

/** Sounding stretches of windows, those that stand closer than a gap being one. */
function events(windows: Float32Array, threshold: number, windowSeconds: number): [first: number, last: number][] {
  const found: [number, number][] = [];
  windows.forEach((level, window) => {
    if (level < threshold) return;
    const last = found.at(-1);
    if (last && (window - last[1] - 1) * windowSeconds < GAP_SECONDS) last[1] = window;
    else found.push([window, window]);
  });
  return found;
}

const decibels = (ratio: number): number => 10 * Math.log10(ratio + 1e-12);

export function characterOf(input: CharacterInput): Character {
  const { bins, binSeconds, durationSeconds } = input;
  const length = Math.max(1, Math.round(WINDOW_SECONDS / binSeconds));
  const windows = windowsOf(bins, length);
  const sorted = windows.slice().sort();
  const at = (share: number): number => sorted[Math.floor((sorted.length - 1) * share)] ?? 0;
  const loud = at(0.98);
  if (input.momentaryMaxLufs === null || loud === 0) return { form: 'single', weight: null, activity: null };
  const threshold = loud / 10 ** (SOUNDING_DB / 10);
  const found = events(windows, threshold, length * binSeconds);
  const sounding = windows.filter((each) => each >= threshold).length / windows.length;
  const isSteady = sounding >= BED_SHARE && decibels(at(0.9) / Math.max(at(0.1), 1e-12)) < BED_RANGE_DB;
  return {
    form:
      isSteady && durationSeconds >= BED_SECONDS ? bedOrLoop(input, windows) : found.length >= 3 ? 'series' : 'single',
    weight: weightOf(input),
    activity: activityOf(input, sounding),
  };
}

/** A loop goes on from its end to its start, and holds whole beats. */
function bedOrLoop({ tempoBpm, durationSeconds }: CharacterInput, windows: Float32Array): 'bed' | 'loop' {
  if (tempoBpm === null) return 'bed';
  const beats = (tempoBpm * durationSeconds) / 60;
  const isWhole = Math.abs(beats - Math.round(beats)) < LOOP_BEAT_SHARE;
  return isWhole && endsMeet(windows, Math.max(1, Math.round(windows.length / beats))) ? 'loop' : 'bed';
}

/** Whether the last beat is as loud as the first and as all of them: a fade makes no loop. */
function endsMeet(windows: Float32Array, beatWindows: number): boolean {
  const level = (some: Float32Array): number => decibels(some.reduce((sum, each) => sum + each, 0) / some.length);
  const whole = level(windows);
  const ends = [windows.subarray(0, beatWindows), windows.subarray(windows.length - beatWindows)];
  return ends.every((end) => Math.abs(level(end) - whole) < LOOP_ENDS_DB);
}

/** Low and loud is heavy: the centroid on a scale of octaves from 4 kHz down to 250 Hz, moved by the loudness. */
function weightOf({ spectrum, momentaryMaxLufs }: CharacterInput): number {
  const octavesBelow = Math.log2(4000) - spectrum.centroid.mean;
  const loudness = ((momentaryMaxLufs ?? -23) + 23) / 12;
  return Math.max(1, Math.min(5, Math.round(1.5 + octavesBelow * 0.75 + loudness)));
}

/** Events a second on a scale of doublings: none in two seconds is calm, eight a second busy. */
function activityOf({ onsets, durationSeconds }: CharacterInput, sounding: number): number {
  const span = Math.max(1, durationSeconds * Math.max(sounding, 0.2));
  const rate = onsets.length / span;
  return Math.max(1, Math.min(5, Math.round(3 + Math.log2(rate + 0.1) * 0.75)));
}
