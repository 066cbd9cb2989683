import { FormatError, type Issue } from '../../errors.ts';
import { asciiOf, bytesOfAscii, concatBytes, readExactly, viewOf, type ByteSource } from '../byte-source.ts';

/** AIFF: "Audio Interchange File Format, version 1.3" (Apple, 1989); AIFF-C: draft of 1991. Chunks as in RIFF, sizes big-endian. */
export interface AiffChunk {
  id: string;
  /** Where the chunk's eight-byte header begins. */
  offset: number;
  dataOffset: number;
  /** Bytes of contents that are there; less than declared when the file is cut short. */
  sizeBytes: number;
  /** Bytes up to the next chunk, with header and pad byte. */
  spanBytes: number;
}

export interface AiffForm {
  compressed: boolean;
  chunks: AiffChunk[];
  /** Where the last chunk ends. */
  endOffset: number;
}

const MAX_CHUNKS = 10_000;

/** The chunks of an AIFF or AIFF-C file in order, found by their headers alone. Survives lying sizes with an issue. */
export async function readAiffChunks(source: ByteSource): Promise<{ value: AiffForm; issues: Issue[] }> {
  const header = await readExactly(source, 'AIFF', 0, 12);
  const form = asciiOf(header.subarray(8, 12));
  if (asciiOf(header.subarray(0, 4)) !== 'FORM' || (form !== 'AIFF' && form !== 'AIFC')) {
    throw new FormatError('FORMAT_UNKNOWN', 'AIFF', 'It does not begin with an AIFF header.', 0);
  }
  const issues: Issue[] = [];
  const chunks: AiffChunk[] = [];
  let offset = 12;
  while (offset + 8 <= source.sizeBytes) {
    const head = await readExactly(source, 'AIFF', offset, 8);
    const id = asciiOf(head.subarray(0, 4));
    if (!/^[\x20-\x7e]{4}$/.test(id) || chunks.length >= MAX_CHUNKS) {
      const message = `At byte ${offset} stands no chunk; the rest is kept as it is.`;
      issues.push({ code: 'NOT_A_CHUNK', message, offsetBytes: offset });
      break;
    }
    const declared = viewOf(head).getUint32(4);
    const room = source.sizeBytes - offset - 8;
    const sizeBytes = Math.min(declared, room);
    if (declared > room) {
      const message = `Chunk “${id}” claims ${declared} bytes, ${room} are there.`;
      issues.push({ code: 'CHUNK_BEYOND_END', message, offsetBytes: offset });
    }
    const pad = sizeBytes % 2 === 1 && sizeBytes < room ? 1 : 0;
    chunks.push({ id, offset, dataOffset: offset + 8, sizeBytes, spanBytes: 8 + sizeBytes + pad });
    offset += 8 + sizeBytes + pad;
  }
  return { value: { compressed: form === 'AIFC', chunks, endOffset: offset }, issues };
}

/** A chunk's bytes: header, contents, pad byte. */
export function aiffChunkBytes(id: string, contents: Uint8Array): Uint8Array<ArrayBuffer> {
  const header = new Uint8Array(8);
  header.set(bytesOfAscii(id));
  viewOf(header).setUint32(4, contents.length);
  return concatBytes([header, contents, new Uint8Array(contents.length % 2)]);
}
