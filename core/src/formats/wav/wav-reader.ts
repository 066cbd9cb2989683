import { FormatError, type Issue } from '../../errors.ts';
import { audioFile, type AudioFacts, type AudioFile } from '../audio-file.ts';
import { asciiOf, viewOf, type ByteSource } from '../byte-source.ts';
import type { FoundTexts } from '../field-places.ts';
import { id3Texts } from '../id3/id3-fields.ts';
import { readId3Tag, type Id3Tag } from '../id3/id3-tag.ts';
import { parseXmp } from '../xmp.ts';
import { cueMarks } from './cue-chunks.ts';
import { bextTexts, parseBext, type BroadcastExtension } from './bext.ts';
import { parseWavFormat, type WavFormat } from './format-chunk.ts';
import { parseIxml, type IxmlTexts } from './ixml.ts';
import { readRiffChunks, type RiffChunk, type RiffFile } from './riff-chunks.ts';
import { infoTexts, parseInfoList, type InfoItem } from './riff-info.ts';

const MAX_METADATA_BYTES = 16 * 1024 * 1024;

/** A metadata chunk with its contents. */
export interface LoadedChunk {
  chunk: RiffChunk;
  contents: Uint8Array;
}

/** A WAVE file taken apart: what the reader and the writer both need. */
export interface WavAnatomy {
  riff: RiffFile;
  facts: AudioFacts;
  dataChunk: RiffChunk;
  bext?: LoadedChunk & { value: BroadcastExtension };
  /** Every LIST INFO; the first counts. */
  info: (LoadedChunk & { value: InfoItem[] })[];
  ixml?: LoadedChunk & { texts: Map<string, string> };
  id3?: { chunk: RiffChunk; tag: Id3Tag };
  xmp?: LoadedChunk;
  cue?: LoadedChunk;
  /** Every LIST adtl. */
  labels: LoadedChunk[];
  texts: FoundTexts;
  issues: Issue[];
}

/**
 * Reads the headers and metadata of a WAV, RF64 or BW64 file, whatever its length, without reading the audio. Throws FormatError
 * when there is no usable format or data chunk. `loadAll` loads every ID3 frame for writing.
 */
export async function readWavAnatomy(source: ByteSource, loadAll = false): Promise<WavAnatomy> {
  const { value: riff, issues } = await readRiffChunks(source);
  const formatChunk = riff.chunks.find((chunk) => chunk.id === 'fmt ');
  const dataChunk = riff.chunks.find((chunk) => chunk.id === 'data');
  if (!formatChunk) throw new FormatError('FORMAT_DAMAGED', 'WAV', 'There is no format chunk.', 12);
  if (!dataChunk)
    throw new FormatError('FORMAT_DAMAGED', 'WAV', 'There is no data chunk: the file holds no audio.', riff.endOffset);
  const format = parseWavFormat(
    await source.read(formatChunk.dataOffset, Math.min(formatChunk.sizeBytes, 64)),
    formatChunk.offset,
    isLittleEndian(riff),
  );
  const facts = await factsOf(source, riff, format, dataChunk, issues);
  const anatomy: WavAnatomy = { riff, dataChunk, issues, facts, info: [], labels: [], texts: {} };
  for (const chunk of riff.chunks) await loadMetadata(source, chunk, anatomy, loadAll);
  if (anatomy.cue) {
    const marks = cueMarks({ cue: anatomy.cue.contents, lists: anatomy.labels.map(({ contents }) => contents) });
    anatomy.texts.cue = new Map([['marks', { text: marks, offsetBytes: anatomy.cue.chunk.dataOffset }]]);
  }
  if (anatomy.bext) anatomy.facts.timeReference = anatomy.bext.value.timeReference;
  return anatomy;
}

function isLittleEndian({ form }: RiffFile): boolean {
  return form !== 'RIFX';
}

async function factsOf(
  source: ByteSource,
  riff: RiffFile,
  format: WavFormat,
  data: RiffChunk,
  issues: Issue[],
): Promise<AudioFacts> {
  const pcm = format.sampleFormat !== 'coded';
  let frames = pcm ? Math.floor(data.sizeBytes / format.blockAlign) : 0;
  const fact = riff.chunks.find((chunk) => chunk.id === 'fact' && chunk.sizeBytes >= 4);
  if (!pcm && fact) frames = viewOf(await source.read(fact.dataOffset, 4)).getUint32(0, isLittleEndian(riff));
  if (!pcm && frames === 0 && format.bytesPerSecond > 0)
    frames = Math.round((data.sizeBytes / format.bytesPerSecond) * format.sampleRateHz);
  if (pcm && data.sizeBytes % format.blockAlign !== 0) {
    issues.push({
      code: 'PARTIAL_FRAME',
      message: 'The audio ends in the middle of a frame.',
      offsetBytes: data.offset,
    });
  }
  const isEstimated = !pcm && !fact && frames > 0;
  const isCutShort = issues.some(({ code, offsetBytes }) => code === 'CHUNK_BEYOND_END' && offsetBytes === data.offset);
  return {
    ...(isEstimated ? { isLengthEstimated: true } : {}),
    ...(isCutShort ? { isCutShort } : {}),
    container: riff.form === 'RIFF' ? 'WAV' : riff.form,
    codec: format.codec,
    sampleFormat: format.sampleFormat,
    sampleRateHz: format.sampleRateHz,
    bitDepth: format.bitDepth,
    channels: format.channels,
    ...(format.channelMask === undefined ? {} : { channelMask: format.channelMask }),
    ...(format.isAmbisonic ? { isAmbisonic: true } : {}),
    frames,
    durationSeconds: frames / format.sampleRateHz,
    audioOffset: data.dataOffset,
    audioBytes: data.sizeBytes,
    frameBytes: pcm ? format.blockAlign : 0,
    bigEndian: !isLittleEndian(riff),
  };
}

const METADATA_CHUNKS: readonly string[] = ['bext', 'LIST', 'cue ', 'iXML', '_PMX', 'id3 ', 'ID3 '];
/** Chunks that are texts and numbers of one byte, whatever the order of bytes is. */
const WITHOUT_BYTE_ORDER: readonly string[] = ['LIST', 'iXML', '_PMX', 'id3 ', 'ID3 '];

async function loadMetadata(
  source: ByteSource,
  chunk: RiffChunk,
  anatomy: WavAnatomy,
  loadAll: boolean,
): Promise<void> {
  const readable = isLittleEndian(anatomy.riff) ? METADATA_CHUNKS : WITHOUT_BYTE_ORDER;
  if (!readable.includes(chunk.id)) return;
  if (chunk.sizeBytes > MAX_METADATA_BYTES) {
    const message = `Chunk “${chunk.id}” of ${chunk.sizeBytes} bytes is too large for metadata and was not read.`;
    anatomy.issues.push({ code: 'CHUNK_TOO_LARGE', message, offsetBytes: chunk.offset });
    return;
  }
  if (chunk.id === 'id3 ' || chunk.id === 'ID3 ') return loadId3(source, chunk, anatomy, loadAll);
  const contents = (await source.read(chunk.dataOffset, chunk.sizeBytes)).slice();
  if (chunk.id === 'bext') {
    if (anatomy.bext) return reportSecond(chunk, anatomy);
    anatomy.bext = { chunk, contents, value: parseBext(contents) };
    anatomy.texts.bext = bextTexts(anatomy.bext.value, chunk.dataOffset);
  } else if (chunk.id === 'LIST') {
    if (asciiOf(contents.subarray(0, 4)) === 'adtl') anatomy.labels.push({ chunk, contents });
    const info = parseInfoList(contents, chunk.dataOffset, isLittleEndian(anatomy.riff));
    if (!info) return;
    anatomy.info.push({ chunk, contents, value: info.value });
    anatomy.texts.INFO = infoTexts(anatomy.info.flatMap(({ value }) => value));
    anatomy.issues.push(...info.issues);
  } else if (chunk.id === 'cue ') {
    if (anatomy.cue) return reportSecond(chunk, anatomy);
    anatomy.cue = { chunk, contents };
  } else if (chunk.id === 'iXML') {
    if (anatomy.ixml) return reportSecond(chunk, anatomy);
    const { value, issues } = parseIxml(contents, chunk.offset);
    anatomy.ixml = { chunk, contents, texts: value.texts };
    anatomy.texts.iXML = new Map([...value.texts].map(([key, text]) => [key, { text, offsetBytes: chunk.offset }]));
    anatomy.issues.push(...issues);
    nameTracks(anatomy.facts, value);
  } else if (!anatomy.xmp) {
    const { value, issues } = parseXmp(contents, chunk.dataOffset);
    anatomy.xmp = { chunk, contents };
    anatomy.texts.XMP = value;
    anatomy.issues.push(...issues);
  }
}

/** What iXML says of the channels: their names, and whether ASWG calls them ambisonic. */
function nameTracks(facts: AudioFacts, { tracks, texts }: IxmlTexts): void {
  if ((texts.get('ASWG/ambisonicFormat') ?? '') !== '') facts.isAmbisonic = true;
  const named = tracks.filter(({ channel }) => channel <= facts.channels);
  if (named.length === 0) return;
  facts.trackNames = Array.from(
    { length: facts.channels },
    (_, index) => named.find(({ channel }) => channel === index + 1)?.name ?? '',
  );
}

function reportSecond(chunk: RiffChunk, anatomy: WavAnatomy): void {
  const message = `There is a second “${chunk.id}” chunk; the first one counts, this one is left as it is.`;
  anatomy.issues.push({ code: 'SECOND_CHUNK', message, offsetBytes: chunk.offset });
}

async function loadId3(source: ByteSource, chunk: RiffChunk, anatomy: WavAnatomy, loadAll: boolean): Promise<void> {
  const tag = anatomy.id3 ? undefined : await readId3Tag(source, chunk.dataOffset, loadAll);
  if (!tag) return;
  anatomy.id3 = { chunk, tag };
  anatomy.texts.ID3 = id3Texts(tag, anatomy.facts);
  anatomy.issues.push(...tag.issues);
}

/** What a WAV, RF64 or BW64 file says. See readWavAnatomy for bounds and errors. */
export async function readWav(source: ByteSource): Promise<AudioFile> {
  const { facts, texts, issues } = await readWavAnatomy(source);
  return audioFile(facts, texts, issues);
}
