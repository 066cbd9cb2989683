import { FormatError, type Issue } from '../../errors.ts';
import { asciiOf, concatBytes, readExactly, viewOf, type ByteSource } from '../byte-source.ts';
import { id3TagSize } from '../id3/id3-tag.ts';

/** FLAC's metadata blocks, RFC 9639 §8: one byte of type with the last-block flag, three of length, then the contents. */
export const FLAC_BLOCK_NAMES = [
  'STREAMINFO',
  'PADDING',
  'APPLICATION',
  'SEEKTABLE',
  'VORBIS_COMMENT',
  'CUESHEET',
  'PICTURE',
] as const;
export const FLAC_BLOCK = {
  streamInfo: 0,
  padding: 1,
  application: 2,
  seekTable: 3,
  vorbisComment: 4,
  cueSheet: 5,
  picture: 6,
} as const;

export interface FlacBlock {
  type: number;
  /** Where the four-byte header begins. */
  offset: number;
  dataOffset: number;
  sizeBytes: number;
}

export interface FlacBlocks {
  /** Where `fLaC` stands; an ID3 tag before it is against the standard but met (common practice). */
  markerOffset: number;
  blocks: FlacBlock[];
  /** Where the frames begin. */
  framesOffset: number;
}

const MAX_BLOCKS = 10_000;
export const MAX_FLAC_BLOCK_BYTES = 0xffffff;

/** The blocks in order, found by their headers alone. Throws FORMAT_DAMAGED when the file ends among them. */
export async function readFlacBlocks(source: ByteSource): Promise<{ value: FlacBlocks; issues: Issue[] }> {
  const issues: Issue[] = [];
  const markerOffset = id3TagSize(await source.read(0, 10)) ?? 0;
  if (asciiOf(await source.read(markerOffset, 4)) !== 'fLaC')
    throw new FormatError('FORMAT_UNKNOWN', 'FLAC', 'It does not begin with the FLAC marker.', markerOffset);
  if (markerOffset > 0)
    issues.push({
      code: 'ID3_BEFORE_FLAC',
      message: 'An ID3 tag stands before the FLAC stream; it is read first, and carries the record too.',
      offsetBytes: 0,
    });
  const blocks: FlacBlock[] = [];
  let offset = markerOffset + 4;
  for (let last = false; !last;) {
    const view = viewOf(await readExactly(source, 'FLAC', offset, 4));
    const sizeBytes = view.getUint32(0) & 0xffffff;
    last = (view.getUint8(0) & 0x80) !== 0;
    blocks.push({ type: view.getUint8(0) & 0x7f, offset, dataOffset: offset + 4, sizeBytes });
    offset += 4 + sizeBytes;
    if (offset > source.sizeBytes || blocks.length >= MAX_BLOCKS)
      throw new FormatError(
        'FORMAT_DAMAGED',
        'FLAC',
        `A metadata block claims ${sizeBytes} bytes beyond the end.`,
        offset,
      );
  }
  return { value: { markerOffset, blocks, framesOffset: offset }, issues };
}

/** A block's bytes with its header. */
export function flacBlockBytes(type: number, contents: Uint8Array, last: boolean): Uint8Array<ArrayBuffer> {
  const header = new Uint8Array(4);
  viewOf(header).setUint32(0, contents.length);
  header[0] = type | (last ? 0x80 : 0);
  return concatBytes([header, contents]);
}
