import { marksText, type Mark } from '../../record/marks.ts';
import { concatBytes, viewOf } from '../byte-source.ts';
import { decodeText } from '../text-encoding.ts';

/**
 * The marker chunk, AIFF 1.3 p. 11: positions with a number and a name, in any order. It knows no lengths: a part is two markers, one after the
 * other, the second named like the first with ` end` behind it (our own way; other programs see two markers). Points follow all parts, the last
 * one first, so that no two of them are taken for a part.
 */
interface Marker {
  id: number;
  frame: number;
  name: string;
}

const MOST_FRAME = 0xffffffff;
const MOST_MARKERS = 0x7fff;
const endName = (name: string): string => `${name} end`.trim();

function markersOf(contents: Uint8Array): Marker[] {
  if (contents.length < 2) return [];
  const view = viewOf(contents);
  const markers: Marker[] = [];
  let at = 2;
  for (let count = view.getUint16(0); count > 0 && at + 7 <= contents.length; count -= 1) {
    const length = contents[at + 6] ?? 0;
    const name = decodeText(contents.subarray(at + 7, at + 7 + length)).trim();
    markers.push({ id: view.getUint16(at), frame: view.getUint32(at + 2), name });
    // The name with its byte of length is padded to an even number of bytes.
    at += 7 + length + ((length + 1) % 2);
  }
  return markers;
}

/** The marks of a file as text (audio/marks.ts). */
export function aiffMarks(contents: Uint8Array): string {
  const markers = markersOf(contents);
  const marks: Mark[] = [];
  for (let index = 0; index < markers.length; index += 1) {
    const { frame, name } = markers[index] as Marker;
    const next = markers[index + 1];
    const isPart = next !== undefined && next.frame > frame && next.name === endName(name);
    marks.push({ from: frame, to: isPart ? next.frame : frame, name });
    if (isPart) index += 1;
  }
  return marksText(marks);
}

/** The contents with other marks; undefined when none is left. Markers that stay where they are keep their numbers, which loops point at. */
export function writeAiffMarks(earlier: Uint8Array | undefined, marks: readonly Mark[]): Uint8Array | undefined {
  const held = earlier ? markersOf(earlier) : [];
  let next = held.reduce((most, { id }) => Math.max(most, id), 0) + 1;
  const holdable = marks.filter(({ to }) => to <= MOST_FRAME);
  const parts = holdable.filter(({ from, to }) => to > from);
  const points = holdable.filter(({ from, to }) => to === from).reverse();
  const wanted = [...parts, ...points]
    .flatMap(({ from, to, name }) => [
      { frame: from, name },
      ...(to > from ? [{ frame: to, name: endName(name) }] : []),
    ])
    .slice(0, MOST_MARKERS);
  if (wanted.length === 0) return undefined;
  const bytes = wanted.map(({ frame, name }) => {
    const index = held.findIndex((each) => each.frame === frame && each.name === name);
    const [same] = index < 0 ? [] : held.splice(index, 1);
    const text = new TextEncoder().encode(name);
    const marker = new Uint8Array(7 + text.length + ((text.length + 1) % 2));
    const view = viewOf(marker);
    view.setUint16(0, same?.id ?? next++);
    view.setUint32(2, frame);
    marker[6] = text.length;
    marker.set(text, 7);
    return marker;
  });
  const count = new Uint8Array(2);
  viewOf(count).setUint16(0, wanted.length);
  return concatBytes([count, ...bytes]);
}
