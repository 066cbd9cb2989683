import { bytesOfAscii, concatBytes, viewOf } from '@flagstone/core/formats/byte-source';

/** Numbers from 0 up to but not including a limit, the same ones for the same seed (mulberry32, public domain). */
export function randomNumbers(seed: number): (limit: number) => number {
  let state = seed >>> 0;
  return (limit) => {
    state = (state + 0x6d2b79f5) >>> 0;
    let value = Math.imul(state ^ (state >>> 15), state | 1);
    value ^= value + Math.imul(value ^ (value >>> 7), value | 61);
    return ((value ^ (value >>> 14)) >>> 0) % limit;
  };
}

type Random = (limit: number) => number;
type Mutation = (bytes: Uint8Array, random: Random) => Uint8Array;

/** Sizes that lie: nothing, one, 64 kB, 2 and 4 GB. */
const LYING_SIZES = [0, 1, 7, 0xffff, 0xffffff, 0x7fffffff, 0x80000000, 0xffffffff];
/** Words that make parsers start something. */
const TOKENS = [
  'RIFF',
  'LIST',
  'INFO',
  'iXML',
  'bext',
  'ds64',
  'data',
  'fmt ',
  'FORM',
  'COMM',
  'SSND',
  'fLaC',
  'OggS',
  'ID3\x03\0\x80\x7f\x7f\x7f\x7f',
  'ID3\x04\0\xf0\0\0\0\x09',
  'TXXX',
  'CHAP',
  'TAG',
  'APETAGEX',
  'moov',
  'mdat',
  '<!DOCTYPE a [<!ENTITY b "c">]>',
  '&b;&#x110000;',
  '<a>'.repeat(200),
  '<a b="',
  '<![CDATA[',
  '<!--',
  ']]>',
];

const MUTATIONS: Mutation[] = [
  // Bits.
  (bytes, random) => {
    const copy = bytes.slice();
    for (let count = 1 + random(8); count > 0; count -= 1) {
      const at = random(copy.length);
      copy[at] = (copy[at] ?? 0) ^ (1 << random(8));
    }
    return copy;
  },
  // Bytes.
  (bytes, random) => {
    const copy = bytes.slice();
    for (let count = 1 + random(8); count > 0; count -= 1) copy[random(copy.length)] = random(256);
    return copy;
  },
  // Cut short.
  (bytes, random) => bytes.slice(0, 1 + random(bytes.length)),
  // Sizes that lie, in either byte order.
  (bytes, random) => {
    const copy = bytes.slice();
    if (copy.length >= 4)
      viewOf(copy).setUint32(random(copy.length - 3), LYING_SIZES[random(LYING_SIZES.length)] ?? 0, random(2) === 0);
    return copy;
  },
  // A part again, so that chunks stand in chunks and twice.
  (bytes, random) => {
    const from = random(bytes.length);
    const part = bytes.subarray(from, from + 1 + random(300));
    const at = random(bytes.length);
    return concatBytes([
      bytes.subarray(0, at),
      ...Array.from({ length: 1 + random(12) }, () => part),
      bytes.subarray(at),
    ]);
  },
  // A part less.
  (bytes, random) => {
    const at = random(bytes.length);
    return concatBytes([bytes.subarray(0, at), bytes.subarray(at + 1 + random(40)), Uint8Array.of(0)]);
  },
  // A word where none belongs, over what is there or between.
  (bytes, random) => {
    const token = bytesOfAscii(TOKENS[random(TOKENS.length)] ?? '');
    const at = random(bytes.length);
    return concatBytes([bytes.subarray(0, at), token, bytes.subarray(at + (random(2) === 0 ? token.length : 0))]);
  },
];

/** A file with one to four mutations, the same for the same seed. Never empty. */
export function mutate(seed: Uint8Array, random: Random): Uint8Array {
  let bytes = seed;
  for (let count = 1 + random(4); count > 0; count -= 1) {
    const mutation = MUTATIONS[random(MUTATIONS.length)];
    if (mutation && bytes.length > 0) bytes = mutation(bytes, random);
  }
  return bytes.length > 0 ? bytes : Uint8Array.of(0);
}
