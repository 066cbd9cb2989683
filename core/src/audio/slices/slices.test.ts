import { describe, expect, it } from '@jest/globals';
import { clickTrain, noiseSource } from '@flagstone/demo/test-signals';
import { findSlices, nearestCrossing, strongestOnsets, USUAL_SLICES } from './find-slices.ts';
import { SliceEnvelopeGatherer, type SliceEnvelope } from './slice-envelope.ts';

const RATE = 48_000;

function envelopeOf(planar: readonly Float32Array[], block = 4096): SliceEnvelope {
  const gatherer = new SliceEnvelopeGatherer(RATE, planar.length);
  for (let at = 0; at < (planar[0]?.length ?? 0); at += block) {
    const parts = planar.map((samples) => samples.subarray(at, at + block));
    gatherer.add(parts, parts[0]?.length ?? 0);
  }
  return gatherer.finish();
}

/** Knocks of 400 ms at 0.5, 2, 3.5 ... s over a little noise. */
function knocks(count: number, level = 0.001): Float32Array {
  const noise = noiseSource(5);
  const signal = new Float32Array((count * 1.5 + 0.5) * RATE).map(() => level * noise());
  for (let knock = 0; knock < count; knock += 1) {
    const start = (0.5 + knock * 1.5) * RATE;
    for (let at = 0; at < 0.4 * RATE; at += 1)
      signal[start + at] =
        (signal[start + at] ?? 0) + 0.6 * Math.exp(-at / (0.08 * RATE)) * Math.sin((2 * Math.PI * 180 * at) / RATE + 1);
  }
  return signal;
}

describe('slices of a series', () => {
  it('are the knocks, each beginning at its run-up and ending before the next', () => {
    const envelope = envelopeOf([knocks(5)]);
    const slices = findSlices(envelope, USUAL_SLICES);
    expect(slices).toHaveLength(5);
    slices.forEach(({ from, to }, index) => {
      const start = (0.5 + index * 1.5) * RATE;
      expect(from).toBeGreaterThan(start - 0.04 * RATE);
      expect(from).toBeLessThanOrEqual(start);
      expect(to - start).toBeGreaterThan(0.25 * RATE);
      expect(to - start).toBeLessThan(1.2 * RATE);
    });
  });

  it('strike within two milliseconds of where they do', () => {
    const envelope = envelopeOf([knocks(4), knocks(4)]);
    const points = strongestOnsets(envelope, findSlices(envelope, USUAL_SLICES));
    points.forEach(({ at }, index) =>
      expect(Math.abs(at - (0.5 + index * 1.5) * RATE)).toBeLessThanOrEqual(0.002 * RATE),
    );
  });

  it('are told apart where one strikes again before the last has died away', () => {
    const signal = knocks(3);
    for (let at = 0; at < 0.3 * RATE; at += 1)
      signal[0.68 * RATE + at] =
        (signal[0.68 * RATE + at] ?? 0) +
        0.7 * Math.exp(-at / (0.05 * RATE)) * Math.sin((2 * Math.PI * 300 * at) / RATE + 1);
    const slices = findSlices(envelopeOf([signal]), { ...USUAL_SLICES, sensitivity: 80 });
    expect(slices).toHaveLength(4);
    expect(Math.abs((slices[1]?.from ?? 0) - 0.66 * RATE)).toBeLessThan(0.03 * RATE);
  });

  it('are more with a higher sensitivity, and none shorter than asked', () => {
    const { signal } = clickTrain(RATE, 240, 4, noiseSource(9));
    const quiet = signal.map((value) => value * 0.02);
    const loud = knocks(3);
    loud.forEach((value, at) => (quiet[at] = (quiet[at] ?? 0) + value));
    const envelope = envelopeOf([quiet]);
    const few = findSlices(envelope, { ...USUAL_SLICES, sensitivity: 10 });
    const many = findSlices(envelope, { ...USUAL_SLICES, sensitivity: 90 });
    expect(few.length).toBeLessThanOrEqual(many.length);
    for (const { from, to } of findSlices(envelope, { ...USUAL_SLICES, minimumSeconds: 0.2 }))
      expect(to - from).toBeGreaterThanOrEqual(0.2 * RATE);
  });

  it('do not overlap, lie within the sound, and end where it crosses zero', () => {
    const signal = knocks(6, 0.01);
    const envelope = envelopeOf([signal], 1000);
    let last = 0;
    for (const { from, to } of findSlices(envelope, { ...USUAL_SLICES, preRollSeconds: 0.5, postRollSeconds: 2 })) {
      expect(from).toBeGreaterThanOrEqual(last);
      expect(to).toBeLessThanOrEqual(signal.length);
      for (const frame of [from, to].filter((each) => each > 0 && each < signal.length))
        expect((signal[frame - 1] ?? 0) * (signal[frame] ?? 0)).toBeLessThanOrEqual(0);
      last = to;
    }
  });

  it('are none in a bed and in silence', () => {
    const noise = noiseSource(21);
    expect(findSlices(envelopeOf([new Float32Array(RATE).map(() => 0.3 * noise())]), USUAL_SLICES)).toEqual([]);
    expect(findSlices(envelopeOf([new Float32Array(RATE)]), USUAL_SLICES)).toEqual([]);
    expect(findSlices(envelopeOf([new Float32Array(0)]), USUAL_SLICES)).toEqual([]);
  });
});

describe('the nearest crossing', () => {
  it('is where the sign changes, and the frame itself where there is none near', () => {
    const ramp = new Float32Array(4800).fill(1);
    ramp.fill(-1, 1000);
    const envelope = envelopeOf([ramp]);
    expect(nearestCrossing(envelope, 1100)).toBe(1000);
    expect(nearestCrossing(envelope, 4000)).toBe(4000);
  });
});
