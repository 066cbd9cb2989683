import { FormatError } from '../errors.ts';
import { asciiOf, viewOf, type ByteSource } from './byte-source.ts';
import { decodeText } from './text-encoding.ts';

/** A chunk, block, tag or page group of a file, as it is shown to people: where it stands and what it holds. */
export interface FileBlock {
  /** What the format calls it: `bext`, `VORBIS_COMMENT`, `ID3v2.3`. */
  id: string;
  what: string;
  offsetBytes: number;
  /** With its header. */
  sizeBytes: number;
  kind: 'structure' | 'metadata' | 'audio' | 'padding' | 'unknown';
  details: BlockDetail[];
  /** The first bytes, for what is not decoded. */
  hex?: string;
}

export interface BlockDetail {
  name: string;
  value: string;
}

/** Bytes of contents that are read to describe one block. */
const MAX_DESCRIBED_BYTES = 1024 * 1024;
const MAX_DETAILS = 2000;
const MAX_HEX_BYTES = 256;
const HEX_ROW_BYTES = 16;

/** Names and values as details; those that are empty are left out. */
export function detailsOf(values: Record<string, string | number | undefined>): BlockDetail[] {
  return Object.entries(values)
    .filter(([, value]) => value !== undefined && value !== '')
    .map(([name, value]) => ({ name, value: String(value) }));
}

/** Rows of sixteen bytes in hexadecimal with their characters; offsets count from the start of the bytes. */
export function hexDump(bytes: Uint8Array): string {
  const rows: string[] = [];
  for (let at = 0; at < Math.min(bytes.length, MAX_HEX_BYTES); at += HEX_ROW_BYTES) {
    const row = bytes.subarray(at, Math.min(at + HEX_ROW_BYTES, MAX_HEX_BYTES));
    const hex = Array.from(row, (byte) => byte.toString(16).padStart(2, '0')).join(' ');
    const text = asciiOf(row).replace(/[^\x20-\x7e]/g, '·');
    rows.push(`${at.toString(16).padStart(4, '0')}  ${hex.padEnd(HEX_ROW_BYTES * 3 - 1)}  ${text}`);
  }
  return rows.join('\n');
}

/** What a chunk of a known kind is, and how its contents become details; a decoder gives undefined for contents that it cannot take. */
export interface ChunkKind {
  what: string;
  kind: FileBlock['kind'];
  decode?: (contents: Uint8Array, offsetBytes: number) => BlockDetail[] | undefined;
}

/** Describes a chunk by its kind; one of no known kind, or that cannot be decoded, is shown as bytes. */
export async function describeChunk(
  source: ByteSource,
  chunk: { id: string; offset: number; dataOffset: number; sizeBytes: number; spanBytes?: number },
  kind: ChunkKind | undefined,
): Promise<FileBlock> {
  const block = {
    id: chunk.id,
    what: kind?.what ?? 'Not known to Flagstone, kept as it is',
    offsetBytes: chunk.offset,
    sizeBytes: chunk.spanBytes ?? chunk.dataOffset - chunk.offset + chunk.sizeBytes,
    kind: kind?.kind ?? ('unknown' as const),
  };
  if (block.kind === 'audio' || block.kind === 'padding') return { ...block, details: [] };
  const contents = await source.read(chunk.dataOffset, Math.min(chunk.sizeBytes, MAX_DESCRIBED_BYTES));
  const details = kind?.decode && decodeSafely(kind.decode, contents, chunk.dataOffset);
  if (details && details.length > MAX_DETAILS)
    details.splice(MAX_DETAILS, details.length, { name: '…', value: `and ${details.length - MAX_DETAILS} more` });
  return details ? { ...block, details } : { ...block, details: [], hex: hexDump(contents) };
}

function decodeSafely(
  decode: NonNullable<ChunkKind['decode']>,
  contents: Uint8Array,
  offsetBytes: number,
): BlockDetail[] | undefined {
  try {
    return decode(contents, offsetBytes);
  } catch (error) {
    // Contents that end in the middle of a number, or cannot be what they should: shown as bytes.
    if (error instanceof RangeError || error instanceof FormatError) return undefined;
    throw error;
  }
}

/** Reads numbers and texts one after another. Throws RangeError behind the end. */
export class FieldReader {
  private at = 0;
  private readonly bytes: Uint8Array;
  private readonly view: DataView;
  private readonly little: boolean;

  constructor(bytes: Uint8Array, littleEndian: boolean) {
    this.bytes = bytes;
    this.view = viewOf(bytes);
    this.little = littleEndian;
  }

  get left(): number {
    return this.bytes.length - this.at;
  }

  private step(length: number): number {
    if (this.left < length) throw new RangeError('behind the end');
    this.at += length;
    return this.at - length;
  }

  uint8(): number {
    return this.view.getUint8(this.step(1));
  }

  int8(): number {
    return this.view.getInt8(this.step(1));
  }

  uint16(): number {
    return this.view.getUint16(this.step(2), this.little);
  }

  int16(): number {
    return this.view.getInt16(this.step(2), this.little);
  }

  uint32(): number {
    return this.view.getUint32(this.step(4), this.little);
  }

  uint64(): number {
    return Number(this.view.getBigUint64(this.step(8), this.little));
  }

  take(length: number): Uint8Array {
    const start = this.step(length);
    return this.bytes.subarray(start, start + length);
  }

  text(length: number): string {
    return decodeText(this.take(length)).trimEnd();
  }

  rest(): Uint8Array {
    return this.take(this.left);
  }
}
