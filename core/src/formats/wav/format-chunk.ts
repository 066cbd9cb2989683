import { FormatError } from '../../errors.ts';
import type { SampleFormat } from '../audio-file.ts';
import { viewOf } from '../byte-source.ts';

/** The `fmt ` chunk: WAVEFORMATEX and WAVEFORMATEXTENSIBLE of Microsoft's multimedia headers. */
export interface WavFormat {
  codec: string;
  sampleFormat: SampleFormat;
  channels: number;
  sampleRateHz: number;
  bitDepth: number;
  /** Bytes of a frame for PCM, float and companded audio; of a coded block otherwise. */
  blockAlign: number;
  bytesPerSecond: number;
  channelMask?: number;
  isAmbisonic?: boolean;
}

const CODECS: Record<number, { codec: string; sampleFormat: SampleFormat }> = {
  0x0001: { codec: 'PCM', sampleFormat: 'integer' },
  0x0002: { codec: 'ADPCM', sampleFormat: 'coded' },
  0x0003: { codec: 'IEEE float', sampleFormat: 'float' },
  0x0006: { codec: 'A-law', sampleFormat: 'alaw' },
  0x0007: { codec: 'mu-law', sampleFormat: 'mulaw' },
  0x0011: { codec: 'IMA ADPCM', sampleFormat: 'coded' },
  0x0050: { codec: 'MPEG', sampleFormat: 'coded' },
  0x0055: { codec: 'MP3', sampleFormat: 'coded' },
};

const EXTENSIBLE = 0xfffe;
/**
 * The GUID of a sub-format after its first two bytes, for ambisonic B-format: {0000000x-0721-11D3-8644-C8C1CA000000} (Dobson, “Ambisonic file
 * formats: WAVE-EX”; from memory).
 */
const AMBISONIC_B_FORMAT = [0, 0, 0x21, 0x07, 0xd3, 0x11, 0x86, 0x44, 0xc8, 0xc1, 0xca, 0, 0, 0];

/** Reads the chunk. Throws FORMAT_DAMAGED where the numbers cannot describe audio; `offset` is for the message. */
export function parseWavFormat(contents: Uint8Array, offset: number, littleEndian = true): WavFormat {
  const fail = (why: string): never => {
    throw new FormatError('FORMAT_DAMAGED', 'WAV', `The format chunk ${why}.`, offset);
  };
  if (contents.length < 14) fail(`has ${contents.length} bytes, at least 14 are needed`);
  const view = viewOf(contents);
  let tag = view.getUint16(0, littleEndian);
  const channels = view.getUint16(2, littleEndian);
  const sampleRateHz = view.getUint32(4, littleEndian);
  const bytesPerSecond = view.getUint32(8, littleEndian);
  const stated = view.getUint16(12, littleEndian);
  const bitDepth = contents.length >= 16 ? view.getUint16(14, littleEndian) : 8;
  let channelMask: number | undefined;
  let isAmbisonic = false;
  if (tag === EXTENSIBLE && contents.length >= 26) {
    channelMask = view.getUint32(20, littleEndian);
    tag = view.getUint16(24, littleEndian);
    isAmbisonic = AMBISONIC_B_FORMAT.every((byte, index) => contents[26 + index] === byte);
  }
  const known = CODECS[tag] ?? {
    codec: `format 0x${tag.toString(16).padStart(4, '0')}`,
    sampleFormat: 'coded' as const,
  };
  if (channels === 0) fail('says that there are no channels');
  if (sampleRateHz === 0) fail('says that the sample rate is 0 Hz');
  let blockAlign = stated;
  if (known.sampleFormat !== 'coded') {
    const widths = known.sampleFormat === 'float' ? [32, 64] : known.sampleFormat === 'integer' ? [8, 16, 24, 32] : [8];
    const container = Math.ceil(bitDepth / 8) * 8;
    if (!widths.includes(container)) fail(`says ${known.codec} of ${bitDepth} bits`);
    blockAlign = (container / 8) * channels;
  }
  return {
    ...known,
    channels,
    sampleRateHz,
    bitDepth: known.sampleFormat === 'coded' ? 0 : bitDepth,
    blockAlign,
    bytesPerSecond,
    ...(channelMask === undefined ? {} : { channelMask }),
    ...(isAmbisonic ? { isAmbisonic } : {}),
  };
}
