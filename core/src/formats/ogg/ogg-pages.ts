import { FormatError } from '../../errors.ts';
import { asciiOf, bytesOfAscii, concatBytes, viewOf, type ByteSource } from '../byte-source.ts';

/** Ogg pages, RFC 3533 §6: a header of 27 bytes, a table of lacing values, the segments' bytes. */
export interface OggPage {
  offset: number;
  /** 1 continued packet, 2 first page of a stream, 4 last page. */
  flags: number;
  /** End position of the last packet that ends here, in samples of the codec; undefined when none ends here (all bits set). */
  granule: number | undefined;
  serial: number;
  sequence: number;
  lacing: Uint8Array;
  headerBytes: number;
  bodyBytes: number;
}

const FIXED_BYTES = 27;
/** 255 segments of 255 bytes. */
const MAX_PAGE_BODY_BYTES = 255 * 255;
export const MAX_PAGE_BYTES = FIXED_BYTES + 255 + MAX_PAGE_BODY_BYTES;

/** The page whose header stands in the bytes at an index; undefined when none does or it is cut short. */
export function parseOggPage(bytes: Uint8Array, at: number, baseOffset: number): OggPage | undefined {
  if (at + FIXED_BYTES > bytes.length || asciiOf(bytes.subarray(at, at + 4)) !== 'OggS' || bytes[at + 4] !== 0)
    return undefined;
  const view = viewOf(bytes);
  const count = bytes[at + 26] ?? 0;
  if (at + FIXED_BYTES + count > bytes.length) return undefined;
  const lacing = bytes.slice(at + FIXED_BYTES, at + FIXED_BYTES + count);
  const granule = view.getBigInt64(at + 6, true);
  return {
    offset: baseOffset + at,
    flags: bytes[at + 5] ?? 0,
    granule: granule < 0n ? undefined : Number(granule),
    serial: view.getUint32(at + 14, true),
    sequence: view.getUint32(at + 18, true),
    lacing,
    headerBytes: FIXED_BYTES + count,
    bodyBytes: lacing.reduce((total, length) => total + length, 0),
  };
}

/** The page at an offset. Throws FORMAT_DAMAGED when none stands there. */
export async function readOggPage(source: ByteSource, offset: number): Promise<OggPage> {
  const page = parseOggPage(await source.read(offset, FIXED_BYTES + 255), 0, offset);
  if (!page) throw new FormatError('FORMAT_DAMAGED', 'Ogg', `At byte ${offset} no Ogg page begins.`, offset);
  return page;
}

const CRC_TABLE = Uint32Array.from({ length: 256 }, (_, index) => {
  let value = index << 24;
  for (let bit = 0; bit < 8; bit += 1) value = value & 0x80000000 ? (value << 1) ^ 0x04c11db7 : value << 1;
  return value;
});

/** The checksum of a page whose checksum field is zero, RFC 3533 §6: polynomial 0x04c11db7, start 0, no reflection. */
export function oggChecksum(bytes: Uint8Array): number {
  let crc = 0;
  for (const byte of bytes) crc = (crc << 8) ^ (CRC_TABLE[((crc >>> 24) ^ byte) & 0xff] ?? 0);
  return crc >>> 0;
}

/** A page's bytes with its checksum. */
export function oggPageBytes(
  head: Pick<OggPage, 'flags' | 'granule' | 'serial' | 'sequence'>,
  lacing: Uint8Array,
  body: Uint8Array,
): Uint8Array<ArrayBuffer> {
  const fixed = new Uint8Array(FIXED_BYTES);
  fixed.set(bytesOfAscii('OggS'));
  const view = viewOf(fixed);
  fixed[5] = head.flags;
  view.setBigInt64(6, head.granule === undefined ? -1n : BigInt(head.granule), true);
  view.setUint32(14, head.serial, true);
  view.setUint32(18, head.sequence, true);
  fixed[26] = lacing.length;
  const page = concatBytes([fixed, lacing, body]);
  viewOf(page).setUint32(22, oggChecksum(page), true);
  return page;
}
