import type { Issue } from '../../errors.ts';
import { asciiOf, bytesOfAscii, concatBytes, viewOf } from '../byte-source.ts';
import { riffChunkBytes } from './riff-chunks.ts';
import type { FoundText } from '../field-places.ts';
import { decodeWithEvidence, type TextEncodingName } from '../text-encoding.ts';

/** One item of a LIST INFO chunk; the raw bytes are kept so that unknown and untouched items survive unchanged. */
export interface InfoItem {
  id: string;
  text: string;
  encoding: TextEncodingName;
  raw: Uint8Array;
  offsetBytes: number;
}

/** The items of a LIST chunk's contents when its type is INFO, else undefined. Offsets count from `baseOffset`. */
export function parseInfoList(
  contents: Uint8Array,
  baseOffset: number,
  littleEndian = true,
): { value: InfoItem[]; issues: Issue[] } | undefined {
  if (contents.length < 4 || asciiOf(contents.subarray(0, 4)) !== 'INFO') return undefined;
  const items: InfoItem[] = [];
  const issues: Issue[] = [];
  let at = 4;
  while (at + 8 <= contents.length) {
    const id = asciiOf(contents.subarray(at, at + 4));
    const declared = viewOf(contents).getUint32(at + 4, littleEndian);
    const size = Math.min(declared, contents.length - at - 8);
    if (declared > size) {
      const message = `INFO item “${id}” claims ${declared} bytes, ${size} are there.`;
      issues.push({ code: 'INFO_BEYOND_END', message, offsetBytes: baseOffset + at });
    }
    const raw = contents.slice(at + 8, at + 8 + size);
    items.push({ id, ...decodeWithEvidence(raw), raw, offsetBytes: baseOffset + at });
    at += 8 + size + (size % 2);
  }
  return { value: items, issues };
}

/** The texts by item, the first of each counting. */
export function infoTexts(items: readonly InfoItem[]): Map<string, FoundText> {
  return new Map(
    items.map(({ id, text, encoding, offsetBytes }) => [id, { text, encoding, offsetBytes }] as const).reverse(),
  );
}

/**
 * A LIST INFO chunk with the given texts set (an empty text removes its item). Items that are not named stay byte for byte and in
 * order; new ones follow. Undefined when nothing is left. Texts are written in UTF-8, NUL-terminated.
 */
export function writeInfoList(
  items: readonly InfoItem[],
  texts: ReadonlyMap<string, string>,
): Uint8Array<ArrayBuffer> | undefined {
  const done = new Set<string>();
  const parts: Uint8Array[] = [];
  const push = (id: string, text: string): void => {
    if (text !== '') parts.push(riffChunkBytes(id, concatBytes([new TextEncoder().encode(text), new Uint8Array(1)])));
  };
  for (const item of items) {
    const text = texts.get(item.id);
    if (text === undefined || text === item.text) parts.push(riffChunkBytes(item.id, item.raw));
    else if (!done.has(item.id)) push(item.id, text);
    done.add(item.id);
  }
  for (const [id, text] of texts) if (!done.has(id)) push(id, text);
  if (parts.length === 0) return undefined;
  return riffChunkBytes('LIST', concatBytes([bytesOfAscii('INFO'), ...parts]));
}
