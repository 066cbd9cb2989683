import { aiffChunkBytes } from '@flagstone/core/formats/aiff/aiff-chunks';
import { bytesOfAscii, concatBytes, viewOf } from '@flagstone/core/formats/byte-source';
import { FLAC_BLOCK, flacBlockBytes } from '@flagstone/core/formats/flac/flac-blocks';
import { oggPageBytes } from '@flagstone/core/formats/ogg/ogg-pages';
import { writeVorbisComment } from '@flagstone/core/formats/vorbis-comment';
import { sampleBytes, type WavShape } from './wav-file.ts';

/**
 * Small files of the containers beside WAV, laid out byte by byte. AIFF and CAF hold real samples; of the coded ones only the structure is real,
 * which is enough for tests of what stands around the audio.
 */
export interface AiffLayout {
  /** Compression type of an AIFF-C file; plain AIFF when absent. */
  compression?: 'NONE' | 'sowt' | 'fl32';
  /** Chunks before and behind the audio. */
  before?: Uint8Array[];
  behind?: Uint8Array[];
}

/** An AIFF or AIFF-C file of the same samples as wavBytes gives for the signals. */
export function aiffBytes(
  channels: Float32Array[],
  shape: WavShape,
  { compression, before = [], behind = [] }: AiffLayout = {},
): Uint8Array<ArrayBuffer> {
  const common = new Uint8Array(18);
  const view = viewOf(common);
  view.setUint16(0, channels.length);
  view.setUint32(2, channels[0]?.length ?? 0);
  view.setUint16(6, shape.bits);
  common.set(extendedBytes(shape.rate), 8);
  const type = compression === undefined ? [] : [bytesOfAscii(compression), Uint8Array.of(0, 0)];
  const width = shape.bits / 8;
  const samples = sampleBytes(channels, shape);
  const stored =
    shape.bits === 8 ? samples.map((byte) => byte ^ 0x80) : compression === 'sowt' ? samples : turned(samples, width);
  const body = concatBytes([
    bytesOfAscii(compression === undefined ? 'AIFF' : 'AIFC'),
    aiffChunkBytes('COMM', concatBytes([common, ...type])),
    ...before,
    aiffChunkBytes('SSND', concatBytes([new Uint8Array(8), stored])),
    ...behind,
  ]);
  return aiffChunkBytes('FORM', body).subarray(0, 8 + body.length);
}

function turned(samples: Uint8Array, width: number): Uint8Array {
  const bytes = new Uint8Array(samples.length);
  for (let at = 0; at < samples.length; at += width) bytes.set(samples.subarray(at, at + width).toReversed(), at);
  return bytes;
}

/** A whole number as an 80-bit extended one. */
export function extendedBytes(value: number): Uint8Array {
  const exponent = Math.floor(Math.log2(value));
  const bytes = new Uint8Array(10);
  viewOf(bytes).setUint16(0, 16383 + exponent);
  viewOf(bytes).setBigUint64(2, BigInt(value) << BigInt(63 - exponent));
  return bytes;
}

/** A CAF file of little-endian samples. */
export function cafBytes(channels: Float32Array[], shape: WavShape): Uint8Array<ArrayBuffer> {
  const description = new Uint8Array(32);
  const view = viewOf(description);
  view.setFloat64(0, shape.rate);
  description.set(bytesOfAscii('lpcm'), 8);
  view.setUint32(12, (shape.float ? 1 : 0) | 2);
  view.setUint32(16, (shape.bits / 8) * channels.length);
  view.setUint32(20, 1);
  view.setUint32(24, channels.length);
  view.setUint32(28, shape.bits);
  const chunk = (id: string, contents: Uint8Array): Uint8Array => {
    const head = concatBytes([bytesOfAscii(id), new Uint8Array(8)]);
    viewOf(head).setBigInt64(4, BigInt(contents.length));
    return concatBytes([head, contents]);
  };
  const data = concatBytes([new Uint8Array(4), sampleBytes(channels, shape)]);
  return concatBytes([bytesOfAscii('caff\0\x01\0\0'), chunk('desc', description), chunk('data', data)]);
}

/** A FLAC file with STREAMINFO of 48 kHz, 16 bit, mono, and bytes in place of frames. */
export function flacBytes(
  frames: number,
  blocks: [type: number, contents: Uint8Array][] = [],
): Uint8Array<ArrayBuffer> {
  const info = new Uint8Array(34);
  const view = viewOf(info);
  view.setUint32(10, (48000 << 12) | (0 << 9) | (15 << 4));
  view.setUint32(14, frames);
  info.fill(0xab, 18, 34);
  const all: [number, Uint8Array][] = [[FLAC_BLOCK.streamInfo, info], ...blocks];
  return concatBytes([
    bytesOfAscii('fLaC'),
    ...all.map(([type, contents], index) => flacBlockBytes(type, contents, index === all.length - 1)),
    noise(frames),
  ]);
}

/** MPEG 1 layer 3 frames of 128 kbit/s at 48 kHz, joint stereo, 384 bytes each, silent but for their headers. */
export function mp3Frames(count: number): Uint8Array<ArrayBuffer> {
  const bytes = new Uint8Array(count * 384);
  for (let frame = 0; frame < count; frame += 1) bytes.set([0xff, 0xfb, 0x94, 0x64], frame * 384);
  return bytes;
}

/** An Ogg file with real header pages and one page in place of audio. */
export function oggBytes(codec: 'Vorbis' | 'Opus', frames: number): Uint8Array<ArrayBuffer> {
  const identification = new Uint8Array(codec === 'Vorbis' ? 30 : 19);
  identification.set(bytesOfAscii(codec === 'Vorbis' ? '\x01vorbis' : 'OpusHead'));
  const view = viewOf(identification);
  if (codec === 'Vorbis') {
    identification[11] = 1;
    view.setUint32(12, 48000, true);
  } else {
    identification.set([1, 1], 8);
    view.setUint16(10, 312, true);
  }
  const comments = writeVorbisComment(undefined, new Map());
  const packets =
    codec === 'Vorbis'
      ? [
          concatBytes([bytesOfAscii('\x03vorbis'), comments, Uint8Array.of(1)]),
          concatBytes([bytesOfAscii('\x05vorbis'), noise(600)]),
        ]
      : [concatBytes([bytesOfAscii('OpusTags'), comments])];
  const page = (sequence: number, flags: number, granule: number, contents: Uint8Array[]): Uint8Array => {
    const lacing = contents.flatMap(({ length }) => [
      ...new Array<number>(Math.floor(length / 255)).fill(255),
      length % 255,
    ]);
    return oggPageBytes({ flags, granule, serial: 7, sequence }, Uint8Array.from(lacing), concatBytes(contents));
  };
  return concatBytes([
    page(0, 2, 0, [identification]),
    page(1, 0, 0, packets),
    page(2, 4, frames + (codec === 'Opus' ? 312 : 0), [noise(900)]),
  ]);
}

/** Bytes that look like nothing. */
function noise(length: number): Uint8Array<ArrayBuffer> {
  return Uint8Array.from({ length }, (_, index) => (index * 7919 + 13) % 251);
}
