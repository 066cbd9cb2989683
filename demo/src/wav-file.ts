import { bytesOfAscii, concatBytes, viewOf } from '@flagstone/core/formats/byte-source';
import { writeBext } from '@flagstone/core/formats/wav/bext';
import { writeIxml } from '@flagstone/core/formats/wav/ixml';
import { writeInfoList } from '@flagstone/core/formats/wav/riff-info';
import { riffChunkBytes } from '@flagstone/core/formats/wav/riff-chunks';

/** How samples are stored in a made file. */
export interface WavShape {
  rate: number;
  bits: 8 | 16 | 24 | 32;
  float?: boolean;
  /** Writes WAVE_FORMAT_EXTENSIBLE with this speaker mask. */
  channelMask?: number;
}

/** Metadata to lay into a made file, place by place, so that places can contradict each other. */
export interface WavTags {
  info?: Record<string, string>;
  bext?: { description?: string; originator?: string; originationDate?: string; originationTime?: string };
  ixml?: Record<string, string>;
}

/** The bytes of a WAV file. `channels` holds one signal each, full scale 1. `extra` chunks follow the audio. */
export function wavBytes(
  channels: Float32Array[],
  shape: WavShape,
  tags: WavTags = {},
  extra: Uint8Array[] = [],
): Uint8Array<ArrayBuffer> {
  const chunks: Uint8Array[] = [];
  if (tags.bext) chunks.push(riffChunkBytes('bext', writeBext(undefined, tags.bext)));
  chunks.push(riffChunkBytes('fmt ', formatChunk(channels.length, shape)));
  if (shape.float || shape.channelMask !== undefined) chunks.push(factChunk(channels[0]?.length ?? 0));
  if (tags.info) chunks.push(writeInfoList([], new Map(Object.entries(tags.info))) ?? new Uint8Array(0));
  if (tags.ixml) chunks.push(riffChunkBytes('iXML', writeIxml(undefined, new Map(Object.entries(tags.ixml)))));
  chunks.push(riffChunkBytes('data', sampleBytes(channels, shape)), ...extra);
  const body = concatBytes(chunks);
  const header = bytesOfAscii('RIFF\0\0\0\0WAVE');
  viewOf(header).setUint32(4, body.length + 4, true);
  return concatBytes([header, body]);
}

function formatChunk(channels: number, { rate, bits, float, channelMask }: WavShape): Uint8Array {
  const extensible = channelMask !== undefined;
  // Only plain PCM may leave out the size of the extension, which is 0 for float.
  const bytes = new Uint8Array(extensible ? 40 : float ? 18 : 16);
  const view = viewOf(bytes);
  const tag = float ? 3 : 1;
  view.setUint16(0, extensible ? 0xfffe : tag, true);
  view.setUint16(2, channels, true);
  view.setUint32(4, rate, true);
  view.setUint32(8, rate * channels * (bits / 8), true);
  view.setUint16(12, channels * (bits / 8), true);
  view.setUint16(14, bits, true);
  if (extensible) {
    view.setUint16(16, 22, true);
    view.setUint16(18, bits, true);
    view.setUint32(20, channelMask, true);
    view.setUint16(24, tag, true);
    // The rest of the sub-format GUID, {0000000x-0000-0010-8000-00AA00389B71}.
    bytes.set([0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xaa, 0, 0x38, 0x9b, 0x71], 26);
  }
  return bytes;
}

/** The number of frames, which every format but plain PCM has to state. */
function factChunk(frames: number): Uint8Array {
  const contents = new Uint8Array(4);
  viewOf(contents).setUint32(0, frames, true);
  return riffChunkBytes('fact', contents);
}

/** The samples as WAV stores them. */
export function sampleBytes(channels: Float32Array[], { bits, float }: WavShape): Uint8Array {
  const frames = channels[0]?.length ?? 0;
  const width = bits / 8;
  const bytes = new Uint8Array(frames * channels.length * width);
  const view = viewOf(bytes);
  const scale = 2 ** (bits - 1) - 1;
  let at = 0;
  for (let frame = 0; frame < frames; frame += 1) {
    for (const channel of channels) {
      const value = Math.max(-1, Math.min(1, channel[frame] ?? 0));
      if (float) view.setFloat32(at, value, true);
      else if (bits === 8) view.setUint8(at, 128 + Math.round(value * 127));
      else if (bits === 16) view.setInt16(at, Math.round(value * scale), true);
      else if (bits === 32) view.setInt32(at, Math.round(value * scale), true);
      else {
        const whole = Math.round(value * scale);
        view.setUint16(at, whole & 0xffff, true);
        view.setUint8(at + 2, (whole >> 16) & 0xff);
      }
      at += width;
    }
  }
  return bytes;
}
