import type { AudioFacts } from '../formats/audio-file.ts';
import { viewOf } from '../formats/byte-source.ts';

type ReadSample = (view: DataView, offset: number) => number;

/**
 * How one stored sample becomes a number between -1 and 1 (full scale). Undefined for coded audio. Companding after
 * ITU-T G.711.
 */
export function sampleReader(
  facts: Pick<AudioFacts, 'sampleFormat' | 'bitDepth' | 'bigEndian' | 'signedBytes'>,
): ReadSample | undefined {
  const little = !facts.bigEndian;
  const bits = Math.ceil(facts.bitDepth / 8) * 8;
  if (facts.sampleFormat === 'alaw') return (view, at) => expandALaw(view.getUint8(at));
  if (facts.sampleFormat === 'mulaw') return (view, at) => expandMuLaw(view.getUint8(at));
  if (facts.sampleFormat === 'float') {
    return bits === 64 ? (view, at) => view.getFloat64(at, little) : (view, at) => view.getFloat32(at, little);
  }
  if (facts.sampleFormat !== 'integer') return undefined;
  if (bits === 8)
    return facts.signedBytes ? (view, at) => view.getInt8(at) / 128 : (view, at) => (view.getUint8(at) - 128) / 128;
  if (bits === 16) return (view, at) => view.getInt16(at, little) / 32768;
  if (bits === 32) return (view, at) => view.getInt32(at, little) / 2147483648;
  const [low, high] = little ? [0, 2] : [2, 0];
  return (view, at) =>
    ((view.getInt8(at + high) << 16) | (view.getUint8(at + 1) << 8) | view.getUint8(at + low)) / 8388608;
}

/** ITU-T G.711 table 1. */
function expandALaw(code: number): number {
  const bits = code ^ 0x55;
  const exponent = (bits >> 4) & 7;
  const mantissa = ((bits & 15) << 4) + 8;
  const magnitude = exponent === 0 ? mantissa : (mantissa + 256) << (exponent - 1);
  return (bits & 0x80 ? magnitude : -magnitude) / 32768;
}

/** ITU-T G.711 table 2. */
function expandMuLaw(code: number): number {
  const bits = ~code & 0xff;
  const magnitude = ((((bits & 15) << 3) + 132) << ((bits >> 4) & 7)) - 132;
  return (bits & 0x80 ? -magnitude : magnitude) / 32768;
}

/** Interleaved samples, full scale 1, of whole frames of PCM. */
export function decodePcm(bytes: Uint8Array, facts: AudioFacts): Float32Array {
  const read = sampleReader(facts);
  if (!read || facts.frameBytes === 0) return new Float32Array(0);
  const width = facts.frameBytes / facts.channels;
  const count = Math.floor(bytes.length / facts.frameBytes) * facts.channels;
  const samples = new Float32Array(count);
  const view = viewOf(bytes);
  for (let index = 0; index < count; index += 1) samples[index] = read(view, index * width);
  return samples;
}
