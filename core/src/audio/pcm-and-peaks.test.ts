import { describe, expect, it } from '@jest/globals';
import { memorySource } from '../formats/byte-source.ts';
import { readWav } from '../formats/wav/wav-reader.ts';
import { wavBytes } from '@flagstone/demo/wav-file';
import { decodePcm, sampleReader } from './pcm.ts';
import { mergeChannels, MOST_BUCKETS, PEAK_BYTES, PeakGatherer, reducePeaks } from './peaks.ts';

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
    const planar = [new Float32Array(6), new Float32Array(6)];
    const audio = file.subarray(facts.audioOffset, facts.audioOffset + facts.audioBytes);
    expect(decodePcm(audio, facts, planar)).toBe(6);
    for (const samples of planar)
      signal.forEach((value, index) => expect(Math.abs((samples[index] ?? 9) - value)).toBeLessThanOrEqual(tolerance));
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
  const gather = (channels: Float32Array[], block: number, expected = channels[0]?.length ?? 0) => {
    const gatherer = new PeakGatherer(channels.length, expected);
    for (let at = 0; at < (channels[0]?.length ?? 0); at += block) {
      const parts = channels.map((channel) => channel.subarray(at, at + block));
      gatherer.add(parts, parts[0]?.length ?? 0);
    }
    return gatherer.finish();
  };

  it('keeps lowest, highest and RMS of each bucket and channel, however the blocks fall', () => {
    const [left, right] = [new Float32Array(10_000), new Float32Array(10_000)];
    left[5000] = 1;
    right[7000] = -0.5;
    const levels = gather([left, right], 10_000);
    const [finest] = levels;
    expect(gather([left, right], 389)).toEqual(levels);
    expect(levels.map(({ buckets }) => buckets)).toEqual([2500, 313]);
    expect(finest).toMatchObject({ framesPerBucket: 4, buckets: 2500 });
    const at = (frame: number, channel: number): number => (Math.floor(frame / 4) * 2 + channel) * PEAK_BYTES;
    // One sample of 1 among four has an RMS of 0.5, one of -0.5 has 0.25.
    expect(finest?.values.subarray(at(5000, 0), at(5000, 0) + 3)).toEqual(Uint8Array.of(0, 127, 128));
    expect(finest?.values.subarray(at(7000, 1), at(7000, 1) + 3)).toEqual(Uint8Array.of(-64 & 0xff, 0, 64));
    expect(finest?.values.filter((value) => value !== 0)).toHaveLength(4);
  });

  it('has a bucket a frame for a sound shorter than the picture is wide', () => {
    const [level] = gather([Float32Array.from([0.5, -0.5, 0])], 3);
    expect(level).toMatchObject({ framesPerBucket: 1, buckets: 3 });
    expect([...(level?.values ?? [])]).toEqual([63, 64, 128, -64 & 0xff, -63 & 0xff, 128, 0, 0, 0]);
  });

  it('makes coarser levels of long sounds, also when nobody said how long they are', () => {
    const signal = new Float32Array(8_000_000);
    signal[7_999_999] = -1;
    for (const expected of [8_000_000, 0]) {
      const levels = gather([signal], 65_536, expected);
      expect(levels.map(({ framesPerBucket, buckets }) => [framesPerBucket, buckets])).toEqual([
        [256, 31_250],
        [2048, 3907],
        [16_384, 489],
      ]);
      for (const { values } of levels) expect(values.at(-3)).toBe(-127 & 0xff);
    }
  });

  it('puts channels into one picture without losing a peak', () => {
    // Two buckets of two channels: [low, high, rms] each.
    const values = Uint8Array.of(-3 & 0xff, 9, 5, -7 & 0xff, 2, 6, 0, 0, 0, -1 & 0xff, 127, 255);
    expect([...mergeChannels(values, 2)]).toEqual([-7 & 0xff, 9, 6, -1 & 0xff, 127, 255]);
    expect(mergeChannels(values, 4)).toEqual(Uint8Array.of(-7 & 0xff, 127, 255));
    expect(mergeChannels(values, 1)).toEqual(values);
  });

  it('draws buckets together without losing a peak', () => {
    const values = Uint8Array.from({ length: 3000 * PEAK_BYTES }, () => 0);
    values[2999 * PEAK_BYTES + 1] = 100;
    values[1500 * PEAK_BYTES] = -90 & 0xff;
    const reduced = reducePeaks(values, 1, MOST_BUCKETS);
    expect(reduced).toHaveLength(MOST_BUCKETS * PEAK_BYTES);
    expect(reduced.at(-2)).toBe(100);
    expect(reduced.filter((value) => value === (-90 & 0xff))).toHaveLength(1);
  });
});
