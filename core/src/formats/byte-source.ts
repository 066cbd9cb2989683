import { FormatError } from '../errors.ts';

/** Where a parser gets its bytes from: a file, an HTTP range, or an array in memory. Injected, so that core touches no disk. */
export interface ByteSource {
  readonly sizeBytes: number;
  /** The bytes from `offset`, fewer than `length` only at the end of the source. */
  read(offset: number, length: number): Promise<Uint8Array>;
}

/** A source over bytes in memory. */
export function memorySource(bytes: Uint8Array): ByteSource {
  return {
    sizeBytes: bytes.length,
    read: (offset, length) => Promise.resolve(bytes.subarray(offset, Math.min(bytes.length, offset + length))),
  };
}

/**
 * A source that reads ahead in windows, so that a parser's many small reads become few reads of the disk. One window is held.
 */
export function windowedSource(source: ByteSource, windowBytes = 16 * 1024): ByteSource {
  let start = 0;
  let held: Uint8Array = new Uint8Array(0);
  return {
    sizeBytes: source.sizeBytes,
    async read(offset, length) {
      if (offset < start || offset + length > start + held.length) {
        held = await source.read(offset, Math.max(length, windowBytes));
        start = offset;
      }
      return held.subarray(offset - start, offset - start + length);
    },
  };
}

/** Exactly `length` bytes, or a FormatError FORMAT_DAMAGED that says where the file ended. */
export async function readExactly(
  source: ByteSource,
  format: string,
  offset: number,
  length: number,
): Promise<Uint8Array> {
  const bytes = await source.read(offset, length);
  if (bytes.length < length) {
    const message = `The file ends at byte ${source.sizeBytes}, in the middle of its ${format} header.`;
    throw new FormatError('FORMAT_DAMAGED', format, message, offset);
  }
  return bytes;
}

/** A view on the bytes, for reading numbers. */
export function viewOf(bytes: Uint8Array): DataView {
  return new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
}

/** Four (or more) bytes as Latin-1 text, for chunk identifiers. */
export function asciiOf(bytes: Uint8Array): string {
  // Identifiers of four bytes are asked for more than anything else.
  if (bytes.length === 4) return String.fromCharCode(bytes[0] ?? 0, bytes[1] ?? 0, bytes[2] ?? 0, bytes[3] ?? 0);
  let text = '';
  for (const byte of bytes) text += String.fromCharCode(byte);
  return text;
}

/** The low byte of each character; for identifiers and text that is ASCII already. */
export function bytesOfAscii(text: string): Uint8Array<ArrayBuffer> {
  return Uint8Array.from(text, (character) => character.charCodeAt(0) & 0xff);
}

/** The arrays one after another. */
export function concatBytes(parts: readonly Uint8Array[]): Uint8Array<ArrayBuffer> {
  const joined = new Uint8Array(parts.reduce((total, part) => total + part.length, 0));
  let offset = 0;
  for (const part of parts) {
    joined.set(part, offset);
    offset += part.length;
  }
  return joined;
}

/** Whether two stretches hold the same bytes. */
export function sameBytes(a: Uint8Array, b: Uint8Array): boolean {
  return a.length === b.length && a.every((byte, index) => byte === b[index]);
}
