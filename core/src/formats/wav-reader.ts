import { FormatError, type Issue } from '../errors.ts';
import { FIELD_NAMES, isEmptyValue, type FieldName, type SoundRecord } from '../record/fields.ts';
import { recordFromPlaces, type AudioFacts, type AudioFile, type FieldPlace } from './audio-file.ts';
import { parseBext, type BroadcastExtension } from './bext.ts';
import { viewOf, type ByteSource } from './byte-source.ts';
import { parseIxml } from './ixml.ts';
import { parseInfoList, type InfoItem } from './riff-info.ts';
import { readRiffChunks, type RiffChunk, type RiffFile } from './riff.ts';
import { recordedOnFromBext, valueFromText, WAV_PLACES, type WavPlace } from './wav-fields.ts';
import { parseWavFormat, type WavFormat } from './wav-format-chunk.ts';

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
  info?: LoadedChunk & { value: InfoItem[] };
  ixml?: LoadedChunk & { texts: Map<string, string> };
  issues: Issue[];
}

/** Issues after which a file is read but never written: its structure cannot be trusted. */
export const STRUCTURAL_ISSUES: readonly string[] = ['CHUNK_BEYOND_END', 'NOT_A_CHUNK', 'DATA_TO_THE_END'];

/**
 * Reads the headers and metadata of a WAV, RF64 or BW64 file, whatever its length, without reading the audio. Throws FormatError
 * when there is no usable format or data chunk.
 */
export async function readWavAnatomy(source: ByteSource): Promise<WavAnatomy> {
  const { value: riff, issues } = await readRiffChunks(source);
  const formatChunk = riff.chunks.find((chunk) => chunk.id === 'fmt ');
  const dataChunk = riff.chunks.find((chunk) => chunk.id === 'data');
  if (!formatChunk) throw new FormatError('FORMAT_DAMAGED', 'WAV', 'There is no format chunk.', 12);
  if (!dataChunk)
    throw new FormatError('FORMAT_DAMAGED', 'WAV', 'There is no data chunk: the file holds no audio.', riff.endOffset);
  const format = parseWavFormat(
    await source.read(formatChunk.dataOffset, Math.min(formatChunk.sizeBytes, 64)),
    formatChunk.offset,
  );
  const anatomy: WavAnatomy = {
    riff,
    dataChunk,
    issues,
    facts: await factsOf(source, riff, format, dataChunk, issues),
  };
  for (const chunk of riff.chunks) await loadMetadata(source, chunk, anatomy);
  if (anatomy.bext) anatomy.facts.timeReference = anatomy.bext.value.timeReference;
  return anatomy;
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
  if (!pcm && fact) frames = viewOf(await source.read(fact.dataOffset, 4)).getUint32(0, true);
  if (!pcm && frames === 0 && format.bytesPerSecond > 0)
    frames = Math.round((data.sizeBytes / format.bytesPerSecond) * format.sampleRateHz);
  if (pcm && data.sizeBytes % format.blockAlign !== 0) {
    issues.push({
      code: 'PARTIAL_FRAME',
      message: 'The audio ends in the middle of a frame.',
      offsetBytes: data.offset,
    });
  }
  return {
    container: riff.form === 'RIFF' ? 'WAV' : riff.form,
    codec: format.codec,
    sampleFormat: format.sampleFormat,
    sampleRateHz: format.sampleRateHz,
    bitDepth: format.bitDepth,
    channels: format.channels,
    ...(format.channelMask === undefined ? {} : { channelMask: format.channelMask }),
    frames,
    durationSeconds: frames / format.sampleRateHz,
    audioOffset: data.dataOffset,
    audioBytes: data.sizeBytes,
    frameBytes: pcm ? format.blockAlign : 0,
    bigEndian: false,
  };
}

async function loadMetadata(source: ByteSource, chunk: RiffChunk, anatomy: WavAnatomy): Promise<void> {
  if (chunk.id !== 'bext' && chunk.id !== 'LIST' && chunk.id !== 'iXML') return;
  if (chunk.sizeBytes > MAX_METADATA_BYTES) {
    const message = `Chunk “${chunk.id}” of ${chunk.sizeBytes} bytes is too large for metadata and was not read.`;
    anatomy.issues.push({ code: 'CHUNK_TOO_LARGE', message, offsetBytes: chunk.offset });
    return;
  }
  const contents = (await source.read(chunk.dataOffset, chunk.sizeBytes)).slice();
  if (chunk.id === 'bext' && !anatomy.bext) anatomy.bext = { chunk, contents, value: parseBext(contents) };
  if (chunk.id === 'LIST' && !anatomy.info) {
    const info = parseInfoList(contents, chunk.dataOffset);
    if (!info) return;
    anatomy.info = { chunk, contents, value: info.value };
    anatomy.issues.push(...info.issues);
  }
  if (chunk.id === 'iXML' && !anatomy.ixml) {
    const ixml = parseIxml(contents, chunk.offset);
    anatomy.ixml = { chunk, contents, texts: ixml.value.texts };
    anatomy.issues.push(...ixml.issues);
  }
}

/** What a WAV, RF64 or BW64 file says. See readWavAnatomy for bounds and errors. */
export async function readWav(source: ByteSource): Promise<AudioFile> {
  const anatomy = await readWavAnatomy(source);
  const places = placesOf(anatomy);
  return { facts: anatomy.facts, places, record: recordFromPlaces(places), issues: anatomy.issues };
}

/** Every place of every field, most trusted first within a field. */
export function placesOf(anatomy: WavAnatomy): FieldPlace[] {
  return FIELD_NAMES.flatMap((field) =>
    (WAV_PLACES[field] ?? []).flatMap((place) => {
      const found = valueAt(anatomy, field, place);
      return found === undefined || isEmptyValue(found.value) ? [] : [{ field, place, ...found }];
    }),
  );
}

function valueAt(
  anatomy: WavAnatomy,
  field: FieldName,
  place: WavPlace,
): { value: SoundRecord[FieldName]; offsetBytes: number } | undefined {
  const split = place.indexOf(' ');
  const kind = place.slice(0, split);
  const key = place.slice(split + 1);
  let text: string | undefined;
  let offsetBytes = 0;
  if (kind === 'iXML') {
    text = anatomy.ixml?.texts.get(key);
    offsetBytes = anatomy.ixml?.chunk.offset ?? 0;
  } else if (kind === 'INFO') {
    const item = anatomy.info?.value.find((candidate) => candidate.id === key);
    text = item?.text;
    offsetBytes = item?.offsetBytes ?? 0;
  } else if (anatomy.bext) {
    offsetBytes = anatomy.bext.chunk.offset;
    text =
      field === 'recordedOn'
        ? recordedOnFromBext(anatomy.bext.value)
        : String(anatomy.bext.value[key as keyof BroadcastExtension]);
  }
  const value = text === undefined ? undefined : valueFromText(field, place, text);
  return value === undefined ? undefined : { value, offsetBytes };
}
