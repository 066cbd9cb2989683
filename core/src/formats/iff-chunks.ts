import type { Issue } from '../errors.ts';
import { asciiOf, bytesOfAscii, concatBytes, readExactly, viewOf, type ByteSource } from './byte-source.ts';

/** A chunk as in IFF (Electronic Arts, "EA IFF 85"), of which RIFF and AIFF are made: four characters, a size, contents, a pad byte. */
export interface IffChunk {
  id: string;
  /** Where the chunk's eight-byte header begins. */
  offset: number;
  /** Where its contents begin. */
  dataOffset: number;
  /** Bytes of contents that are there; less than declared when the file is cut short. */
  sizeBytes: number;
  /** Bytes up to the next chunk, with header and pad byte. */
  spanBytes: number;
}

/** What sets one format of chunks apart from another. */
export interface IffLayout {
  format: string;
  littleEndian: boolean;
  /** Identifiers by which a chunk is recognised where none should begin. */
  known: ReadonlySet<string>;
  /** The chunk of the audio, whose size a program that was stopped while it recorded leaves unset. */
  sound: string;
  /** The size of a chunk whose header states a number, where sizes may stand elsewhere. */
  sizeOf?: (id: string, stated: number) => number;
  /** Told of each chunk before the next one is read. */
  onChunk?: (chunk: IffChunk) => Promise<void>;
}

const FORM_HEADER_BYTES = 12;
const MAX_CHUNKS = 10_000;
/** What stands for a size that was never filled in: all bits, or none. */
const UNSET_SIZES: readonly number[] = [0, 0xffffffff];

/**
 * The chunks behind a form's header of twelve bytes, in order, found by their headers alone: the audio is skipped by its size. Survives
 * lying sizes with an issue. `endOffset` is where the last chunk ends; bytes beyond it belong to no chunk.
 */
export async function readIffChunks(
  source: ByteSource,
  { format, littleEndian, known, sound, sizeOf, onChunk }: IffLayout,
): Promise<{ chunks: IffChunk[]; endOffset: number; issues: Issue[] }> {
  const issues: Issue[] = [];
  const chunks: IffChunk[] = [];
  /** Whether a chunk of a known kind that fits into the file begins at an offset. */
  const isChunkAt = async (at: number): Promise<boolean> => {
    const head = await source.read(at, 8);
    if (head.length < 8 || !known.has(asciiOf(head.subarray(0, 4)))) return false;
    return viewOf(head).getUint32(4, littleEndian) <= source.sizeBytes - at - 8;
  };
  let offset = FORM_HEADER_BYTES;
  while (offset + 8 <= source.sizeBytes) {
    const head = await readExactly(source, format, offset, 8);
    const id = asciiOf(head.subarray(0, 4));
    if (!/^[\x20-\x7e]{4}$/.test(id) || chunks.length >= MAX_CHUNKS) {
      const message = `At byte ${offset} stands no chunk.`;
      issues.push({ code: 'NOT_A_CHUNK', message, offsetBytes: offset });
      break;
    }
    const stated = viewOf(head).getUint32(4, littleEndian);
    const room = source.sizeBytes - offset - 8;
    let declared = sizeOf?.(id, stated) ?? stated;
    if (
      id === sound &&
      room > 0 &&
      UNSET_SIZES.includes(declared) &&
      !(declared === 0 && (await isChunkAt(offset + 8)))
    ) {
      const message = `Chunk “${id}” does not say how long the audio is; it is taken to go on to the end of the file.`;
      issues.push({ code: 'SIZE_NOT_SET', message, offsetBytes: offset });
      declared = room;
    }
    const sizeBytes = Math.min(declared, room);
    if (declared > room) {
      const message = `Chunk “${id}” claims ${declared} bytes, ${room} are there.`;
      issues.push({ code: 'CHUNK_BEYOND_END', message, offsetBytes: offset });
    }
    let pad = sizeBytes % 2 === 1 && sizeBytes < room ? 1 : 0;
    const end = offset + 8 + sizeBytes;
    if (pad === 1 && (await isChunkAt(end)) && !(await isChunkAt(end + 1))) {
      const message = `Chunk “${id}” has an odd length, and the pad byte behind it is missing.`;
      issues.push({ code: 'PAD_BYTE_MISSING', message, offsetBytes: end });
      pad = 0;
    }
    const chunk = { id, offset, dataOffset: offset + 8, sizeBytes, spanBytes: 8 + sizeBytes + pad };
    chunks.push(chunk);
    await onChunk?.(chunk);
    offset += chunk.spanBytes;
  }
  return { chunks, endOffset: Math.min(offset, source.sizeBytes), issues };
}

/** A chunk's bytes: header, contents, pad byte. */
export function iffChunkBytes(id: string, contents: Uint8Array, littleEndian: boolean): Uint8Array<ArrayBuffer> {
  const header = new Uint8Array(8);
  header.set(bytesOfAscii(id));
  viewOf(header).setUint32(4, contents.length, littleEndian);
  return concatBytes([header, contents, new Uint8Array(contents.length % 2)]);
}

/** A chunk's new bytes in place of the old one; an old chunk alone is taken out, new bytes alone are added. */
export interface ChunkReplacement {
  old?: IffChunk | undefined;
  bytes?: Uint8Array | undefined;
}

/** Whether a replacement leaves the file as it is. */
export async function changesNothing(source: ByteSource, { old, bytes }: ChunkReplacement): Promise<boolean> {
  if (!old || !bytes) return old === undefined && bytes === undefined;
  if (old.spanBytes !== bytes.length) return false;
  const current = await source.read(old.offset, old.spanBytes);
  return current.every((byte, index) => byte === bytes[index]);
}
