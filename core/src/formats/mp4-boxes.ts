import { FormatError } from '../errors.ts';
import { asciiOf, readExactly, viewOf, type ByteSource } from './byte-source.ts';

/** A box of an ISO base media file, ISO/IEC 14496-12 §4.2: size and type, a 64-bit size when the size is 1, up to the end when it is 0. */
export interface Mp4Box {
  type: string;
  offset: number;
  dataOffset: number;
  /** Up to the next box, with the header. */
  spanBytes: number;
}

const MAX_BOXES = 10_000;

/** The boxes that stand next to each other at the top of a file. Throws FORMAT_DAMAGED for a size that cannot be. */
export async function readMp4Boxes(source: ByteSource): Promise<Mp4Box[]> {
  const boxes: Mp4Box[] = [];
  for (let offset = 0; offset + 8 <= source.sizeBytes && boxes.length < MAX_BOXES;) {
    const head = await readExactly(source, 'M4A', offset, 8);
    const stated = viewOf(head).getUint32(0);
    const type = asciiOf(head.subarray(4, 8));
    const long = stated === 1;
    const size = long ? Number(viewOf(await readExactly(source, 'M4A', offset + 8, 8)).getBigUint64(0)) : stated;
    const headerBytes = long ? 16 : 8;
    const spanBytes = size === 0 ? source.sizeBytes - offset : Math.min(size, source.sizeBytes - offset);
    if (size !== 0 && size < headerBytes)
      throw new FormatError(
        'FORMAT_DAMAGED',
        'M4A',
        `Box “${type}” claims ${size} bytes, less than its header.`,
        offset,
      );
    boxes.push({ type, offset, dataOffset: offset + headerBytes, spanBytes });
    offset += spanBytes;
  }
  return boxes;
}

const AUDIO_PATH = ['trak', 'mdia', 'minf', 'stbl'];
/** Bytes of a sample description's own fields before its boxes: 8 of SampleEntry and 20 of AudioSampleEntry, ISO/IEC 14496-12 §12.2.3. */
const SAMPLE_ENTRY_BYTES = 28;

/**
 * Channels of an AAC track by its AudioSpecificConfig (ISO/IEC 14496-3 §1.6.2.1), since the sample entry says 2 whatever they are (common
 * practice). Undefined for other codecs and channel configurations that stand elsewhere.
 */
export async function aacChannels(movie: ByteSource): Promise<number | undefined> {
  let inner = movie;
  for (const type of AUDIO_PATH) {
    const box = (await readMp4Boxes(inner)).find((candidate) => candidate.type === type);
    if (!box) return undefined;
    inner = boxSource(inner, box, 0);
  }
  const description = (await readMp4Boxes(inner)).find((box) => box.type === 'stsd');
  if (!description) return undefined;
  // A full box: version, flags, and the number of entries.
  const entries = boxSource(inner, description, 8);
  const entry = (await readMp4Boxes(entries)).find((box) => box.type === 'mp4a');
  if (!entry) return undefined;
  const boxes = boxSource(entries, entry, SAMPLE_ENTRY_BYTES);
  const stream = (await readMp4Boxes(boxes)).find((box) => box.type === 'esds');
  if (!stream) return undefined;
  const bytes = await boxes.read(stream.dataOffset, stream.spanBytes - 8);
  // The DecoderSpecificInfo descriptor: tag 5, a length in bytes of seven bits, then the configuration (ISO/IEC 14496-1 §7.2.6.7).
  for (let at = bytes.indexOf(5, 4 + 3); at >= 0; at = bytes.indexOf(5, at + 1)) {
    let start = at + 1;
    while (((bytes[start] ?? 0) & 0x80) !== 0 && start < at + 4) start += 1;
    const length = bytes[start] ?? 0;
    if (length < 2 || length > 64 || start + length >= bytes.length) continue;
    const [first = 0, second = 0] = bytes.subarray(start + 1, start + 3);
    const frequency = ((first & 0x07) << 1) | (second >> 7);
    const channels = (second >> 3) & 0x0f;
    if (first >> 3 === 31 || frequency === 15) return undefined;
    return channels === 0 ? undefined : channels === 7 ? 8 : channels;
  }
  return undefined;
}

/** What lies in a box behind `skip` bytes, as a source of its own. */
function boxSource(source: ByteSource, box: Mp4Box, skip: number): ByteSource {
  const start = box.dataOffset + skip;
  const sizeBytes = Math.max(0, box.offset + box.spanBytes - start);
  return {
    sizeBytes,
    read: (offset, length) => source.read(start + offset, Math.max(0, Math.min(length, sizeBytes - offset))),
  };
}
