import type { Span } from './wave-data.ts';

/** How places in a sound are told. */
export type RulerKind = 'time' | 'clock' | 'samples';

/** Where a sound stands in time: its rate, and its start in samples since midnight when its file says so. */
export interface RulerFacts {
  sampleRateHz: number;
  timeReference: number | null;
}

const STEPS = [
  0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800, 3600,
];

/** A place in words: 1:02.345 from the start, 10:14:02.345 of the day, or the number of its sample. */
export function placeInWords(
  frame: number,
  kind: RulerKind,
  { sampleRateHz, timeReference }: RulerFacts,
  digits = 3,
): string {
  if (kind === 'samples') return Math.round(frame).toLocaleString('en');
  const offset = kind === 'clock' ? (timeReference ?? 0) : 0;
  const unit = 10 ** digits;
  const whole = Math.round(((frame + offset) / sampleRateHz) * unit);
  const seconds = ((whole % (60 * unit)) / unit).toFixed(digits).padStart(digits === 0 ? 2 : digits + 3, '0');
  const minutes = Math.floor(whole / (60 * unit));
  const hours = Math.floor(minutes / 60);
  const two = (value: number): string => String(value).padStart(2, '0');
  if (kind === 'clock') return `${two(hours % 24)}:${two(minutes % 60)}:${seconds}`;
  return hours > 0 ? `${hours}:${two(minutes % 60)}:${seconds}` : `${minutes}:${seconds}`;
}

/** The marks of a ruler over a view of so many pixels: round places, none closer than `apart` pixels. */
export function rulerMarks(
  { from, to }: Span,
  pixels: number,
  kind: RulerKind,
  facts: RulerFacts,
  apart = 78,
): { frame: number; label: string }[] {
  const framesApart = ((to - from) / pixels) * apart;
  const step =
    kind === 'samples' ? roundUp(framesApart) : stepOf(framesApart / facts.sampleRateHz) * facts.sampleRateHz;
  const digits = kind === 'samples' ? 0 : Math.max(0, Math.ceil(-Math.log10(step / facts.sampleRateHz) - 1e-9));
  const offset = kind === 'clock' ? (facts.timeReference ?? 0) : 0;
  const marks: { frame: number; label: string }[] = [];
  for (let place = Math.ceil((from + offset) / step) * step; place - offset <= to; place += step)
    marks.push({ frame: place - offset, label: placeInWords(place - offset, kind, facts, Math.min(3, digits)) });
  return marks;
}

function stepOf(seconds: number): number {
  return STEPS.find((step) => step >= seconds) ?? Math.ceil(seconds / 3600) * 3600;
}

/** 1, 2 or 5 times a power of ten. */
function roundUp(value: number): number {
  const power = 10 ** Math.floor(Math.log10(Math.max(1, value)));
  return [1, 2, 5, 10].map((factor) => factor * power).find((each) => each >= value) ?? power * 10;
}
