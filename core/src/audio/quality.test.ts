import { describe, expect, it } from '@jest/globals';
import { compareQuality, qualityBeside, type Quality } from './quality.ts';

const cd: Quality = { codec: 'PCM', sampleRateHz: 44_100, bitDepth: 16, channels: 2 };

describe('which form of a recording keeps more of it', () => {
  it.each([
    ['the one that loses nothing', cd, { ...cd, codec: 'MP3', sampleRateHz: 48_000, bitDepth: 0 }],
    ['the one with more channels', cd, { ...cd, sampleRateHz: 96_000, channels: 1 }],
    ['the one with the higher rate', { ...cd, sampleRateHz: 96_000 }, { ...cd, bitDepth: 24 }],
    ['the one with more bits', { ...cd, bitDepth: 24 }, cd],
  ])('%s', (_, better, worse) => {
    expect(compareQuality(better, worse)).toBeGreaterThan(0);
    expect(compareQuality(worse, better)).toBeLessThan(0);
    expect([qualityBeside(better, worse), qualityBeside(worse, better)]).toEqual(['better', 'worse']);
  });

  it('neither where they only have another container or lossless codec', () => {
    expect(qualityBeside(cd, { ...cd, codec: 'FLAC' })).toBe('alike');
    const mp3 = { ...cd, codec: 'MP3', bitDepth: 0 };
    expect(compareQuality(mp3, { ...mp3, bitDepth: 16 })).toBe(0);
  });
});
