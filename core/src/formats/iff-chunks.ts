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
  /** The size of a chunk whose header states a number, where sizes may stand elsewhere. */
  sizeOf?: (id: string, stated: number) => number;
  /** Told of each chunk before the next one is read. */
  onChunk?: (chunk: IffChunk) => Promise<void>;
}

const FORM_HEADER_BYTES = 12;
const MAX_CHUNKS = 10_000;

/**
 * The chunks behind a form's header of twelve bytes, in order, found by their headers alone: the audio is skipped by its size. Survives
 * lying sizes with an issue. `endOffset` is where the last chunk ends; bytes beyond it belong to no chunk.
 */
export async function readIffChunks(
  source: ByteSource,
  { format, littleEndian, sizeOf, onChunk }: IffLayout,
): Promise<{ chunks: IffChunk[]; endOffset: number; issues: Issue[] }> {
  const issues: Issue[] = [];
  const chunks: IffChunk[] = [];
  let offset = FORM_HEADER_BYTES;
  while (offset + 8 <= source.sizeBytes) {
    const head = await readExactly(source, format, offset, 8);
    const id = asciiOf(head.subarray(0, 4));
    if (!/^[\x20-\x7e]{4}$/.test(id) || chunks.length >= MAX_CHUNKS) {
      const message = `At byte ${offset} stands no chunk; the rest is kept as it is.`;
      issues.push({ code: 'NOT_A_CHUNK', message, offsetBytes: offset });
      break;
    }
    const stated = viewOf(head).getUint32(4, littleEndian);
    const declared = sizeOf?.(id, stated) ?? stated;
    const room = source.sizeBytes - offset - 8;
    const sizeBytes = Math.min(declared, room);
    if (declared > room) {
      const message = `Chunk “${id}” claims ${declared} bytes, ${room} are there.`;
      issues.push({ code: 'CHUNK_BEYOND_END', message, offsetBytes: offset });
    }
    const pad = sizeBytes % 2 === 1 && sizeBytes < room ? 1 : 0;
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
