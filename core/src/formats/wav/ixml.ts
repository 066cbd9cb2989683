import type { Issue } from '../../errors.ts';
import { FormatError } from '../../errors.ts';
import { decodeWindows1252, withoutFilling } from '../text-encoding.ts';
import { syncPointsIn, withSyncPoints } from './ixml-sync-points.ts';
import { childOf, editXml, parseXml, textOf, type XmlChanges, type XmlElement } from '../xml-document.ts';

/**
 * The iXML chunk (iXML specification; element names from memory of it) with its ASWG block (game audio metadata, likewise from
 * memory). Element `FLAGSTONE` holds the fields for which no published element exists.
 */
export interface IxmlTexts {
  /** The tracks of TRACK_LIST that are named: their channel in this file, from 1, and their name. */
  tracks: IxmlTrack[];
  /** Texts of the root's own elements and of its groups, as `NOTE` or `ASWG/fxName`. */
  texts: Map<string, string>;
}

export interface IxmlTrack {
  channel: number;
  name: string;
}

/** The chunk's text: a byte order mark decides between UTF-16 and UTF-8, and what is no valid UTF-8 is taken as Windows-1252; trailing NULs of padding are dropped. */
export function decodeIxml(contents: Uint8Array): string {
  const encoding =
    contents[0] === 0xff && contents[1] === 0xfe
      ? 'utf-16le'
      : contents[0] === 0xfe && contents[1] === 0xff
        ? 'utf-16be'
        : 'utf-8';
  let text: string;
  try {
    text = new TextDecoder(encoding, { fatal: true }).decode(contents);
  } catch {
    text = encoding === 'utf-8' ? decodeWindows1252(contents) : new TextDecoder(encoding).decode(contents);
  }
  return withoutFilling(text);
}

/** Every text of the document that Flagstone knows; a document that is not well-formed gives none, and an issue. */
export function parseIxml(contents: Uint8Array, offsetBytes: number): { value: IxmlTexts; issues: Issue[] } {
  const text = decodeIxml(contents);
  const texts = new Map<string, string>();
  try {
    const root = parseXml(text);
    const add = (key: string, element: XmlElement): void => {
      if (element.children.length === 0 && !texts.has(key)) texts.set(key, textOf(text, element));
    };
    for (const group of root.children) {
      add(group.name, group);
      for (const child of group.children) add(`${group.name}/${child.name}`, child);
    }
    const syncPoints = syncPointsIn(text, root);
    if (syncPoints !== '') texts.set('SYNC_POINT_LIST', syncPoints);
    return { value: { texts, tracks: tracksOf(text, childOf(root, 'TRACK_LIST')) }, issues: [] };
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    return {
      value: { texts, tracks: [] },
      issues: [{ code: 'IXML_INVALID', message: `The iXML chunk: ${error.message}`, offsetBytes }],
    };
  }
}

/**
 * The named tracks: INTERLEAVE_INDEX is the channel in this file, CHANNEL_INDEX the one in the recorder, which is the same where only that
 * stands there. A track without a name is called by its FUNCTION.
 */
function tracksOf(text: string, list: XmlElement | undefined): IxmlTrack[] {
  const textIn = (track: XmlElement, name: string): string => {
    const element = childOf(track, name);
    return element ? textOf(text, element).trim() : '';
  };
  return (list?.children ?? []).flatMap((track) => {
    const channel = Number(textIn(track, 'INTERLEAVE_INDEX') || textIn(track, 'CHANNEL_INDEX'));
    const name = textIn(track, 'NAME') || textIn(track, 'FUNCTION');
    return track.name === 'TRACK' && Number.isInteger(channel) && channel > 0 && name !== '' ? [{ channel, name }] : [];
  });
}

const NEW_DOCUMENT =
  '<?xml version="1.0" encoding="UTF-8"?>\n<BWFXML>\n  <IXML_VERSION>3.01</IXML_VERSION>\n</BWFXML>\n';

/**
 * The chunk's contents with the texts set by their paths (empty removes), in UTF-8. Elements and comments that Flagstone does not
 * know keep their characters. Throws FormatError when the earlier document is not well-formed.
 */
export function writeIxml(
  earlier: Uint8Array | undefined,
  paths: ReadonlyMap<string, string>,
): Uint8Array<ArrayBuffer> {
  const groups = new Map<string, Map<string, string>>();
  const texts = new Map<string, string>();
  for (const [path, value] of paths) {
    const [group, name] = path.split('/');
    if (path === 'SYNC_POINT_LIST') continue;
    if (name === undefined) texts.set(path, value);
    else groups.set(group ?? '', (groups.get(group ?? '') ?? new Map<string, string>()).set(name, value));
  }
  const changes: XmlChanges = { texts, groups };
  const document = earlier && earlier.length > 0 ? decodeIxml(earlier) : NEW_DOCUMENT;
  const declared = document.replace(/^(\s*<\?xml[^>]*encoding=)(["'])[^"']*\2/, '$1$2UTF-8$2');
  const syncPoints = paths.get('SYNC_POINT_LIST');
  const edited = editXml(declared, changes);
  return new TextEncoder().encode(syncPoints === undefined ? edited : withSyncPoints(edited, syncPoints));
}
