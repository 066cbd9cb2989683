import { FormatError } from '../errors.ts';
import { asciiOf, readExactly, viewOf, type ByteSource } from './byte-source.ts';

export type ContainerKind = 'wave' | 'aiff' | 'flac' | 'mp3' | 'ogg' | 'caf' | 'm4a';

/** File name extensions that are taken up when a folder is indexed (common practice). */
export const AUDIO_EXTENSIONS: readonly string[] = [
  '.wav',
  '.wave',
  '.bwf',
  '.rf64',
  '.w64',
  '.aif',
  '.aiff',
  '.aifc',
  '.flac',
  '.mp3',
  '.ogg',
  '.oga',
  '.opus',
  '.caf',
  '.m4a',
  '.mp4',
];

/** The container by its first bytes, whatever the name says; undefined when unknown. */
export function sniffContainer(head: Uint8Array): ContainerKind | undefined {
  const id = asciiOf(head.subarray(0, 4));
  const form = asciiOf(head.subarray(8, 12));
  if ((id === 'RIFF' || id === 'RF64' || id === 'BW64') && form === 'WAVE') return 'wave';
  if (id === 'FORM' && (form === 'AIFF' || form === 'AIFC')) return 'aiff';
  if (id === 'fLaC') return 'flac';
  if (id === 'OggS') return 'ogg';
  if (id === 'caff') return 'caf';
  if (asciiOf(head.subarray(4, 8)) === 'ftyp') return 'm4a';
  if (id.startsWith('ID3')) return 'mp3';
  // MPEG audio frame sync with a legal layer and bit rate, ISO/IEC 11172-3 §2.4.1.3.
  const [first = 0, second = 0, third = 0] = head;
  if (first === 0xff && (second & 0xe0) === 0xe0 && (second & 0x06) !== 0 && third >> 4 !== 0x0f) return 'mp3';
  return undefined;
}

/** A range of bytes. */
export interface ByteRange {
  offset: number;
  length: number;
}

/**
 * The bytes of a container that are audio and not tags, found without reading them: AIFF's SSND contents, FLAC's frames, MP3's
 * frames between an ID3v2 and an ID3v1 tag. Undefined for containers whose audio is interleaved with other data.
 */
export async function audioRange(kind: ContainerKind, source: ByteSource): Promise<ByteRange | undefined> {
  if (kind === 'aiff') return aiffRange(source);
  if (kind === 'flac') return flacRange(source);
  if (kind === 'mp3') return mp3Range(source);
  return undefined;
}

/** AIFF 1.3: chunks with big-endian sizes; SSND begins with an offset and a block size of four bytes each. */
async function aiffRange(source: ByteSource): Promise<ByteRange> {
  for (let offset = 12; offset + 8 <= source.sizeBytes;) {
    const head = await readExactly(source, 'AIFF', offset, 8);
    const size = viewOf(head).getUint32(4);
    if (asciiOf(head.subarray(0, 4)) === 'SSND') {
      const start = viewOf(await readExactly(source, 'AIFF', offset + 8, 8)).getUint32(0);
      return {
        offset: offset + 16 + start,
        length: Math.min(size - 8 - start, source.sizeBytes - offset - 16 - start),
      };
    }
    offset += 8 + size + (size % 2);
  }
  throw new FormatError('FORMAT_DAMAGED', 'AIFF', 'There is no SSND chunk: the file holds no audio.', 12);
}

/** RFC 9639 §8.1: metadata blocks with a last-block flag and a 24-bit length, then the frames. */
async function flacRange(source: ByteSource): Promise<ByteRange> {
  for (let offset = 4, last = false; ;) {
    if (last) return { offset, length: source.sizeBytes - offset };
    const view = viewOf(await readExactly(source, 'FLAC', offset, 4));
    last = (view.getUint8(0) & 0x80) !== 0;
    offset += 4 + (view.getUint32(0) & 0xffffff);
  }
}

/** ID3v2.4 §3.1 (size of four times seven bits, ten bytes of header) and ID3v1 (the last 128 bytes). */
async function mp3Range(source: ByteSource): Promise<ByteRange> {
  const head = await readExactly(source, 'MP3', 0, 10);
  const tagged = asciiOf(head.subarray(0, 3)) === 'ID3';
  const size = tagged ? head.subarray(6, 10).reduce((total, byte) => total * 128 + (byte & 0x7f), 0) + 10 : 0;
  const tail = await source.read(Math.max(0, source.sizeBytes - 128), 3);
  const end = asciiOf(tail) === 'TAG' ? source.sizeBytes - 128 : source.sizeBytes;
  return { offset: size, length: Math.max(0, end - size) };
}
