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

/**
 * Decodes whole frames of PCM into one row of samples for each channel, full scale 1, and returns how many frames there were; 0 for coded
 * audio. `into` has to hold that many. The depths that nearly all files have are read by loops of their own: a call for each sample
 * takes longer than measuring it.
 */
export function decodePcm(bytes: Uint8Array, facts: AudioFacts, into: readonly Float32Array[]): number {
  const read = sampleReader(facts);
  if (!read || facts.frameBytes === 0) return 0;
  const frames = Math.floor(bytes.length / facts.frameBytes);
  const width = facts.frameBytes / facts.channels;
  const isPlain = facts.sampleFormat === 'integer' && !facts.bigEndian;
  into.forEach((samples, channel) => {
    const start = channel * width;
    const step = facts.frameBytes;
    if (isPlain && width === 2) decode16(bytes, start, step, samples, frames);
    else if (isPlain && width === 3) decode24(bytes, start, step, samples, frames);
    else {
      const view = viewOf(bytes);
      for (let frame = 0; frame < frames; frame += 1) samples[frame] = read(view, start + frame * step);
    }
  });
  return frames;
}

function decode16(bytes: Uint8Array, start: number, step: number, samples: Float32Array, frames: number): void {
  for (let frame = 0, at = start; frame < frames; frame += 1, at += step)
    samples[frame] = ((((bytes[at + 1] as number) << 24) >> 16) | (bytes[at] as number)) * (1 / 32768);
}

function decode24(bytes: Uint8Array, start: number, step: number, samples: Float32Array, frames: number): void {
  for (let frame = 0, at = start; frame < frames; frame += 1, at += step)
    samples[frame] =
      ((((bytes[at + 2] as number) << 24) >> 8) | ((bytes[at + 1] as number) << 8) | (bytes[at] as number)) *
      (1 / 8388608);
}
