import type { SampleFormat } from '../audio-file.ts';
import { bytesOfAscii, concatBytes, viewOf } from '../byte-source.ts';
import { riffChunkBytes } from './riff-chunks.ts';

/** Of a WAV file that is made anew. */
export interface NewWav {
  sampleFormat: SampleFormat;
  bitDepth: number;
  channels: number;
  sampleRateHz: number;
  channelMask?: number | undefined;
  frames: number;
  /** Further chunks, with their headers, before the audio. */
  chunks?: readonly Uint8Array[];
}

const MAX_RIFF_BYTES = 0xffffffff;
const TAGS: Partial<Record<SampleFormat, number>> = { integer: 1, float: 3, alaw: 6, mulaw: 7 };
const EXTENSIBLE = 0xfffe;
/** KSDATAFORMAT_SUBTYPE_PCM and its kin after their first two bytes (Microsoft, ksmedia.h). */
const SUBTYPE = [0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xaa, 0, 0x38, 0x9b, 0x71];

/** Bytes of a frame. */
export function wavFrameBytes({ bitDepth, channels }: Pick<NewWav, 'bitDepth' | 'channels'>): number {
  return Math.ceil(bitDepth / 8) * channels;
}

/** The `fmt ` chunk: extensible for more than two channels or a mask, as Microsoft asks, else the plain one that every program reads. */
function formatChunk({ sampleFormat, bitDepth, channels, sampleRateHz, channelMask }: NewWav): Uint8Array {
  const tag = TAGS[sampleFormat] ?? 1;
  const isExtensible = channels > 2 || (channelMask ?? 0) !== 0;
  // What is not whole numbers says how much follows, be it nothing.
  const contents = new Uint8Array(isExtensible ? 40 : tag === TAGS.integer ? 16 : 18);
  const view = viewOf(contents);
  const frameBytes = wavFrameBytes({ bitDepth, channels });
  view.setUint16(0, isExtensible ? EXTENSIBLE : tag, true);
  view.setUint16(2, channels, true);
  view.setUint32(4, sampleRateHz, true);
  view.setUint32(8, sampleRateHz * frameBytes, true);
  view.setUint16(12, frameBytes, true);
  view.setUint16(14, Math.ceil(bitDepth / 8) * 8, true);
  if (isExtensible) {
    view.setUint16(16, 22, true);
    view.setUint16(18, bitDepth, true);
    view.setUint32(20, channelMask ?? 0, true);
    view.setUint16(24, tag, true);
    contents.set(SUBTYPE, 26);
  }
  return riffChunkBytes('fmt ', contents);
}

/** The `fact` chunk, which says the number of frames of all that is not whole numbers (Microsoft, “Multimedia Programming Interface and Data Specifications 1.0”). */
function factOf({ sampleFormat, frames }: NewWav): Uint8Array[] {
  if (sampleFormat === 'integer') return [];
  const contents = new Uint8Array(4);
  viewOf(contents).setUint32(0, Math.min(frames, MAX_RIFF_BYTES), true);
  return [riffChunkBytes('fact', contents)];
}

/**
 * What stands before the audio of a new WAV file, and the pad byte behind it; an RF64 file (EBU Tech 3306) where RIFF cannot hold it. The audio
 * is `frames` times wavFrameBytes long.
 */
export function newWavParts(shape: NewWav): {
  head: Uint8Array<ArrayBuffer>;
  tail: Uint8Array<ArrayBuffer>;
  audioBytes: number;
} {
  const audioBytes = shape.frames * wavFrameBytes(shape);
  const tail = new Uint8Array(audioBytes % 2);
  const format = formatChunk(shape);
  const chunks = [format, ...factOf(shape), ...(shape.chunks ?? [])];
  const sizeOf = (before: number): number =>
    4 + before + chunks.reduce((total, chunk) => total + chunk.length, 0) + 8 + audioBytes + tail.length;
  const isLong = sizeOf(0) > MAX_RIFF_BYTES;
  const ds64 = new Uint8Array(28);
  if (isLong) {
    const view = viewOf(ds64);
    view.setBigUint64(0, BigInt(sizeOf(ds64.length + 8)), true);
    view.setBigUint64(8, BigInt(audioBytes), true);
    view.setBigUint64(16, BigInt(shape.frames), true);
  }
  const header = bytesOfAscii(`${isLong ? 'RF64' : 'RIFF'}\0\0\0\0WAVE`);
  viewOf(header).setUint32(4, isLong ? MAX_RIFF_BYTES : sizeOf(0), true);
  const data = bytesOfAscii('data\0\0\0\0');
  viewOf(data).setUint32(4, isLong ? MAX_RIFF_BYTES : audioBytes, true);
  const head = concatBytes([header, ...(isLong ? [riffChunkBytes('ds64', ds64)] : []), ...chunks, data]);
  return { head, tail, audioBytes };
}
