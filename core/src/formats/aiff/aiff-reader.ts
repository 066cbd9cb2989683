import { FormatError, type Issue } from '../../errors.ts';
import { audioFile, type AudioFacts, type AudioFile } from '../audio-file.ts';
import { readExactly, viewOf, type ByteSource } from '../byte-source.ts';
import type { FoundText, FoundTexts } from '../field-places.ts';
import { id3Texts } from '../id3/id3-fields.ts';
import { readId3Tag, type Id3Tag } from '../id3/id3-tag.ts';
import { decodeWithEvidence } from '../text-encoding.ts';
import { parseIxml } from '../wav/ixml.ts';
import { aiffMarks } from './marker-chunk.ts';
import { readAiffChunks, type AiffChunk, type AiffForm } from './aiff-chunks.ts';
import { parseAiffCommon } from './common-chunk.ts';

const MAX_METADATA_BYTES = 16 * 1024 * 1024;

/** The text chunks of AIFF 1.3 p. 18 by their key among the places. */
export const AIFF_TEXT_CHUNKS: Readonly<Record<string, string>> = {
  NAME: 'NAME',
  AUTH: 'AUTH',
  '(c) ': '(c)',
  ANNO: 'ANNO',
};

/** An AIFF file taken apart: what the reader and the writer both need. */
export interface AiffAnatomy {
  form: AiffForm;
  facts: AudioFacts;
  soundChunk: AiffChunk;
  /** The first chunk of each text. */
  textChunks: Map<string, { chunk: AiffChunk; contents: Uint8Array }>;
  id3?: { chunk: AiffChunk; tag: Id3Tag };
  ixml?: { chunk: AiffChunk; contents: Uint8Array };
  markers?: { chunk: AiffChunk; contents: Uint8Array };
  texts: FoundTexts;
  issues: Issue[];
}

/** Reads headers and metadata without the audio. Throws FormatError when there is no usable COMM or SSND chunk. */
export async function readAiffAnatomy(source: ByteSource, loadAll = false): Promise<AiffAnatomy> {
  const { value: form, issues } = await readAiffChunks(source);
  const common = form.chunks.find((chunk) => chunk.id === 'COMM');
  const soundChunk = form.chunks.find((chunk) => chunk.id === 'SSND');
  if (!common) throw new FormatError('FORMAT_DAMAGED', 'AIFF', 'There is no COMM chunk.', 12);
  if (!soundChunk)
    throw new FormatError('FORMAT_DAMAGED', 'AIFF', 'There is no SSND chunk: the file holds no audio.', form.endOffset);
  const facts = await factsOf(source, form, common, soundChunk, issues);
  const texts: FoundTexts = {};
  const anatomy: AiffAnatomy = { form, facts, soundChunk, textChunks: new Map(), texts, issues };
  const native = new Map<string, FoundText>();
  for (const chunk of form.chunks) {
    const key = AIFF_TEXT_CHUNKS[chunk.id];
    if (key === undefined && !['ID3 ', 'iXML', 'MARK'].includes(chunk.id)) continue;
    if (chunk.sizeBytes > MAX_METADATA_BYTES) {
      const message = `Chunk “${chunk.id}” of ${chunk.sizeBytes} bytes is too large for metadata and was not read.`;
      issues.push({ code: 'CHUNK_TOO_LARGE', message, offsetBytes: chunk.offset });
      continue;
    }
    if (chunk.id === 'ID3 ') {
      const tag = anatomy.id3 ? undefined : await readId3Tag(source, chunk.dataOffset, loadAll);
      if (!tag) continue;
      anatomy.id3 = { chunk, tag };
      texts.ID3 = id3Texts(tag, facts);
      issues.push(...tag.issues);
      continue;
    }
    const contents = (await source.read(chunk.dataOffset, chunk.sizeBytes)).slice();
    if (key !== undefined && !anatomy.textChunks.has(key)) {
      anatomy.textChunks.set(key, { chunk, contents });
      native.set(key, { ...decodeWithEvidence(contents), offsetBytes: chunk.dataOffset });
    } else if (chunk.id === 'MARK' && !anatomy.markers) {
      anatomy.markers = { chunk, contents };
      native.set('MARK', { text: aiffMarks(contents), offsetBytes: chunk.dataOffset });
    } else if (chunk.id === 'iXML' && !anatomy.ixml) {
      const parsed = parseIxml(contents, chunk.offset);
      anatomy.ixml = { chunk, contents };
      texts.iXML = new Map([...parsed.value.texts].map(([path, text]) => [path, { text, offsetBytes: chunk.offset }]));
      issues.push(...parsed.issues);
    }
  }
  texts.AIFF = native;
  return anatomy;
}

async function factsOf(
  source: ByteSource,
  form: AiffForm,
  commonChunk: AiffChunk,
  soundChunk: AiffChunk,
  issues: Issue[],
): Promise<AudioFacts> {
  const common = parseAiffCommon(
    await source.read(commonChunk.dataOffset, Math.min(commonChunk.sizeBytes, 64)),
    form.compressed,
    commonChunk.offset,
  );
  // SSND begins with an offset to the first sample and a block size, AIFF 1.3 p. 8.
  const start = viewOf(await readExactly(source, 'AIFF', soundChunk.dataOffset, 8)).getUint32(0);
  const room = soundChunk.sizeBytes - 8 - start;
  if (room < 0)
    throw new FormatError('FORMAT_DAMAGED', 'AIFF', 'The audio begins behind its chunk.', soundChunk.offset);
  const pcm = common.sampleFormat !== 'coded';
  const frameBytes = pcm ? Math.ceil(common.bitDepth / 8) * common.channels : 0;
  const audioBytes = pcm ? Math.min(room, common.frames * frameBytes) : room;
  const frames = pcm ? Math.floor(audioBytes / frameBytes) : common.frames;
  if (pcm && room !== common.frames * frameBytes) {
    const message = `COMM names ${common.frames} frames, SSND has room for ${Math.floor(room / frameBytes)}.`;
    issues.push({ code: 'FRAMES_DIFFER', message, offsetBytes: soundChunk.offset });
  }
  const isBeyondEnd = issues.some(
    ({ code, offsetBytes }) => code === 'CHUNK_BEYOND_END' && offsetBytes === soundChunk.offset,
  );
  const isCutShort = isBeyondEnd || (pcm && room < common.frames * frameBytes);
  return {
    ...(isCutShort ? { isCutShort } : {}),
    container: form.compressed ? 'AIFF-C' : 'AIFF',
    codec: common.codec,
    sampleFormat: common.sampleFormat,
    sampleRateHz: common.sampleRateHz,
    bitDepth: common.bitDepth,
    channels: common.channels,
    frames,
    durationSeconds: frames / common.sampleRateHz,
    audioOffset: soundChunk.dataOffset + 8 + start,
    audioBytes,
    frameBytes,
    bigEndian: common.bigEndian,
    ...(common.signedBytes ? { signedBytes: true } : {}),
  };
}

/** What an AIFF or AIFF-C file says. */
export async function readAiff(source: ByteSource): Promise<AudioFile> {
  const { facts, texts, issues } = await readAiffAnatomy(source);
  return audioFile(facts, texts, issues);
}
