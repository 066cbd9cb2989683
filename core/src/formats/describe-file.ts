import { FormatError } from '../errors.ts';
import { describeAiff } from './aiff/describe-aiff.ts';
import { readAu } from './au/au-reader.ts';
import type { ByteSource } from './byte-source.ts';
import { readCafChunks } from './caf/caf-reader.ts';
import { containerOf, type ContainerKind } from './container.ts';
import {
  describeChunk,
  detailsOf,
  FieldReader,
  type BlockDetail,
  type ChunkKind,
  type FileBlock,
} from './file-block.ts';
import { describeFlac } from './flac/describe-flac.ts';
import { describeMp3 } from './mp3/describe-mp3.ts';
import { readMp4Boxes } from './mp4-boxes.ts';
import { describeOgg } from './ogg/describe-ogg.ts';
import { readW64Chunks } from './w64/w64-reader.ts';
import { describeWav } from './wav/describe-wav.ts';

const DESCRIBERS: Record<ContainerKind, (source: ByteSource) => Promise<FileBlock[]>> = {
  wave: describeWav,
  aiff: describeAiff,
  flac: describeFlac,
  mp3: describeMp3,
  ogg: describeOgg,
  caf: describeCaf,
  m4a: describeM4a,
  w64: describeW64,
  au: describeAu,
};

/** Everything that stands in a file, block by block in its order. Throws what reading the file throws. */
export async function describeFile(source: ByteSource): Promise<FileBlock[]> {
  const kind = await containerOf(source);
  if (kind === undefined)
    throw new FormatError('FORMAT_UNKNOWN', 'file', 'It is no audio format that Flagstone knows.', 0);
  return DESCRIBERS[kind](source);
}

const CAF_KINDS: Record<string, ChunkKind> = {
  desc: {
    what: 'Format',
    kind: 'structure',
    decode: (bytes) => [{ name: 'Codec', value: new FieldReader(bytes.subarray(8), false).text(4) }],
  },
  data: { what: 'Audio', kind: 'audio' },
  free: { what: 'Padding', kind: 'padding' },
  info: { what: 'Texts', kind: 'metadata', decode: cafTexts },
};

async function describeCaf(source: ByteSource): Promise<FileBlock[]> {
  const { value: chunks } = await readCafChunks(source);
  return Promise.all(chunks.map((chunk) => describeChunk(source, chunk, CAF_KINDS[chunk.id])));
}

const W64_KINDS: Record<string, ChunkKind> = {
  'fmt ': { what: 'Format', kind: 'structure' },
  data: { what: 'Audio', kind: 'audio' },
  junk: { what: 'Padding', kind: 'padding' },
};

async function describeW64(source: ByteSource): Promise<FileBlock[]> {
  const { value: chunks } = await readW64Chunks(source);
  return Promise.all(chunks.map((chunk) => describeChunk(source, chunk, W64_KINDS[chunk.id])));
}

async function describeAu(source: ByteSource): Promise<FileBlock[]> {
  const { facts } = await readAu(source);
  const { codec, sampleRateHz, channels } = facts;
  const header = { id: '.snd', what: 'File header', offsetBytes: 0, sizeBytes: facts.audioOffset };
  const audio = { id: 'audio', what: 'Audio', offsetBytes: facts.audioOffset, sizeBytes: facts.audioBytes };
  return [
    { ...header, kind: 'structure', details: detailsOf({ Codec: codec, Rate: sampleRateHz, Channels: channels }) },
    { ...audio, kind: 'audio', details: [] },
  ];
}

/** A count, then keys and values that each end in NUL. */
function cafTexts(bytes: Uint8Array): BlockDetail[] {
  const fields = new FieldReader(bytes, false);
  const count = fields.uint32();
  const texts = new TextDecoder().decode(fields.rest()).split('\0');
  return Array.from({ length: Math.min(count, Math.floor(texts.length / 2)) }, (_, index) => ({
    name: texts[index * 2] ?? '',
    value: texts[index * 2 + 1] ?? '',
  }));
}

const M4A_NAMES: Record<string, string> = {
  ftyp: 'File type',
  moov: 'Description',
  mdat: 'Audio',
  free: 'Padding',
  skip: 'Padding',
};

async function describeM4a(source: ByteSource): Promise<FileBlock[]> {
  return (await readMp4Boxes(source)).map((box) => ({
    id: box.type,
    what: M4A_NAMES[box.type] ?? 'Not known to Flagstone',
    offsetBytes: box.offset,
    sizeBytes: box.spanBytes,
    kind: box.type === 'mdat' ? 'audio' : M4A_NAMES[box.type] === 'Padding' ? 'padding' : 'structure',
    details: detailsOf({}),
  }));
}
