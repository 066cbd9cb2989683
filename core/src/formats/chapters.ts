import { parseSlices, slicesText, type Slice } from '../record/marks.ts';

/** What turns times into frames: the rate of a file, and its length in frames (0 when nobody knows). */
export interface Clock {
  sampleRateHz: number;
  frames: number;
}

/** A chapter as ID3 and Vorbis comments hold it, in milliseconds; without an end it lasts until the next one. */
export interface Chapter {
  startMs: number;
  endMs?: number;
  name: string;
}

/** Milliseconds are this many frames at the most (at 192 kHz): marks that lie closer say the same. */
const NEAR_FRAMES = 192;

/** The slices that chapters mean, as text in frames. Of chapters that begin at once the first counts. */
export function slicesOfChapters(chapters: readonly Chapter[], { sampleRateHz, frames }: Clock): string {
  const inFrames = (ms: number): number => Math.round((ms * sampleRateHz) / 1000);
  const sorted = [...chapters]
    .sort((a, b) => a.startMs - b.startMs)
    .filter(({ startMs, endMs }, index, all) => endMs !== undefined || startMs !== all[index - 1]?.startMs);
  const slices = sorted.map(({ startMs, endMs, name }, index): Slice => {
    const next = sorted[index + 1];
    const from = inFrames(startMs);
    const to = endMs === undefined ? (next ? inFrames(next.startMs) : frames) : inFrames(endMs);
    return { from, to: Math.max(to, from + 1), name };
  });
  return slicesText(slices);
}

/** The chapters that stand for slices; without ends where these cannot be held. */
export function chaptersOfSlices(slices: string, { sampleRateHz }: Clock, withEnds: boolean): Chapter[] {
  const inMs = (frame: number): number => Math.round((frame * 1000) / sampleRateHz);
  return parseSlices(slices).map(({ from, to, name }) => {
    const startMs = inMs(from);
    return withEnds ? { startMs, endMs: Math.max(inMs(to), startMs + 1), name } : { startMs, name };
  });
}

/** The text of slices as it reads after a way through chapters. */
export function fittedChapters(slices: string, clock: Clock, withEnds: boolean): string {
  return slicesOfChapters(chaptersOfSlices(slices, clock, withEnds), clock);
}

/** Whether chapters say what slices say, as far as milliseconds go; their ends are not compared, which Vorbis comments do not hold. */
export function chaptersAgree(chapters: string, slices: string): boolean {
  const [told, held] = [parseSlices(slices), parseSlices(chapters)];
  const starts = told.filter(({ from }, index) => Math.abs(from - (told[index - 1]?.from ?? -Infinity)) > NEAR_FRAMES);
  return (
    (held.length === told.length || held.length >= starts.length) &&
    held.every((chapter) =>
      told.some(({ from, name }) => name === chapter.name && Math.abs(from - chapter.from) <= NEAR_FRAMES),
    )
  );
}
