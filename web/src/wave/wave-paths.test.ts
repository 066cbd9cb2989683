import { describe, expect, it } from '@jest/globals';
import { wavePaths } from './wave-paths.ts';

describe('the outlines of a small waveform', () => {
  it('go along the tops and back along the bottoms, in steps as wide as a bucket', () => {
    // Full scale up, then full scale down, each with half the RMS of a square wave.
    const values = Uint8Array.of(0, 127, 128, -127 & 0xff, 0, 128);
    expect(wavePaths(values)).toEqual({
      peaks: 'M0 11V0.5H42V10.6H84V21.5H42V11.4H0Z',
      rms: 'M0 11V5.7H42V11H84V16.3H42V11H0Z',
    });
  });

  it('show silence as a line', () => {
    expect(wavePaths(new Uint8Array(3))).toEqual({ peaks: 'M0 11V10.6H84V11.4H0Z', rms: 'M0 11V11H84V11H0Z' });
  });
});
