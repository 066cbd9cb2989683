import { concatBytes, bytesOfAscii, viewOf } from './byte-source.ts';
import { cutAtWord, decodeText, toAscii } from './text-encoding.ts';

/**
 * The broadcast extension chunk `bext`, EBU Tech 3285 version 2 §2.3: fixed fields of 602 bytes, then CodingHistory. Field offsets
 * and lengths in bytes.
 */
export const BEXT_LAYOUT = {
  description: [0, 256],
  originator: [256, 32],
  originatorReference: [288, 32],
  originationDate: [320, 10],
  originationTime: [330, 8],
  timeReference: [338, 8],
  version: [346, 2],
  umid: [348, 64],
  loudness: [412, 10],
  reserved: [422, 180],
  codingHistory: [602, 0],
} as const;

const FIXED_BYTES = 602;

export interface BroadcastExtension {
  description: string;
  originator: string;
  originatorReference: string;
  /** yyyy-mm-dd as it stands. */
  originationDate: string;
  /** hh:mm:ss as it stands. */
  originationTime: string;
  /** Samples since midnight. */
  timeReference: number;
  version: number;
  codingHistory: string;
}

/** The chunk's fields; a chunk shorter than its fixed part is read as if it were filled up with zeros. */
export function parseBext(contents: Uint8Array): BroadcastExtension {
  const bytes =
    contents.length >= FIXED_BYTES ? contents : concatBytes([contents, new Uint8Array(FIXED_BYTES - contents.length)]);
  const text = (field: keyof typeof BEXT_LAYOUT): string => {
    const [start, length] = BEXT_LAYOUT[field];
    return decodeText(bytes.subarray(start, start + length)).trim();
  };
  const view = viewOf(bytes);
  return {
    description: text('description'),
    originator: text('originator'),
    originatorReference: text('originatorReference'),
    originationDate: text('originationDate'),
    originationTime: text('originationTime'),
    timeReference: Number(view.getBigUint64(BEXT_LAYOUT.timeReference[0], true)),
    version: view.getUint16(BEXT_LAYOUT.version[0], true),
    codingHistory: decodeText(bytes.subarray(FIXED_BYTES)),
  };
}

/** The text fields that Flagstone sets; absent ones stay as they are. */
export type BextChanges = Partial<
  Pick<BroadcastExtension, 'description' | 'originator' | 'originationDate' | 'originationTime' | 'codingHistory'>
>;

/**
 * The contents of a bext chunk with the changes made in an earlier chunk's bytes, or in a new chunk of version 1. Texts become
 * ASCII as the standard asks and are cut at a word to fit; everything else keeps its bytes.
 */
export function writeBext(earlier: Uint8Array | undefined, changes: BextChanges): Uint8Array<ArrayBuffer> {
  const fixed = new Uint8Array(FIXED_BYTES);
  if (earlier) fixed.set(earlier.subarray(0, FIXED_BYTES));
  else viewOf(fixed).setUint16(BEXT_LAYOUT.version[0], 1, true);
  for (const field of ['description', 'originator', 'originationDate', 'originationTime'] as const) {
    const text = changes[field];
    if (text === undefined) continue;
    const [start, length] = BEXT_LAYOUT[field];
    fixed.fill(0, start, start + length);
    fixed.set(bytesOfAscii(cutAtWord(toAscii(text), length)), start);
  }
  const history =
    changes.codingHistory === undefined ? earlier?.subarray(FIXED_BYTES) : bytesOfAscii(toAscii(changes.codingHistory));
  return concatBytes([fixed, history ?? new Uint8Array(0)]);
}

/** The text as it fits a bext field of `length` bytes; to compare a cut copy with the full text. */
export function fittedToBext(text: string, length: number): string {
  return cutAtWord(toAscii(text), length);
}
