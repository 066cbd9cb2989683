import { describe, expect, it } from '@jest/globals';
import { TapTempo } from './tap-tempo.ts';

const tapped = (times: number[]): number | null => {
  const tempo = new TapTempo();
  return times.map((time) => tempo.tap(time)).at(-1) ?? null;
};

describe('a tapped tempo', () => {
  it('needs two taps', () => {
    expect(tapped([1])).toBeNull();
    expect(tapped([1, 1.5])).toBeCloseTo(120, 6);
  });

  it('is the median: one tap that is late changes nothing', () => {
    expect(tapped([0, 0.5, 1, 1.62, 2, 2.5, 3])).toBeCloseTo(120, 6);
    // Of an even number of beats the middle between the two in the middle.
    expect(tapped([0, 0.5, 1.1])).toBeCloseTo(60 / 0.55, 6);
  });

  it('goes by the last eight beats only', () => {
    const slow = Array.from({ length: 10 }, (_, at) => at);
    const fast = Array.from({ length: 8 }, (_, at) => 9 + (at + 1) * 0.5);
    expect(tapped([...slow, ...fast])).toBeCloseTo(120, 6);
  });

  it('begins anew after a pause, or when time goes back', () => {
    expect(tapped([0, 0.5, 1, 4])).toBeNull();
    expect(tapped([0, 0.5, 1, 4, 4.75])).toBeCloseTo(80, 6);
    expect(tapped([10, 10.5, 3])).toBeNull();
  });
});
