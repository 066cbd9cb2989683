import { viewOf, type ByteSource } from '../byte-source.ts';

/** Bytes at the end in which a frame's header is looked for; frames of ordinary files have less. */
const TAIL_BYTES = 256 * 1024;
const MOST_HEADER_BYTES = 16;
/** Samples of a block by its code, RFC 9639 §9.1.1; 6 and 7 stand behind the number, 0 is reserved. */
const BLOCK_SAMPLES = [0, 192, 576, 1152, 2304, 4608, 0, 0, 256, 512, 1024, 2048, 4096, 8192, 16384, 32768];

/**
 * Where the last frame of a FLAC stream ends, in samples, by its header (RFC 9639 §9.1): for files whose STREAMINFO does not say. `blockSamples` is the
 * block size of STREAMINFO, by which frames are numbered when all have the same. Undefined when no header stands near the end.
 */
export async function samplesByLastFrame(
  source: ByteSource,
  framesOffset: number,
  blockSamples: number,
): Promise<number | undefined> {
  const start = Math.max(framesOffset, source.sizeBytes - TAIL_BYTES);
  const bytes = await source.read(start, source.sizeBytes - start);
  for (let at = bytes.length - 6; at >= 0; at -= 1) {
    if (bytes[at] !== 0xff || ((bytes[at + 1] ?? 0) & 0xfe) !== 0xf8) continue;
    const end = frameEnd(bytes, at, blockSamples);
    if (end !== undefined) return end;
  }
  return undefined;
}

/** The samples up to the end of the frame whose header stands there; undefined when none with a right checksum does. */
function frameEnd(bytes: Uint8Array, at: number, blockSamples: number): number | undefined {
  const view = viewOf(bytes.subarray(at, at + MOST_HEADER_BYTES));
  if (view.byteLength < 6) return undefined;
  const isVariable = (view.getUint8(1) & 1) === 1;
  const sizeCode = view.getUint8(2) >> 4;
  const rateCode = view.getUint8(2) & 0x0f;
  const coded = codedNumber(view, 4);
  if (sizeCode === 0 || rateCode === 15 || !coded) return undefined;
  let next = coded.next;
  const sizeBytes = sizeCode === 6 ? 1 : sizeCode === 7 ? 2 : 0;
  const rateBytes = rateCode === 12 ? 1 : rateCode === 13 || rateCode === 14 ? 2 : 0;
  if (next + sizeBytes + rateBytes >= view.byteLength) return undefined;
  const samples =
    sizeBytes === 1
      ? view.getUint8(next) + 1
      : sizeBytes === 2
        ? view.getUint16(next) + 1
        : (BLOCK_SAMPLES[sizeCode] ?? 0);
  next += sizeBytes + rateBytes;
  if (crc8(bytes.subarray(at, at + next)) !== view.getUint8(next)) return undefined;
  return (isVariable ? coded.value : coded.value * blockSamples) + samples;
}

/** A number as UTF-8 would write it, in up to 36 bits (RFC 9639 §9.1.5). */
function codedNumber(view: DataView, at: number): { value: number; next: number } | undefined {
  const first = view.getUint8(at);
  const length = first < 0x80 ? 1 : Math.clz32(~(first << 24));
  if (first >= 0x80 && (length < 2 || length > 7 || at + length > view.byteLength)) return undefined;
  let value = length === 1 ? first : length === 7 ? 0 : first & (0x7f >> length);
  for (let index = 1; index < length; index += 1) {
    const byte = view.getUint8(at + index);
    if (byte >> 6 !== 2) return undefined;
    value = value * 64 + (byte & 0x3f);
  }
  return { value, next: at + length };
}

/** The checksum of a frame's header: polynomial x^8 + x^2 + x + 1, start 0 (RFC 9639 §9.1.8). */
function crc8(bytes: Uint8Array): number {
  let crc = 0;
  for (const byte of bytes) {
    crc ^= byte;
    for (let bit = 0; bit < 8; bit += 1) crc = crc & 0x80 ? ((crc << 1) ^ 0x07) & 0xff : crc << 1;
  }
  return crc;
}
