import { asciiOf, bytesOfAscii, type ByteSource } from '../byte-source.ts';
import type { FoundText } from '../field-places.ts';
import { decodeText, fittedAscii } from '../text-encoding.ts';

/** ID3v1 and 1.1: the last 128 bytes of a file, texts in fixed fields of Latin-1 (from memory; nobody published it as a standard). */
export const ID3V1_BYTES = 128;
const LAYOUT = { title: [3, 30], artist: [33, 30], album: [63, 30], year: [93, 4], comment: [97, 28] } as const;

/** The tag's bytes when one stands at the end of the file. */
export async function readId3v1(source: ByteSource): Promise<Uint8Array | undefined> {
  if (source.sizeBytes < ID3V1_BYTES) return undefined;
  const bytes = (await source.read(source.sizeBytes - ID3V1_BYTES, ID3V1_BYTES)).slice();
  return asciiOf(bytes.subarray(0, 3)) === 'TAG' ? bytes : undefined;
}

/** Its texts, padding dropped. */
export function id3v1Texts(bytes: Uint8Array, offsetBytes: number): Map<string, FoundText> {
  return new Map(
    Object.entries(LAYOUT).map(([key, [start, length]]) => [
      key,
      { text: decodeText(bytes.subarray(start, start + length)).trimEnd(), offsetBytes: offsetBytes + start },
    ]),
  );
}

/** The tag with the texts set in its fields, as ASCII that fits; track, genre and other fields keep their bytes. */
export function writeId3v1(earlier: Uint8Array, texts: ReadonlyMap<string, string>): Uint8Array<ArrayBuffer> {
  const bytes = earlier.slice();
  const current = id3v1Texts(earlier, 0);
  for (const [key, [start, length]] of Object.entries(LAYOUT)) {
    const text = texts.get(key);
    if (text === undefined || text === current.get(key)?.text) continue;
    bytes.fill(0, start, start + length);
    bytes.set(bytesOfAscii(fittedAscii(text, length)), start);
  }
  return bytes;
}
