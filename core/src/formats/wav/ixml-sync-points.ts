import { parseSyncPoints, syncPointsText } from '../../record/marks.ts';
import { childOf, escapeXml, parseXml, textOf, type XmlElement } from '../xml-document.ts';

/**
 * SYNC_POINT_LIST of iXML (from memory of its specification): each SYNC_POINT has a type, a function, a comment, and its sample in two halves of
 * 32 bits. Only those relative to the start of the file that mark a moment are sync points here; the others are kept as they are.
 */
const LIST = 'SYNC_POINT_LIST';
const NO_MOMENTS = ['PRE_RECORD_SAMPLECOUNT', 'GROUP_OFFSET'];

interface ReadPoint {
  at: number;
  name: string;
}

function pointOf(text: string, element: XmlElement): ReadPoint | undefined {
  const textIn = (name: string): string => {
    const child = childOf(element, name);
    return child ? textOf(text, child).trim() : '';
  };
  const [low, high] = [Number(textIn('SYNC_POINT_LOW') || NaN), Number(textIn('SYNC_POINT_HIGH') || 0)];
  const isMoment =
    element.name === 'SYNC_POINT' &&
    textIn('SYNC_POINT_TYPE').toUpperCase() !== 'ABSOLUTE' &&
    !NO_MOMENTS.includes(textIn('SYNC_POINT_FUNCTION').toUpperCase());
  const at = high * 2 ** 32 + low;
  return isMoment && Number.isSafeInteger(at) && at >= 0 ? { at, name: textIn('SYNC_POINT_COMMENT') } : undefined;
}

/** The sync points of a document as text (audio/marks.ts); empty when there are none. */
export function syncPointsIn(text: string, root: XmlElement): string {
  return syncPointsText((childOf(root, LIST)?.children ?? []).flatMap((child) => pointOf(text, child) ?? []));
}

/** The document with these sync points; those that it holds already, and what else stands in the list, keep their characters. */
export function withSyncPoints(text: string, wanted: string): string {
  const root = parseXml(text);
  if (syncPointsIn(text, root) === wanted) return text;
  const list = childOf(root, LIST);
  const points = (list?.children ?? []).filter(({ name }) => name === 'SYNC_POINT');
  const whole = (element: XmlElement): string => text.slice(element.start, element.end);
  const foreign = points.filter((element) => pointOf(text, element) === undefined).map(whole);
  const own = parseSyncPoints(wanted).map(({ at, name }) => {
    const same = points.find((element) => {
      const point = pointOf(text, element);
      return point?.at === at && point.name === name;
    });
    return same ? whole(same) : newPoint(at, name);
  });
  const all = [...foreign, ...own];
  const lines = [`<SYNC_POINT_COUNT>${all.length}</SYNC_POINT_COUNT>`, ...all];
  const insert = all.length === 0 ? '' : `<${LIST}>\n    ${lines.join('\n    ')}\n  </${LIST}>`;
  if (list) return text.slice(0, list.start) + insert + text.slice(list.end);
  return `${text.slice(0, root.innerEnd)}  ${insert}\n${text.slice(root.innerEnd)}`;
}

function newPoint(at: number, name: string): string {
  const elements = {
    TYPE: 'RELATIVE',
    FUNCTION: 'MARKER_GENERIC',
    COMMENT: escapeXml(name),
    LOW: at % 2 ** 32,
    HIGH: Math.floor(at / 2 ** 32),
    EVENT_DURATION: 0,
  };
  const inner = Object.entries(elements).map(([key, value]) => `<SYNC_POINT_${key}>${value}</SYNC_POINT_${key}>`);
  return `<SYNC_POINT>${inner.join('')}</SYNC_POINT>`;
}
