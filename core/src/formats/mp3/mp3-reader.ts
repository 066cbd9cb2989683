import { FormatError, type Issue } from '../../errors.ts';
import { audioFile, type AudioFacts, type AudioFile } from '../audio-file.ts';
import { asciiOf, viewOf, type ByteSource } from '../byte-source.ts';
import type { FoundTexts } from '../field-places.ts';
import { id3Texts } from '../id3/id3-fields.ts';
import { id3TagSize, readId3Tag, type Id3Tag } from '../id3/id3-tag.ts';
import { ID3V1_BYTES, id3v1Texts, readId3v1 } from '../id3/id3v1.ts';
import { endsInFrame, findFirstFrame, type FirstFrame } from './frame-rows.ts';
import { parseMpegSummary } from './mpeg-frame.ts';

const MAX_LEADING_TAGS = 8;
const APE_FOOTER_BYTES = 32;

/** An MP3 file taken apart: what the reader and the writer both need. */
export interface Mp3Anatomy {
  facts: AudioFacts;
  /** The first tag; further ones that follow it are kept and not read. */
  tag?: Id3Tag;
  /** Where what follows the leading tags begins. */
  leadingEnd: number;
  id3v1?: Uint8Array;
  texts: FoundTexts;
  issues: Issue[];
}

/** Reads the tags and the first frames. Throws FORMAT_DAMAGED when no two MPEG audio frames follow each other near the start. */
export async function readMp3Anatomy(source: ByteSource, loadAll = false): Promise<Mp3Anatomy> {
  const issues: Issue[] = [];
  const texts: FoundTexts = {};
  const tag = await readId3Tag(source, 0, loadAll);
  let leadingEnd = 0;
  for (let count = 0; count < MAX_LEADING_TAGS; count += 1) {
    const size = id3TagSize(await source.read(leadingEnd, 10));
    if (size === undefined) break;
    if (count === 1)
      issues.push({
        code: 'SECOND_TAG',
        message: 'A second ID3 tag follows the first; it is left as it is.',
        offsetBytes: leadingEnd,
      });
    leadingEnd += size;
  }
  const first = await findFirstFrame(source, leadingEnd);
  if (!first)
    throw new FormatError(
      'FORMAT_DAMAGED',
      'MP3',
      'No MPEG audio frames stand where its audio should begin.',
      leadingEnd,
    );
  const trailing = await trailingTags(source);
  const audioBytes = Math.max(0, trailing.start - leadingEnd);
  const facts = factsOf(first, leadingEnd, audioBytes);
  if (await endsInFrame(source, trailing.start, first)) {
    facts.isCutShort = true;
    issues.push({ code: 'CUT_SHORT', message: 'It ends in the middle of a frame: the file was cut short.' });
  }
  if (tag) {
    texts.ID3 = id3Texts(tag, facts);
    issues.push(...tag.issues);
  }
  if (trailing.id3v1) texts.ID3v1 = id3v1Texts(trailing.id3v1, source.sizeBytes - ID3V1_BYTES);
  return {
    facts,
    ...(tag ? { tag } : {}),
    leadingEnd,
    ...(trailing.id3v1 ? { id3v1: trailing.id3v1 } : {}),
    texts,
    issues,
  };
}

/** ID3v1 and APEv2 tags at the end: where the first of them begins. APEv2's footer is common practice. */
async function trailingTags(source: ByteSource): Promise<{ start: number; id3v1?: Uint8Array }> {
  // Both tags in one read; a windowed source keeps what it read for the other.
  await source.read(Math.max(0, source.sizeBytes - ID3V1_BYTES - APE_FOOTER_BYTES), ID3V1_BYTES + APE_FOOTER_BYTES);
  const id3v1 = await readId3v1(source);
  let start = source.sizeBytes - (id3v1 ? ID3V1_BYTES : 0);
  const footer = start >= APE_FOOTER_BYTES ? await source.read(start - APE_FOOTER_BYTES, APE_FOOTER_BYTES) : undefined;
  if (footer?.length === APE_FOOTER_BYTES && asciiOf(footer.subarray(0, 8)) === 'APETAGEX') {
    const view = viewOf(footer);
    const size = view.getUint32(12, true) + (view.getUint32(20, true) & 0x80000000 ? APE_FOOTER_BYTES : 0);
    if (size <= start) start -= size;
  }
  return { start, ...(id3v1 ? { id3v1 } : {}) };
}

function factsOf({ frame, bytes, at, offset }: FirstFrame, audioOffset: number, audioBytes: number): AudioFacts {
  const summary = parseMpegSummary(bytes, at, frame);
  const soundBytes = audioOffset + audioBytes - offset - (summary ? frame.sizeBytes : 0);
  const estimated = Math.round(((soundBytes * 8) / frame.bitRate) * frame.sampleRateHz);
  const counted = (summary?.frameCount ?? 0) * frame.samplesPerFrame;
  const trimmed = counted - (summary?.delay ?? 0) - (summary?.padding ?? 0);
  const frames = counted > 0 ? Math.max(0, trimmed) : Math.max(0, estimated);
  return {
    container: 'MP3',
    codec: `MPEG ${frame.version} Layer ${frame.layer}`,
    sampleFormat: 'coded',
    sampleRateHz: frame.sampleRateHz,
    bitDepth: 0,
    channels: frame.channels,
    frames,
    durationSeconds: frames / frame.sampleRateHz,
    audioOffset,
    audioBytes,
    frameBytes: 0,
    bigEndian: false,
    ...(counted > 0 ? {} : { isLengthEstimated: true }),
    ...(summary?.delay === undefined ? {} : { encoderDelayFrames: summary.delay }),
  };
}

/** What an MP3 file says. */
export async function readMp3(source: ByteSource): Promise<AudioFile> {
  const { facts, texts, issues } = await readMp3Anatomy(source);
  return audioFile(facts, texts, issues);
}
