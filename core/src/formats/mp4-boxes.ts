import { FormatError } from '../errors.ts';
import { asciiOf, readExactly, viewOf, type ByteSource } from './byte-source.ts';

/** A box of an ISO base media file, ISO/IEC 14496-12 §4.2: size and type, a 64-bit size when the size is 1, up to the end when it is 0. */
export interface Mp4Box {
  type: string;
  offset: number;
  dataOffset: number;
  /** Up to the next box, with the header. */
  spanBytes: number;
  /** The file ends before the box does. */
  isCutShort?: boolean;
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
    const isCutShort = size > source.sizeBytes - offset;
    boxes.push({ type, offset, dataOffset: offset + headerBytes, spanBytes, ...(isCutShort ? { isCutShort } : {}) });
    offset += spanBytes;
  }
  return boxes;
}

/** Bytes of a sample description's own fields before its boxes: 8 of SampleEntry and 20 of AudioSampleEntry, ISO/IEC 14496-12 §12.2.3. */
const SAMPLE_ENTRY_BYTES = 28;

/** What the description of an audio track says of itself beyond what its sample entry can; each absent where it does not. */
export interface Mp4Track {
  channels?: number;
  sampleRateHz?: number;
  bitDepth?: number;
  frames?: number;
}

/**
 * The first audio track of a movie box's contents. The sample entry says 2 channels of AAC whatever they are (common practice), has no room for
 * rates above 65,535 Hz and no depth of ALAC: these come from the AudioSpecificConfig (ISO/IEC 14496-3 §1.6.2.1), from the track's time scale, and
 * from the decoder's own configuration.
 */
export async function mp4Track(movie: ByteSource): Promise<Mp4Track> {
  for (const track of (await readMp4Boxes(movie)).filter((box) => box.type === 'trak')) {
    const media = await inside(boxSource(movie, track, 0), 'mdia');
    const table = media && (await inside(media, 'minf', 'stbl'));
    const description = table && (await inside(table, 'stsd'));
    if (!media || !description) continue;
    // A full box: version, flags, and the number of entries.
    const entries = within(description, 8);
    const entry = (await readMp4Boxes(entries)).find(({ type }) => type in TRACK_CODECS);
    if (!entry) continue;
    const told = (await TRACK_CODECS[entry.type]?.(boxSource(entries, entry, SAMPLE_ENTRY_BYTES))) ?? {};
    return { ...(await timeOf(media)), ...told };
  }
  return {};
}

/** How the configuration of a codec is read: from the boxes behind the fields of its sample entry. */
const TRACK_CODECS: Record<string, (boxes: ByteSource) => Promise<Mp4Track>> = {
  mp4a: aacTrack,
  alac: alacTrack,
  fLaC: flacTrack,
  Opus: () => Promise.resolve({}),
};

/** Rate and length by the track's own clock (`mdhd`, §8.4.2), where its sample entry cannot say the rate. */
async function timeOf(media: ByteSource): Promise<Mp4Track> {
  const header = await inside(media, 'mdhd');
  if (!header) return {};
  const view = viewOf(await header.read(0, 32));
  const isLong = view.byteLength >= 32 && view.getUint8(0) === 1;
  if (view.byteLength < 20) return {};
  const scale = view.getUint32(isLong ? 20 : 12);
  const frames = isLong ? Number(view.getBigUint64(24)) : view.getUint32(16);
  return scale > MOST_ENTRY_RATE_HZ ? { sampleRateHz: scale, frames } : {};
}

/** 16 bits before the point, ISO/IEC 14496-12 §12.2.3. */
const MOST_ENTRY_RATE_HZ = 0xffff;

async function aacTrack(boxes: ByteSource): Promise<Mp4Track> {
  const stream = await inside(boxes, 'esds');
  if (!stream) return {};
  const bytes = await stream.read(0, stream.sizeBytes);
  // The DecoderSpecificInfo descriptor: tag 5, a length in bytes of seven bits, then the configuration (ISO/IEC 14496-1 §7.2.6.7).
  for (let at = bytes.indexOf(5, 4 + 3); at >= 0; at = bytes.indexOf(5, at + 1)) {
    let start = at + 1;
    while (((bytes[start] ?? 0) & 0x80) !== 0 && start < at + 4) start += 1;
    const length = bytes[start] ?? 0;
    if (length < 2 || length > 64 || start + length >= bytes.length) continue;
    const [first = 0, second = 0] = bytes.subarray(start + 1, start + 3);
    const frequency = ((first & 0x07) << 1) | (second >> 7);
    const channels = (second >> 3) & 0x0f;
    if (first >> 3 === 31 || frequency === 15 || channels === 0) return {};
    return { channels: channels === 7 ? 8 : channels };
  }
  return {};
}

/** ALACSpecificConfig behind version and flags (Apple, “ALAC magic cookie”; from memory): depth, channels and rate as they are. */
async function alacTrack(boxes: ByteSource): Promise<Mp4Track> {
  const config = await inside(boxes, 'alac');
  const bytes = await config?.read(4, 24);
  if (bytes?.length !== 24) return {};
  const view = viewOf(bytes);
  return { bitDepth: view.getUint8(5), channels: view.getUint8(9), sampleRateHz: view.getUint32(20) };
}

/** `dfLa` (“Encapsulation of FLAC in ISO Base Media File Format” §3.3.2): version and flags, then STREAMINFO with its header of four bytes. */
async function flacTrack(boxes: ByteSource): Promise<Mp4Track> {
  const config = await inside(boxes, 'dfLa');
  const bytes = await config?.read(8, 18);
  if (bytes?.length !== 18) return {};
  const packed = viewOf(bytes).getUint32(10);
  return { sampleRateHz: packed >>> 12, channels: ((packed >>> 9) & 7) + 1, bitDepth: ((packed >>> 4) & 0x1f) + 1 };
}

/** The contents of the first box along a path of types; undefined when one is missing. */
async function inside(source: ByteSource, ...path: string[]): Promise<ByteSource | undefined> {
  let inner = source;
  for (const type of path) {
    const box = (await readMp4Boxes(inner)).find((candidate) => candidate.type === type);
    if (!box) return undefined;
    inner = boxSource(inner, box, 0);
  }
  return inner;
}

function within(source: ByteSource, skip: number): ByteSource {
  return {
    sizeBytes: Math.max(0, source.sizeBytes - skip),
    read: (offset, length) => source.read(offset + skip, length),
  };
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
