import { AppError } from '../../errors.ts';

/** Raised when a definition changes: fingerprints of two versions are not compared. */
export const FINGERPRINT_VERSION = 1;
export const WORD_BITS = 32;
/** Of a word after the one before: as Haitsma and Kalker, 0.37 s over 32. */
export const HOP_SECONDS = 0.0116;
/** Of 10 s: what a recording is shows in its beginning. */
export const MOST_WORDS = 862;
/** Words by which a recording is looked for. */
export const MOST_ROBUST = 64;
/** Of these, as many as are kept to be found by, and of which the weakest bits are known. */
export const MOST_VARIED = 32;
/** Of these, as many as are looked for with one of their weakest bits turned. */
const MOST_TURNED = 16;
const WEAKEST_BITS = 3;

export interface Fingerprint {
  /** From the first to the last moment less than 45 dB below the loudest, seconds. */
  heardSeconds: number;
  /** The middle of the power from about 200 to 4,000 Hz. */
  centreHz: number;
  /** One every HOP_SECONDS from where the recording is heard first. */
  words: Uint32Array;
  /** Places of different words, those first whose bits are most certain. */
  robust: Uint16Array;
  /** The three least certain bits of each of the first MOST_VARIED of these, 5 binary digits each. */
  weakest: Uint16Array;
}

/** Three numbers below 32 as one. */
export function packedBits(bits: readonly number[]): number {
  return bits.reduce((packed, bit, place) => packed | (bit << (5 * place)), 0);
}

/** The words by which a recording is found: its most certain ones. */
export function keysOf({ words, robust }: Fingerprint): number[] {
  return Array.from(robust.subarray(0, MOST_VARIED), (place) => words[place] as number);
}

/** How many turns a recording is looked for in. */
export const TURNS_OF_KEYS = 3;

/**
 * The words with which a recording is looked for in a turn, until it is found: those by which it would be found (0); the next most certain ones (1); the first with one of their
 * weakest bits turned, all of them where a short recording has few words (2).
 */
export function keysOfTurn(print: Fingerprint, turn: number): number[] {
  if (turn === 0) return keysOf(print);
  if (turn === 1) return Array.from(print.robust.subarray(MOST_VARIED), (place) => print.words[place] as number);
  const isShort = print.robust.length < MOST_ROBUST;
  const turned = new Set<number>();
  print.weakest.subarray(0, isShort ? MOST_VARIED : MOST_TURNED).forEach((packed, index) => {
    const word = print.words[print.robust[index] as number] as number;
    for (const mask of weakestMasks(packed)) turned.add((word ^ mask) >>> 0);
  });
  return [...turned];
}

/** Each of the most certain words with all combinations of its three weakest bits turned, itself first. */
export function variantsOf({ words, robust, weakest }: Fingerprint): { place: number; words: number[] }[] {
  return Array.from(weakest, (packed, index) => {
    const place = robust[index] as number;
    const masks = weakestMasks(packed);
    const varied = Array.from({ length: 2 ** WEAKEST_BITS }, (_, turned) =>
      masks.reduce((word, mask, bit) => (turned & (1 << bit) ? word ^ mask : word) >>> 0, words[place] as number),
    );
    return { place, words: varied };
  });
}

/** The three least certain bits of a word, each as a word that turns it. */
function weakestMasks(packed: number): number[] {
  return Array.from({ length: WEAKEST_BITS }, (_, bit) => 1 << ((packed >> (5 * bit)) & 31));
}

const HEADER_BYTES = 12;

/** A fingerprint as bytes, little-endian: version (1 byte), how many places have weak bits (1), robust places (2), words (2), the centre in eighths of a Hz (2), heard milliseconds (4); then these three, 2, 2 and 4 bytes each. */
export function fingerprintBytes({ heardSeconds, centreHz, words, robust, weakest }: Fingerprint): Uint8Array {
  const bytes = new Uint8Array(HEADER_BYTES + 2 * (weakest.length + robust.length) + 4 * words.length);
  const view = new DataView(bytes.buffer);
  view.setUint8(0, FINGERPRINT_VERSION);
  view.setUint8(1, weakest.length);
  view.setUint16(2, robust.length, true);
  view.setUint16(4, words.length, true);
  view.setUint16(6, Math.min(0xffff, Math.round(centreHz * 8)), true);
  view.setUint32(8, Math.min(0xffffffff, Math.round(heardSeconds * 1000)), true);
  let at = HEADER_BYTES;
  for (const numbers of [weakest, robust])
    for (const each of numbers) {
      view.setUint16(at, each, true);
      at += 2;
    }
  for (const word of words) {
    view.setUint32(at, word, true);
    at += 4;
  }
  return bytes;
}

/** Reads what fingerprintBytes wrote. Throws FORMAT_DAMAGED for anything else, also of another version. */
export function readFingerprint(bytes: Uint8Array): Fingerprint {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const refuse = (): never => {
    throw new AppError('FORMAT_DAMAGED', 'This is not a fingerprint that this version of Flagstone can read.');
  };
  if (bytes.length < HEADER_BYTES || view.getUint8(0) !== FINGERPRINT_VERSION) return refuse();
  const [varied, robustCount, wordCount] = [view.getUint8(1), view.getUint16(2, true), view.getUint16(4, true)];
  const isWithin =
    varied <= MOST_VARIED && varied <= robustCount && robustCount <= MOST_ROBUST && wordCount <= MOST_WORDS;
  if (!isWithin || bytes.length !== HEADER_BYTES + 2 * (varied + robustCount) + 4 * wordCount) return refuse();
  const weakestAt = HEADER_BYTES;
  const robustAt = weakestAt + 2 * varied;
  const wordsAt = robustAt + 2 * robustCount;
  const weakest = Uint16Array.from({ length: varied }, (_, index) => view.getUint16(weakestAt + 2 * index, true));
  const robust = Uint16Array.from({ length: robustCount }, (_, index) => view.getUint16(robustAt + 2 * index, true));
  const words = Uint32Array.from({ length: wordCount }, (_, index) => view.getUint32(wordsAt + 4 * index, true));
  if (robust.some((place) => place >= wordCount)) return refuse();
  const [heardSeconds, centreHz] = [view.getUint32(8, true) / 1000, view.getUint16(6, true) / 8];
  return { heardSeconds, centreHz, words, robust, weakest };
}
