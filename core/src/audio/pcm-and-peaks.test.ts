import { describe, expect, it } from '@jest/globals';
import { memorySource } from '../formats/byte-source.ts';
import { readWav } from '../formats/wav/wav-reader.ts';
import { wavBytes } from '@flagstone/demo/wav-file';
import { decodePcm, sampleReader } from './pcm.ts';
import { MAX_BUCKETS, PeakGatherer } from './peaks.ts';

const signal = Float32Array.from([0, 0.5, -0.5, 0.25, -1, 0.999]);

describe('decoding PCM', () => {
  it.each([
    [{ rate: 48000, bits: 8 }, 1 / 100],
    [{ rate: 48000, bits: 16 }, 1.5 / 32768],
    [{ rate: 48000, bits: 24 }, 1 / 8_000_000],
    [{ rate: 48000, bits: 32 }, 1 / 16_000_000],
    [{ rate: 48000, bits: 32, float: true }, 0],
  ] as const)('gives back the samples of %j', async (stored, tolerance) => {
    const file = wavBytes([signal, signal], stored);
    const { facts } = await readWav(memorySource(file));
    const samples = decodePcm(file.subarray(facts.audioOffset, facts.audioOffset + facts.audioBytes), facts);
    expect(samples).toHaveLength(12);
    signal.forEach((value, index) =>
      expect(Math.abs((samples[index * 2] ?? 9) - value)).toBeLessThanOrEqual(tolerance),
    );
  });

  // ITU-T G.711: the largest magnitudes are 32256 (A-law, code 0xAA positive) and 32124 (mu-law, code 0x80 positive).
  it('expands A-law and mu-law codes as ITU-T G.711 does', () => {
    const read = (sampleFormat: 'alaw' | 'mulaw', code: number) =>
      sampleReader({ sampleFormat, bitDepth: 8, bigEndian: false })?.(new DataView(Uint8Array.of(code).buffer), 0);
    expect(read('alaw', 0xaa)).toBe(32256 / 32768);
    expect(read('alaw', 0x2a)).toBe(-32256 / 32768);
    expect(read('alaw', 0xd5)).toBe(8 / 32768);
    expect(read('mulaw', 0x80)).toBe(32124 / 32768);
    expect(read('mulaw', 0x00)).toBe(-32124 / 32768);
    expect(read('mulaw', 0xff)).toBe(0);
  });
});

describe('gathering peaks', () => {
  it('keeps the lowest and highest sample of each bucket and channel, however the blocks fall', () => {
    const frames = 10_000;
    const samples = new Float32Array(frames * 2);
    samples[2 * 5000] = 1;
    samples[2 * 7000 + 1] = -0.5;
    const whole = new PeakGatherer(2, frames);
    whole.add(samples);
    const parts = new PeakGatherer(2, frames);
    for (let at = 0; at < samples.length; at += 778) parts.add(samples.subarray(at, at + 778));
    const peaks = whole.finish();
    expect(parts.finish()).toEqual(peaks);
    expect(peaks.buckets).toBe(MAX_BUCKETS);
    const slot = (frame: number, channel: number): number =>
      (Math.floor((frame * MAX_BUCKETS) / frames) * 2 + channel) * 2;
    expect(peaks.values[slot(5000, 0) + 1]).toBe(127);
    expect(peaks.values[slot(7000, 1)]).toBe(-64);
    expect(peaks.values.filter((value) => value !== 0)).toHaveLength(2);
  });

  it('has a bucket a frame for a sound shorter than the picture is wide', () => {
    const gatherer = new PeakGatherer(1, 3);
    gatherer.add(Float32Array.from([0.5, -0.5, 0]));
    expect(gatherer.finish()).toMatchObject({
      buckets: 3,
      frames: 3,
      values: Int8Array.from([63, 64, -64, -63, 0, 0]),
    });
  });
});
