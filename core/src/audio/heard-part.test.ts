import { describe, expect, it } from '@jest/globals';
import { heardPart } from './heard-part.ts';

const RATE = 1000;
/** Silence, then ten frames at a level, then silence. */
const knock = (level: number, noise = 0): Float32Array =>
  Float32Array.from({ length: 100 }, (_, frame) => (frame >= 40 && frame < 50 ? level : noise));

describe('the part of a recording that is heard', () => {
  it('leaves out silence at both ends, but for a hundredth of a second', () =>
    expect(heardPart([knock(0.5)], RATE)).toEqual({ from: 30, to: 60 }));

  it('takes what is heard in any channel, and no noise for a sound', () => {
    expect(heardPart([knock(0.001), knock(0.5)], RATE)).toEqual({ from: 30, to: 60 });
    // 0.004 of 0.5 are 42 dB below.
    expect(heardPart([knock(0.5, 0.004)], RATE)).toEqual({ from: 30, to: 60 });
    expect(heardPart([knock(0.5, 0.01)], RATE)).toEqual({ from: 0, to: 100 });
  });

  it('is all of a silent one, and nothing of none', () => {
    expect(heardPart([new Float32Array(8)], RATE)).toEqual({ from: 0, to: 8 });
    expect(heardPart([], RATE)).toEqual({ from: 0, to: 0 });
  });
});
