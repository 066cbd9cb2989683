import { FormatError, type Issue } from '../../errors.ts';
import { audioFile, type AudioFacts, type AudioFile } from '../audio-file.ts';
import { asciiOf, concatBytes, viewOf, type ByteSource } from '../byte-source.ts';
import type { FoundTexts } from '../field-places.ts';
import { parseVorbisComment, vorbisTexts, type VorbisComment } from '../vorbis-comment.ts';
import { MAX_PAGE_BYTES, parseOggPage, readOggPage, type OggPage } from './ogg-pages.ts';

/** The codecs that are known: where their comments stand, and how many packets of headers come before the audio. */
const CODECS = {
  Vorbis: { commentMagic: '\x03vorbis', headerPackets: 3 },
  Opus: { commentMagic: 'OpusTags', headerPackets: 2 },
} as const;
/** The flag of the last page of a stream. */
const LAST_PAGE = 4;
const MAX_HEADER_BYTES = 16 * 1024 * 1024;

/** An Ogg Vorbis or Opus file taken apart: what the reader and the writer both need. */
export interface OggAnatomy {
  codec: keyof typeof CODECS;
  facts: AudioFacts;
  /** The pages after the first that hold the rest of the header packets, none of them audio. */
  headerPages: OggPage[];
  /** The packets on them: comments, and for Vorbis the set-up. Audio may follow them on the last page, against the standards. */
  headerPackets: Uint8Array[];
  comment: VorbisComment;
  texts: FoundTexts;
  issues: Issue[];
}

/**
 * Reads the header pages and the last page. Vorbis I §A.2 and RFC 7845 §3: the comments begin on a fresh page, and the audio begins on
 * another; a file whose audio does not is read and told. Throws FORMAT_NOT_SUPPORTED for other codecs and for several streams in one file.
 */
export async function readOggAnatomy(source: ByteSource): Promise<OggAnatomy> {
  const first = await readOggPage(source, 0);
  const identification = (await source.read(first.headerBytes, first.bodyBytes)).slice();
  const codec = codecOf(identification);
  const { headerPages, headerPackets, end, isShared } = await headerPagesOf(
    source,
    first,
    CODECS[codec].headerPackets - 1,
  );
  const [packet = new Uint8Array(0)] = headerPackets;
  const { commentMagic } = CODECS[codec];
  if (asciiOf(packet.subarray(0, commentMagic.length)) !== commentMagic)
    throw new FormatError(
      'FORMAT_DAMAGED',
      'Ogg',
      'Its second packet holds no comments.',
      first.headerBytes + first.bodyBytes,
    );
  const commentOffset = (headerPages[0]?.offset ?? 0) + (headerPages[0]?.headerBytes ?? 0) + commentMagic.length;
  const { value: comment, issues } = parseVorbisComment(packet.subarray(commentMagic.length), commentOffset);
  if (isShared)
    issues.push({ code: 'HEADERS_SHARE_PAGE', message: 'Its headers and audio share a page.', offsetBytes: end });
  const last = await lastPage(source, first.serial);
  const facts = factsOf(codec, identification, end, source.sizeBytes, last?.granule ?? 0);
  if (!last || !endsWith(last, source.sizeBytes)) {
    facts.isCutShort = true;
    const message = 'Its last page is not whole, or not the last one of the stream: the file was cut short.';
    issues.push({ code: 'CUT_SHORT', message, offsetBytes: last?.offset ?? end });
  }
  return { codec, facts, headerPages, headerPackets, comment, texts: { Vorbis: vorbisTexts(comment, facts) }, issues };
}

function codecOf(identification: Uint8Array): keyof typeof CODECS {
  if (asciiOf(identification.subarray(0, 7)) === '\x01vorbis' && identification.length >= 30) return 'Vorbis';
  if (asciiOf(identification.subarray(0, 8)) === 'OpusHead' && identification.length >= 19) return 'Opus';
  throw new FormatError(
    'FORMAT_NOT_SUPPORTED',
    'Ogg',
    'The first stream of this Ogg file is neither Vorbis nor Opus.',
    0,
  );
}

async function headerPagesOf(
  source: ByteSource,
  first: OggPage,
  wanted: number,
): Promise<{ headerPages: OggPage[]; headerPackets: Uint8Array[]; end: number; isShared: boolean }> {
  const headerPages: OggPage[] = [];
  const headerPackets: Uint8Array[] = [];
  let parts: Uint8Array[] = [];
  let total = 0;
  let offset = first.headerBytes + first.bodyBytes;
  while (headerPackets.length < wanted) {
    const page = await readOggPage(source, offset);
    if (page.serial !== first.serial)
      throw new FormatError(
        'FORMAT_NOT_SUPPORTED',
        'Ogg',
        'Several streams run side by side in this Ogg file.',
        offset,
      );
    total += page.bodyBytes;
    if (total > MAX_HEADER_BYTES) throw new FormatError('FORMAT_DAMAGED', 'Ogg', 'Its headers have no end.', offset);
    const body = (await source.read(offset + page.headerBytes, page.bodyBytes)).slice();
    if (body.length < page.bodyBytes)
      throw new FormatError('FORMAT_DAMAGED', 'Ogg', 'The file ends among its headers.', offset);
    headerPages.push(page);
    let at = 0;
    for (const length of page.lacing) {
      // What follows the last header on its page is audio.
      if (headerPackets.length === wanted) {
        const end = offset + page.headerBytes + at;
        return { headerPages, headerPackets, end, isShared: true };
      }
      parts.push(body.subarray(at, at + length));
      at += length;
      if (length === 255) continue;
      headerPackets.push(concatBytes(parts));
      parts = [];
    }
    offset += page.headerBytes + page.bodyBytes;
  }
  return { headerPages, headerPackets, end: offset, isShared: false };
}

/** The last page of the stream that tells where it ends, looked for near the end of the file. */
async function lastPage(source: ByteSource, serial: number): Promise<(OggPage & { granule: number }) | undefined> {
  for (const length of [MAX_PAGE_BYTES / 8, MAX_PAGE_BYTES * 2]) {
    const start = Math.max(0, source.sizeBytes - Math.floor(length));
    const bytes = await source.read(start, source.sizeBytes - start);
    for (let at = bytes.length - 27; at >= 0; at -= 1) {
      if (bytes[at] !== 0x4f) continue;
      const page = parseOggPage(bytes, at, start);
      const isWhole = page && page.offset + page.headerBytes + page.bodyBytes <= source.sizeBytes;
      if (isWhole && page.serial === serial && page.granule !== undefined) return { ...page, granule: page.granule };
    }
  }
  return undefined;
}

/** Whether the stream ends with a page, as its flag says (RFC 3533 §6). What stands behind it is no audio of this stream. */
function endsWith(page: OggPage, sizeBytes: number): boolean {
  return (page.flags & LAST_PAGE) !== 0 && page.offset + page.headerBytes + page.bodyBytes <= sizeBytes;
}

/** Vorbis I §4.2.2; OpusHead: RFC 7845 §5.1, its granules count 48 kHz samples (§4) and begin before the sound by the pre-skip. */
function factsOf(
  codec: keyof typeof CODECS,
  identification: Uint8Array,
  audioOffset: number,
  sizeBytes: number,
  granule: number,
): AudioFacts {
  const view = viewOf(identification);
  const opus = codec === 'Opus';
  const sampleRateHz = opus ? 48000 : view.getUint32(12, true);
  const channels = view.getUint8(opus ? 9 : 11);
  if (channels === 0 || sampleRateHz === 0)
    throw new FormatError('FORMAT_DAMAGED', 'Ogg', 'Its headers name no rate or channels.', 28);
  const frames = Math.max(0, granule - (opus ? view.getUint16(10, true) : 0));
  return {
    container: 'Ogg',
    codec,
    sampleFormat: 'coded',
    sampleRateHz,
    bitDepth: 0,
    channels,
    frames,
    durationSeconds: frames / sampleRateHz,
    audioOffset,
    audioBytes: Math.max(0, sizeBytes - audioOffset),
    frameBytes: 0,
    bigEndian: false,
  };
}

/** What an Ogg Vorbis or Opus file says. */
export async function readOgg(source: ByteSource): Promise<AudioFile> {
  const { facts, texts, issues } = await readOggAnatomy(source);
  return audioFile(facts, texts, issues);
}
