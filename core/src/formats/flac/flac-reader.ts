import { FormatError, type Issue } from '../../errors.ts';
import { audioFile, type AudioFacts, type AudioFile } from '../audio-file.ts';
import { viewOf, type ByteSource } from '../byte-source.ts';
import type { FoundTexts } from '../field-places.ts';
import { id3Texts } from '../id3/id3-fields.ts';
import { readId3Tag, type Id3Tag } from '../id3/id3-tag.ts';
import { parseVorbisComment, vorbisTexts, type VorbisComment } from '../vorbis-comment.ts';
import { samplesByLastFrame } from './last-frame.ts';
import { FLAC_BLOCK, readFlacBlocks, type FlacBlock, type FlacBlocks } from './flac-blocks.ts';

/** A FLAC file taken apart: what the reader and the writer both need. */
export interface FlacAnatomy {
  layout: FlacBlocks;
  facts: AudioFacts;
  comment?: { block: FlacBlock; value: VorbisComment };
  /** A tag that stands before the stream, against RFC 9639 but common; other programs read it first. */
  tag?: Id3Tag;
  texts: FoundTexts;
  issues: Issue[];
}

/** Reads the metadata blocks without the frames, of a tag before them everything with `loadAll`. Throws FormatError when there is no usable STREAMINFO. */
export async function readFlacAnatomy(source: ByteSource, loadAll = false): Promise<FlacAnatomy> {
  const { value: layout, issues } = await readFlacBlocks(source);
  const [info] = layout.blocks;
  if (info?.type !== FLAC_BLOCK.streamInfo || info.sizeBytes < 34)
    throw new FormatError('FORMAT_DAMAGED', 'FLAC', 'STREAMINFO is not its first block.', layout.markerOffset + 4);
  const streamInfo = (await source.read(info.dataOffset, 34)).slice();
  const facts = factsOf(streamInfo, layout.framesOffset, source.sizeBytes);
  if (facts.frames === 0 && facts.audioBytes > 0) {
    facts.frames = (await samplesByLastFrame(source, layout.framesOffset, viewOf(streamInfo).getUint16(0))) ?? 0;
    facts.durationSeconds = facts.frames / facts.sampleRateHz;
  }
  const anatomy: FlacAnatomy = { layout, facts, texts: {}, issues };
  const block = layout.blocks.find(({ type }) => type === FLAC_BLOCK.vorbisComment);
  if (block) {
    const parsed = parseVorbisComment(await source.read(block.dataOffset, block.sizeBytes), block.dataOffset);
    anatomy.comment = { block, value: parsed.value };
    anatomy.texts.Vorbis = vorbisTexts(parsed.value, facts);
    issues.push(...parsed.issues);
  }
  if (layout.markerOffset > 0) {
    const tag = await readId3Tag(source, 0, loadAll);
    if (tag) {
      anatomy.tag = tag;
      anatomy.texts.ID3 = id3Texts(tag, facts);
    }
  }
  return anatomy;
}

/** STREAMINFO, RFC 9639 §8.2: rate in 20 bits, channels less one in 3, bits less one in 5, samples in 36, then the MD5 of the samples. */
function factsOf(info: Uint8Array, audioOffset: number, sizeBytes: number): AudioFacts {
  const view = viewOf(info);
  const packed = view.getUint32(10);
  const sampleRateHz = packed >>> 12;
  if (sampleRateHz === 0)
    throw new FormatError('FORMAT_DAMAGED', 'FLAC', 'STREAMINFO names a rate of 0 Hz.', audioOffset);
  const frames = (view.getUint8(13) & 0x0f) * 2 ** 32 + view.getUint32(14);
  const md5 = Array.from(info.subarray(18, 34), (byte) => byte.toString(16).padStart(2, '0')).join('');
  return {
    container: 'FLAC',
    codec: 'FLAC',
    sampleFormat: 'coded',
    sampleRateHz,
    bitDepth: ((packed >>> 4) & 0x1f) + 1,
    channels: ((packed >>> 9) & 0x07) + 1,
    frames,
    durationSeconds: frames / sampleRateHz,
    audioOffset,
    audioBytes: sizeBytes - audioOffset,
    frameBytes: 0,
    bigEndian: false,
    ...(/^0+$/.test(md5) ? {} : { decodedMd5: md5 }),
  };
}

/** What a FLAC file says. */
export async function readFlac(source: ByteSource): Promise<AudioFile> {
  const { facts, texts, issues } = await readFlacAnatomy(source);
  return audioFile(facts, texts, issues);
}
