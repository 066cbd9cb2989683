import { tidyText } from '../text/tidy-text.ts';

/** A marked part of a sound, for instance one take of a series; in sample frames, the end not included. */
export interface Slice {
  from: number;
  to: number;
  name: string;
}

/** The sample frame that has to meet the picture. */
export interface SyncPoint {
  at: number;
  name: string;
}

/** What files hold: a part, or a point where both ends are the same frame. */
export type Mark = Slice;

/** Beyond this a sound is not marked but measured. */
export const MOST_MARKS = 10_000;

/** So that names fit into every format with room for a suffix: three bytes a letter, 255 in all (AIFF). */
const MOST_LETTERS = 80;

const SLICE = /^(\d{1,15}) (\d{1,15})(?: (.*))?$/;
const SYNC_POINT = /^(\d{1,15})(?: (.*))?$/;

/**
 * Marks are kept as text, one a line: `FROM TO NAME` for slices, `AT NAME` for sync points, so that they travel through records, history and files
 * like every other field. The lines that are none are left out.
 */
export function parseSlices(text: string): Slice[] {
  return linesOf(text).flatMap((line) => {
    const slice = parseSlice(line);
    return slice ? [slice] : [];
  });
}

export function parseSyncPoints(text: string): SyncPoint[] {
  return linesOf(text).flatMap((line) => {
    const match = SYNC_POINT.exec(line);
    return match ? [{ at: Number(match[1]), name: match[2] ?? '' }] : [];
  });
}

/** The one order of marks: by their frames, and by their names where these are the same, so that a text has one form. */
function inOrder(a: Mark, b: Mark): number {
  return a.from - b.from || a.to - b.to || (a.name < b.name ? -1 : a.name > b.name ? 1 : 0);
}

/** The text of slices in the order of their beginnings, names without line breaks. */
export function slicesText(slices: readonly Slice[]): string {
  return slices
    .map(({ name, ...frames }) => ({ ...frames, name: markName(name) }))
    .sort(inOrder)
    .map(({ from, to, name }) => `${from} ${to} ${name}`.trim())
    .join('\n');
}

/** The text of sync points in their order. */
export function syncPointsText(points: readonly SyncPoint[]): string {
  return points
    .map(({ at, name }) => ({ from: at, to: at, name: markName(name) }))
    .sort(inOrder)
    .map(({ from, name }) => `${from} ${name}`.trim())
    .join('\n');
}

function markName(name: string): string {
  return tidyText(name, false).slice(0, MOST_LETTERS).toWellFormed().trim();
}

/** The text in its one form; or, as `wrong`, the first line that is no mark. */
export function checkedMarks(field: 'slices' | 'syncPoints', text: string): { text: string } | { wrong: string } {
  const lines = linesOf(text);
  const wrong = lines.find((line) => (field === 'slices' ? !parseSlice(line) : !SYNC_POINT.test(line)));
  if (wrong !== undefined) return { wrong };
  return { text: field === 'slices' ? slicesText(parseSlices(text)) : syncPointsText(parseSyncPoints(text)) };
}

function parseSlice(line: string): Slice | undefined {
  const [, from, to, name = ''] = SLICE.exec(line) ?? [];
  return from !== undefined && Number(to) > Number(from) ? { from: Number(from), to: Number(to), name } : undefined;
}

function linesOf(text: string): string[] {
  return text
    .split(/[\r\n]+/)
    .map((line) => line.trim())
    .filter((line) => line !== '');
}

/** Slices and sync points in one row, as chunks of marks hold them. */
export function marksOf(slices: string, syncPoints: string): Mark[] {
  const points = parseSyncPoints(syncPoints).map(({ at, name }) => ({ from: at, to: at, name }));
  return [...parseSlices(slices), ...points].sort(inOrder);
}

/** Marks as text, points among them: `FROM FROM NAME`. */
export function marksText(marks: readonly Mark[]): string {
  return slicesText(marks);
}

/** The marks of a text that `marksText` made; lines that are none are left out. */
export function parseMarks(text: string): Mark[] {
  return linesOf(text).flatMap((line) => {
    const [, from, to, name = ''] = SLICE.exec(line) ?? [];
    return from === undefined || Number(to) < Number(from) ? [] : [{ from: Number(from), to: Number(to), name }];
  });
}

/** The field's share of the text of marks: the parts, or the points. */
export function shareOfMarks(field: 'slices' | 'syncPoints', text: string): string {
  const marks = parseMarks(text);
  if (field === 'slices') return slicesText(marks.filter(({ from, to }) => to > from));
  return syncPointsText(marks.filter(({ from, to }) => to === from).map(({ from, name }) => ({ at: from, name })));
}
