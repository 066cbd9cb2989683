import { concatBytes, bytesOfAscii, viewOf } from '../byte-source.ts';
import type { FoundText } from '../field-places.ts';
import { decodeText, fittedAscii, toAscii } from '../text-encoding.ts';

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
  /** SMPTE ST 330 in hexadecimal; empty when all bytes are zero or the version is 0. */
  umid: string;
  /** Version 2 only: LUFS, LU, dBTP, LUFS, LUFS; absent where the field says that it holds nothing. */
  loudness: Partial<Record<LoudnessField, number>>;
  codingHistory: string;
}

/** The order in which the loudness fields stand, EBU Tech 3285 v2 §2.3, each a signed 16-bit number of hundredths. */
export const LOUDNESS_FIELDS = [
  'integratedLufs',
  'rangeLu',
  'maxTruePeakDbtp',
  'maxMomentaryLufs',
  'maxShortTermLufs',
] as const;
export type LoudnessField = (typeof LOUDNESS_FIELDS)[number];
/** "If any loudness parameter is not being used then its 16-bit value shall be set to 0x7FFF", EBU Tech 3285 v2 §2.3. */
const LOUDNESS_UNUSED = 0x7fff;

/** The chunk's fields; a chunk shorter than its fixed part is read as if it were filled up with zeros. */
export function parseBext(contents: Uint8Array): BroadcastExtension {
  const bytes =
    contents.length >= FIXED_BYTES ? contents : concatBytes([contents, new Uint8Array(FIXED_BYTES - contents.length)]);
  const text = (field: keyof typeof BEXT_LAYOUT): string => {
    const [start, length] = BEXT_LAYOUT[field];
    return decodeText(bytes.subarray(start, start + length)).trim();
  };
  const view = viewOf(bytes);
  const version = view.getUint16(BEXT_LAYOUT.version[0], true);
  return {
    description: text('description'),
    originator: text('originator'),
    originatorReference: text('originatorReference'),
    originationDate: text('originationDate'),
    originationTime: text('originationTime'),
    timeReference: Number(view.getBigUint64(BEXT_LAYOUT.timeReference[0], true)),
    version,
    umid: version === 0 ? '' : hexOf(bytes.subarray(BEXT_LAYOUT.umid[0], BEXT_LAYOUT.umid[0] + BEXT_LAYOUT.umid[1])),
    loudness: version < 2 ? {} : loudnessOf(view),
    codingHistory: decodeText(bytes.subarray(FIXED_BYTES)),
  };
}

function hexOf(bytes: Uint8Array): string {
  if (bytes.every((byte) => byte === 0)) return '';
  return Array.from(bytes, (byte) => byte.toString(16).padStart(2, '0')).join('');
}

function loudnessOf(view: DataView): BroadcastExtension['loudness'] {
  const values = LOUDNESS_FIELDS.map(
    (name, index) => [name, view.getInt16(BEXT_LAYOUT.loudness[0] + index * 2, true)] as const,
  );
  return Object.fromEntries(
    values.filter(([, value]) => value !== LOUDNESS_UNUSED).map(([name, value]) => [name, value / 100]),
  );
}

/** The text fields that Flagstone sets; absent ones stay as they are. */
export type BextChanges = Partial<
  Pick<
    BroadcastExtension,
    'description' | 'originator' | 'originationDate' | 'originationTime' | 'codingHistory' | 'timeReference'
  >
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
    fixed.set(bytesOfAscii(fittedAscii(text, length)), start);
  }
  if (changes.timeReference !== undefined)
    viewOf(fixed).setBigUint64(BEXT_LAYOUT.timeReference[0], BigInt(changes.timeReference), true);
  const history =
    changes.codingHistory === undefined ? earlier?.subarray(FIXED_BYTES) : bytesOfAscii(toAscii(changes.codingHistory));
  return concatBytes([fixed, history ?? new Uint8Array(0)]);
}

const FULL_DATE = /^\d{4}-\d{2}-\d{2}$/;
const FULL_TIME = /^\d{2}:\d{2}:\d{2}$/;
const DATE_TIME = /^(\d{4}-\d{2}-\d{2})(?:[T ](\d{2}:\d{2}:\d{2}))?$/;

/** The texts of the chunk as places: date and time together stand under originationDate. */
export function bextTexts(bext: BroadcastExtension, offsetBytes: number): Map<string, FoundText> {
  const at = (field: keyof typeof BEXT_LAYOUT, text: string): [string, FoundText] => [
    field,
    { text, offsetBytes: offsetBytes + BEXT_LAYOUT[field][0] },
  ];
  return new Map([
    at('description', bext.description),
    at('originator', bext.originator),
    at('originationDate', recordedOnFromBext(bext) ?? ''),
    at('originatorReference', bext.originatorReference),
    at('codingHistory', bext.codingHistory),
  ]);
}

/** The recording's date, with its time when there is one, from the two fields; undefined when no real date stands there. */
export function recordedOnFromBext(
  bext: Pick<BroadcastExtension, 'originationDate' | 'originationTime'>,
): string | undefined {
  // The separators that EBU Tech 3285 §2.3 allows.
  const date = bext.originationDate.replace(/^(\d{4})[_:. /](\d{2})[_:. /](\d{2})$/, '$1-$2-$3');
  const time = bext.originationTime.replace(/^(\d{2})[_. -](\d{2})[_. -](\d{2})$/, '$1:$2:$3');
  if (!FULL_DATE.test(date) || date.startsWith('0000')) return undefined;
  return FULL_TIME.test(time) ? `${date}T${time}` : date;
}

/** What the date and time fields hold for a recording date; both empty when it is no full date. */
export function bextDate(recordedOn: string): { originationDate: string; originationTime: string } {
  const match = DATE_TIME.exec(recordedOn);
  return { originationDate: match?.[1] ?? '', originationTime: match?.[2] ?? '' };
}
