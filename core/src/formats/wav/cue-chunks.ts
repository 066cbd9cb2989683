import { marksText, type Mark } from '../../record/marks.ts';
import { asciiOf, bytesOfAscii, concatBytes, viewOf } from '../byte-source.ts';
import { decodeText } from '../text-encoding.ts';

/**
 * Marks in RIFF (Microsoft and IBM, “Multimedia Programming Interface and Data Specifications 1.0”, cue-points chunk and associated data list):
 * `cue ` holds positions, `LIST adtl` their labels (`labl`), notes, and the lengths of regions (`ltxt`).
 */
export interface CueChunks {
  cue: Uint8Array | undefined;
  /** The contents of each LIST adtl, with their four letters of type. */
  lists: readonly Uint8Array[];
}

interface CuePoint {
  id: number;
  frame: number;
}

interface ListItem {
  kind: string;
  id: number;
  /** What follows the number of the cue point. */
  rest: Uint8Array;
}

const POINT_BYTES = 24;
const TEXT_HEADER_BYTES = 16;
const REGION = 'rgn ';
const MOST_FRAME = 0xffffffff;

function pointsOf(cue: Uint8Array | undefined): CuePoint[] {
  if (!cue || cue.length < 4) return [];
  const view = viewOf(cue);
  const count = Math.min(view.getUint32(0, true), Math.floor((cue.length - 4) / POINT_BYTES));
  return Array.from({ length: count }, (_, index) => {
    const at = 4 + index * POINT_BYTES;
    return { id: view.getUint32(at, true), frame: view.getUint32(at + 20, true) };
  });
}

function itemsOf(list: Uint8Array): ListItem[] {
  const items: ListItem[] = [];
  const view = viewOf(list);
  for (let at = 4; at + 12 <= list.length;) {
    const size = Math.min(view.getUint32(at + 4, true), list.length - at - 8);
    if (size >= 4)
      items.push({
        kind: asciiOf(list.subarray(at, at + 4)),
        id: view.getUint32(at + 8, true),
        rest: list.subarray(at + 12, at + 8 + size),
      });
    at += 8 + size + (size % 2);
  }
  return items;
}

/** A mark with the number of its cue point. */
function readMarks({ cue, lists }: CueChunks): (Mark & { id: number })[] {
  const items = lists.flatMap(itemsOf);
  return pointsOf(cue).map(({ id, frame }) => {
    const label = items.find((item) => item.kind === 'labl' && item.id === id);
    const region = items.find((item) => item.kind === 'ltxt' && item.id === id && item.rest.length >= 4);
    const length = region ? viewOf(region.rest).getUint32(0, true) : 0;
    return { id, from: frame, to: frame + length, name: label ? decodeText(label.rest).trim() : '' };
  });
}

/** The marks of a file as text (audio/marks.ts): cue points that have a length are parts, the others points. */
export function cueMarks(chunks: CueChunks): string {
  return marksText(readMarks(chunks));
}

/**
 * The contents of both chunks with other marks; undefined for a chunk that would hold nothing. Cue points that stay where they are keep their
 * numbers and whatever else is said of them. What lies beyond 2^32 frames cannot be held.
 */
export function writeCueMarks(earlier: CueChunks, marks: readonly Mark[]): { cue?: Uint8Array; list?: Uint8Array } {
  const held = readMarks(earlier);
  let next = held.reduce((most, { id }) => Math.max(most, id), 0) + 1;
  const free = [...held];
  const numbered = marks
    .filter(({ to }) => to <= MOST_FRAME)
    .map((mark) => {
      const isSame = (each: Mark): boolean => each.from === mark.from && each.to === mark.to;
      const index = [free.findIndex(isSame), free.findIndex(({ from }) => from === mark.from)].find((at) => at >= 0);
      const [same] = index === undefined ? [] : free.splice(index, 1);
      return { ...mark, id: same?.id ?? next++ };
    });
  if (numbered.length === 0) return {};
  const cue = new Uint8Array(4 + numbered.length * POINT_BYTES);
  const view = viewOf(cue);
  view.setUint32(0, numbered.length, true);
  numbered.forEach(({ id, from }, index) => {
    const at = 4 + index * POINT_BYTES;
    view.setUint32(at, id, true);
    view.setUint32(at + 4, from, true);
    cue.set(bytesOfAscii('data'), at + 8);
    view.setUint32(at + 20, from, true);
  });
  const items = earlier.lists.flatMap(itemsOf);
  // Labels first: libsndfile reads none behind the first region.
  const list = [
    ...numbered.flatMap(({ id, name }) =>
      name === '' ? [] : [itemBytes('labl', id, new TextEncoder().encode(`${name}\0`))],
    ),
    ...numbered.flatMap((mark) => regionOf(mark, items)),
    ...items
      .filter(({ kind, id }) => kind !== 'labl' && kind !== 'ltxt' && numbered.some((mark) => mark.id === id))
      .map(({ kind, id, rest }) => itemBytes(kind, id, rest)),
  ];
  return { cue, ...(list.length > 0 ? { list: concatBytes([bytesOfAscii('adtl'), ...list]) } : {}) };
}

/** The length of a part; what else stood beside its length stays. */
function regionOf({ id, from, to }: Mark & { id: number }, items: readonly ListItem[]): Uint8Array[] {
  if (to === from) return [];
  const earlier = items.find((item) => item.id === id && item.kind === 'ltxt' && item.rest.length >= TEXT_HEADER_BYTES);
  const text = earlier?.rest.slice() ?? new Uint8Array(TEXT_HEADER_BYTES);
  viewOf(text).setUint32(0, to - from, true);
  if (!earlier) text.set(bytesOfAscii(REGION), 4);
  return [itemBytes('ltxt', id, text)];
}

function itemBytes(kind: string, id: number, rest: Uint8Array): Uint8Array {
  const head = new Uint8Array(12);
  head.set(bytesOfAscii(kind));
  viewOf(head).setUint32(4, rest.length + 4, true);
  viewOf(head).setUint32(8, id, true);
  return concatBytes([head, rest, new Uint8Array(rest.length % 2)]);
}
