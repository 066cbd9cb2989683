import type { Issue } from '../../errors.ts';
import { asciiOf, bytesOfAscii, concatBytes, memorySource, viewOf, type ByteSource } from '../byte-source.ts';

/**
 * ID3v2 tags: informal standards ID3v2.2.0, ID3v2.3.0 and ID3v2.4.0 (id3.org). A tag is a header of ten bytes, perhaps an extended
 * header, frames, and padding.
 */
export type Id3Version = 2 | 3 | 4;

export interface Id3Frame {
  /** Four characters; of version 2.2 the three that stand there. */
  id: string;
  offsetBytes: number;
  /** The frame as it stands, with its header; undefined for pictures and the like that were not loaded. */
  raw?: Uint8Array;
  /** Contents with unsynchronisation undone; undefined also when they are compressed or encrypted. */
  contents?: Uint8Array;
  sizeBytes: number;
}

export interface Id3Tag {
  version: Id3Version;
  offset: number;
  /** With header, padding and footer. */
  sizeBytes: number;
  frames: Id3Frame[];
  paddingBytes: number;
  /** A frame or the tag itself claims more than is there; such a tag is not written. */
  damaged: boolean;
  issues: Issue[];
}

const HEADER_BYTES = 10;
const MAX_TAG_BYTES = 16 * 1024 * 1024;
const MAX_TEXT_FRAME_BYTES = 1024 * 1024;
const MAX_FRAMES = 20_000;

/** A 28-bit number in four bytes of seven bits each, ID3v2.4 structure §6.2. */
export function readSynchsafe(bytes: Uint8Array, at: number): number {
  return [0, 1, 2, 3].reduce((total, index) => total * 128 + ((bytes[at + index] ?? 0) & 0x7f), 0);
}

/** The four bytes of a number below 2^28. */
export function synchsafeBytes(value: number): Uint8Array<ArrayBuffer> {
  return Uint8Array.of((value >> 21) & 0x7f, (value >> 14) & 0x7f, (value >> 7) & 0x7f, value & 0x7f);
}

/** The total size of the tag whose ten header bytes these are; undefined when they are none. */
export function id3TagSize(header: Uint8Array): number | undefined {
  if (header.length < HEADER_BYTES || asciiOf(header.subarray(0, 3)) !== 'ID3') return undefined;
  const [version = 0, flags = 0] = [header[3], header[5]];
  if (version < 2 || version > 4 || header.subarray(6, 10).some((byte) => byte > 0x7f)) return undefined;
  return HEADER_BYTES + readSynchsafe(header, 6) + (version === 4 && flags & 0x10 ? HEADER_BYTES : 0);
}

/**
 * The tag at an offset, or undefined when none stands there. `loadAll` loads every frame for writing; else the contents of pictures and
 * other large frames are skipped. What is damaged is told by issues.
 */
export async function readId3Tag(source: ByteSource, offset: number, loadAll = false): Promise<Id3Tag | undefined> {
  const header = (await source.read(offset, HEADER_BYTES)).slice();
  const sizeBytes = id3TagSize(header);
  if (sizeBytes === undefined) return undefined;
  const version = header[3] as Id3Version;
  const flags = header[5] ?? 0;
  const tag: Id3Tag = { version, offset, sizeBytes, frames: [], paddingBytes: 0, damaged: false, issues: [] };
  const footer = version === 4 && flags & 0x10 ? HEADER_BYTES : 0;
  let bodyBytes = sizeBytes - HEADER_BYTES - footer;
  if (offset + sizeBytes > source.sizeBytes) {
    report(tag, offset, `The ID3 tag claims ${sizeBytes} bytes, ${source.sizeBytes - offset} are there.`);
    bodyBytes = Math.max(0, source.sizeBytes - offset - HEADER_BYTES);
  }
  const compressedTag = version === 2 && (flags & 0x40) !== 0;
  if (bodyBytes > MAX_TAG_BYTES || compressedTag) {
    const why = compressedTag
      ? 'is compressed in a way that no standard defines'
      : `of ${bodyBytes} bytes is too large`;
    report(tag, offset, `The ID3 tag ${why}; it was not read.`);
    return tag;
  }
  // Before version 2.4 unsynchronisation runs over the whole tag (ID3v2.3 §5), so its frames are found only after undoing it.
  const isUnsynchronised = (flags & 0x80) !== 0;
  const asItStands = rangeSource(source, offset + HEADER_BYTES, bodyBytes);
  const read = async (body: ByteSource, into: Id3Tag, unsynchronised: boolean): Promise<Id3Tag> => {
    const start = (flags & 0x40) !== 0 ? await extendedHeaderBytes(body, version) : 0;
    await readFrames(body, start, into, { loadAll, unsynchronised });
    return into;
  };
  if (version === 4 || !isUnsynchronised) return read(asItStands, tag, isUnsynchronised);
  const undone = memorySource(undoUnsynchronisation(await asItStands.read(0, bodyBytes)));
  const byStandard = await read(undone, { ...tag, frames: [], issues: [...tag.issues] }, false);
  if (!byStandard.damaged || tag.damaged) return byStandard;
  // Some programs count the bytes that were put in among those of a frame (common practice): then its frames are found where they stand.
  const asCounted = await read(asItStands, tag, true);
  return asCounted.damaged ? byStandard : asCounted;
}

function report(tag: Id3Tag, offsetBytes: number, message: string): void {
  tag.damaged = true;
  tag.issues.push({ code: 'ID3_DAMAGED', message, offsetBytes });
}

/** A range of a source as a source of its own. */
function rangeSource(source: ByteSource, start: number, length: number): ByteSource {
  return {
    sizeBytes: length,
    read: (offset, wanted) => source.read(start + offset, Math.max(0, Math.min(wanted, length - offset))),
  };
}

/** ID3v2.4 structure §6.1: a zero byte that was put after each 0xff is taken out. */
export function undoUnsynchronisation(bytes: Uint8Array): Uint8Array {
  const undone = new Uint8Array(bytes.length);
  let length = 0;
  for (let at = 0; at < bytes.length; at += 1) {
    undone[length] = bytes[at] ?? 0;
    length += 1;
    if (bytes[at] === 0xff && bytes[at + 1] === 0) at += 1;
  }
  return undone.subarray(0, length);
}

/** ID3v2.3 §3.2 (the size without its own four bytes) and ID3v2.4 structure §3.2 (synchsafe, with them). */
async function extendedHeaderBytes(body: ByteSource, version: Id3Version): Promise<number> {
  const bytes = await body.read(0, 4);
  if (bytes.length < 4 || version === 2) return 0;
  return version === 4 ? readSynchsafe(bytes, 0) : 4 + viewOf(bytes).getUint32(0);
}

async function readFrames(
  body: ByteSource,
  start: number,
  tag: Id3Tag,
  how: { loadAll: boolean; unsynchronised: boolean },
): Promise<void> {
  const headBytes = tag.version === 2 ? 6 : HEADER_BYTES;
  let at = start;
  while (at + headBytes <= body.sizeBytes) {
    const head = (await body.read(at, headBytes)).slice();
    if (head[0] === 0 || head.length < headBytes) break;
    const offsetBytes = tag.offset + HEADER_BYTES + at;
    const id = asciiOf(head.subarray(0, tag.version === 2 ? 3 : 4));
    if (!/^[A-Z0-9 ]+$/.test(id) || tag.frames.length >= MAX_FRAMES) {
      report(
        tag,
        offsetBytes,
        `At byte ${offsetBytes} of the ID3 tag stands no frame; the rest of the tag is left as it is.`,
      );
      return;
    }
    const size = await frameSize(body, at, head, tag.version);
    if (at + headBytes + size > body.sizeBytes) {
      report(tag, offsetBytes, `ID3 frame “${id}” claims ${size} bytes, ${body.sizeBytes - at - headBytes} are there.`);
      return;
    }
    const frame: Id3Frame = { id, offsetBytes, sizeBytes: size };
    if (how.loadAll || (isTextual(id) && size <= MAX_TEXT_FRAME_BYTES)) {
      const stood = (await body.read(at, headBytes + size)).slice();
      frame.raw = tag.version < 4 && how.unsynchronised ? withoutExtraBytes(stood, headBytes) : stood;
      const contents = contentsOf(frame.raw, headBytes, tag.version, tag.version === 4 && how.unsynchronised);
      if (contents) frame.contents = contents;
    }
    tag.frames.push(frame);
    at += headBytes + size;
  }
  tag.paddingBytes = Math.max(0, body.sizeBytes - at);
}

/** A frame of version 2.2 or 2.3 with its unsynchronisation undone, and the size that its header then has to say. */
function withoutExtraBytes(frame: Uint8Array, headBytes: number): Uint8Array {
  const head = frame.slice(0, headBytes);
  const contents = undoUnsynchronisation(frame.subarray(headBytes));
  const size = contents.length;
  if (headBytes === HEADER_BYTES) viewOf(head).setUint32(4, size);
  else head.set([size >> 16, (size >> 8) & 0xff, size & 0xff], 3);
  return concatBytes([head, contents]);
}

function isTextual(id: string): boolean {
  return /^[TW]/.test(id) || ['COMM', 'COM', 'CHAP', 'USLT', 'IPLS', 'POPM', 'PRIV', 'UFID'].includes(id);
}

async function frameSize(body: ByteSource, at: number, head: Uint8Array, version: Id3Version): Promise<number> {
  if (version === 2) return ((head[3] ?? 0) << 16) | ((head[4] ?? 0) << 8) | (head[5] ?? 0);
  const plain = viewOf(head).getUint32(4);
  if (version === 3) return plain;
  const safe = readSynchsafe(head, 4);
  if (safe === plain) return safe;
  // Some programs write plain sizes into version 2.4 (common practice): believe the size after which a frame or padding stands.
  const follows = async (size: number): Promise<boolean> => {
    const next = at + HEADER_BYTES + size;
    if (next === body.sizeBytes) return true;
    const bytes = await body.read(next, 4);
    return bytes.length > 0 && (bytes[0] === 0 || /^[A-Z0-9]{4}$/.test(asciiOf(bytes)));
  };
  return head.subarray(4, 8).some((byte) => byte > 0x7f) || (!(await follows(safe)) && (await follows(plain)))
    ? plain
    : safe;
}

/** A frame's contents without what its format flags put before them; undefined when compressed or encrypted. */
function contentsOf(
  raw: Uint8Array,
  headBytes: number,
  version: Id3Version,
  unsynchronised: boolean,
): Uint8Array | undefined {
  let contents = raw.subarray(headBytes);
  if (version === 2) return contents;
  const flags = raw[9] ?? 0;
  // ID3v2.3 §3.3.1: compression, encryption, grouping; ID3v2.4 structure §4.1.2: grouping, compression, encryption, unsynchronisation, length.
  if (version === 3) return flags & 0xc0 ? undefined : contents.subarray(flags & 0x20 ? 1 : 0);
  if (flags & 0x0c) return undefined;
  contents = contents.subarray((flags & 0x40 ? 1 : 0) + (flags & 0x01 ? 4 : 0));
  return unsynchronised || flags & 0x02 ? undoUnsynchronisation(contents) : contents;
}

/** A frame's bytes: header without flags, contents. */
export function id3FrameBytes(version: Id3Version, id: string, contents: Uint8Array): Uint8Array<ArrayBuffer> {
  const size = contents.length;
  if (version === 2)
    return concatBytes([bytesOfAscii(id), Uint8Array.of(size >> 16, (size >> 8) & 0xff, size & 0xff), contents]);
  const sizeBytes = new Uint8Array(4);
  viewOf(sizeBytes).setUint32(0, size);
  return concatBytes([bytesOfAscii(id), version === 4 ? synchsafeBytes(size) : sizeBytes, new Uint8Array(2), contents]);
}

/** A tag's bytes: header, frames, padding. */
export function id3TagBytes(
  version: Id3Version,
  frames: readonly Uint8Array[],
  paddingBytes: number,
): Uint8Array<ArrayBuffer> {
  const body = concatBytes([...frames, new Uint8Array(paddingBytes)]);
  return concatBytes([bytesOfAscii('ID3'), Uint8Array.of(version, 0, 0), synchsafeBytes(body.length), body]);
}
