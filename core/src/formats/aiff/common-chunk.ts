import { FormatError } from '../../errors.ts';
import type { SampleFormat } from '../audio-file.ts';
import { asciiOf, viewOf } from '../byte-source.ts';

/** The COMM chunk: AIFF 1.3 p. 6, AIFF-C draft p. 12. */
export interface AiffCommon {
  codec: string;
  sampleFormat: SampleFormat;
  channels: number;
  frames: number;
  bitDepth: number;
  sampleRateHz: number;
  bigEndian: boolean;
  signedBytes: boolean;
}

/** Compression types of AIFF-C; `sowt`, `fl32` and the like are common practice beyond the draft. Others are coded audio. */
const COMPRESSIONS: Record<string, Partial<AiffCommon> & { sampleFormat: SampleFormat; width?: number }> = {
  NONE: { sampleFormat: 'integer' },
  twos: { sampleFormat: 'integer' },
  sowt: { sampleFormat: 'integer', bigEndian: false },
  'raw ': { sampleFormat: 'integer', signedBytes: false, width: 8 },
  in24: { sampleFormat: 'integer', width: 24 },
  in32: { sampleFormat: 'integer', width: 32 },
  '42ni': { sampleFormat: 'integer', width: 24, bigEndian: false },
  '23ni': { sampleFormat: 'integer', width: 32, bigEndian: false },
  fl32: { sampleFormat: 'float', codec: 'IEEE float', width: 32 },
  FL32: { sampleFormat: 'float', codec: 'IEEE float', width: 32 },
  fl64: { sampleFormat: 'float', codec: 'IEEE float', width: 64 },
  FL64: { sampleFormat: 'float', codec: 'IEEE float', width: 64 },
  alaw: { sampleFormat: 'alaw', codec: 'A-law', width: 8 },
  ALAW: { sampleFormat: 'alaw', codec: 'A-law', width: 8 },
  ulaw: { sampleFormat: 'mulaw', codec: 'mu-law', width: 8 },
  ULAW: { sampleFormat: 'mulaw', codec: 'mu-law', width: 8 },
  ima4: { sampleFormat: 'coded', codec: 'IMA ADPCM' },
};
/** Samples of a packet, where COMM counts packets instead of samples: common practice for ima4. */
const PACKET_SAMPLES: Record<string, number> = { ima4: 64 };

/** Reads the chunk. Throws FORMAT_DAMAGED where the numbers cannot describe audio; `offset` is for the message. */
export function parseAiffCommon(contents: Uint8Array, compressed: boolean, offset: number): AiffCommon {
  const fail = (why: string): never => {
    throw new FormatError('FORMAT_DAMAGED', 'AIFF', `The COMM chunk ${why}.`, offset);
  };
  if (contents.length < 18) fail(`has ${contents.length} bytes, at least 18 are needed`);
  const view = viewOf(contents);
  const channels = view.getUint16(0);
  const stated = view.getUint16(6);
  const sampleRateHz = Math.round(readExtended(view, 8));
  const type = compressed && contents.length >= 22 ? asciiOf(contents.subarray(18, 22)) : 'NONE';
  const { width, ...known } = COMPRESSIONS[type] ?? { sampleFormat: 'coded' as const, codec: `compression “${type}”` };
  if (channels === 0) fail('says that there are no channels');
  if (!(sampleRateHz >= 1 && sampleRateHz <= 100_000_000)) fail('names no usable sample rate');
  const bitDepth = known.sampleFormat === 'coded' ? 0 : (width ?? stated);
  if (known.sampleFormat === 'integer' && (bitDepth < 1 || bitDepth > 32)) fail(`says samples of ${bitDepth} bits`);
  return {
    codec: 'PCM',
    bigEndian: true,
    signedBytes: known.sampleFormat === 'integer' && bitDepth <= 8,
    ...known,
    channels,
    frames: view.getUint32(2) * (PACKET_SAMPLES[type] ?? 1),
    bitDepth,
    sampleRateHz,
  };
}

/** An 80-bit extended number (IEEE 754, as in AIFF 1.3 p. 3): sign and exponent in 16 bits, 64 bits of mantissa. */
export function readExtended(view: DataView, at: number): number {
  const head = view.getUint16(at);
  const mantissa = view.getUint32(at + 2) * 2 ** 32 + view.getUint32(at + 6);
  return (head & 0x8000 ? -1 : 1) * mantissa * 2 ** ((head & 0x7fff) - 16383 - 63);
}
