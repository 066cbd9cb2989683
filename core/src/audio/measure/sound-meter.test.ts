import { describe, expect, it } from '@jest/globals';
import { FEATURE_COUNT } from './feature-vector.ts';
import { analysisOf, clickTrain, measuresOf, noiseSource, sines } from '@flagstone/demo/test-signals';

const { exp } = Math;
const RATE = 48_000;
const noise = (seconds: number, level = 0.1, seed = 7): Float32Array => {
  const random = noiseSource(seed);
  return new Float32Array(Math.round(seconds * RATE)).map(() => level * random());
};
/** A blow that dies away, so many seconds into silence. */
function blows(seconds: number, starts: readonly number[]): Float32Array {
  const signal = new Float32Array(Math.round(seconds * RATE));
  const random = noiseSource(11);
  for (const start of starts)
    for (let index = 0; index < RATE * 0.3; index += 1)
      signal[Math.round(start * RATE) + index] = 0.7 * exp(-index / (RATE * 0.04)) * random();
  return signal;
}

describe('measuring a sound', () => {
  it('gives the same whatever blocks the samples come in', () => {
    const channels = [blows(3.3, [0.5, 1.7]), noise(3.3)];
    const whole = analysisOf(channels, RATE, { block: 1_000_000 });
    for (const block of [97, 777, 4096]) {
      const parts = analysisOf(channels, RATE, { block });
      expect(parts.measures.onsets).toEqual(whole.measures.onsets);
      expect(parts.peaks).toEqual(whole.peaks);
      expect(parts.measures.truePeakDbtp).toBeCloseTo(whole.measures.truePeakDbtp ?? 0, 9);
      expect(parts.measures.integratedLufs).toBeCloseTo(whole.measures.integratedLufs ?? 0, 9);
      expect(parts.measures.features).toEqual(whole.measures.features);
    }
  });

  it('tells peak, RMS, crest factor and offset', () => {
    const sine = sines(RATE, [[-6, 1]]);
    const levels = measuresOf([sine.map((value) => value + 0.1)], RATE);
    const plain = measuresOf([sine], RATE);
    expect(plain.samplePeakDbfs).toBeCloseTo(-6, 2);
    // The RMS of a sine lies 3.01 dB below its peak.
    expect(plain.rmsDbfs).toBeCloseTo(-9.01, 2);
    expect(plain.crestFactorDb).toBeCloseTo(3.01, 2);
    expect(plain.dcOffset).toBeCloseTo(0, 6);
    expect(levels.dcOffset).toBeCloseTo(0.1, 6);
  });

  it('counts samples at full scale in runs of three and more', () => {
    const signal = new Float32Array(1000);
    signal.fill(1, 100, 105);
    signal.fill(-1, 200, 203);
    signal.fill(1, 300, 302);
    expect(measuresOf([signal], RATE, { bitDepth: 16 }).clippedSamples).toBe(8);
    expect(measuresOf([signal], RATE, { bitDepth: 16, block: 102 }).clippedSamples).toBe(8);
    expect(measuresOf([signal.map((value) => value * 0.99)], RATE).clippedSamples).toBe(0);
  });

  it('finds the silence at both ends', () => {
    const signal = new Float32Array(RATE * 4);
    signal.set(sines(RATE, [[-20, 1]]), RATE * 1.25);
    const { leadingSilenceSeconds, trailingSilenceSeconds } = measuresOf([new Float32Array(RATE * 4), signal], RATE);
    expect(leadingSilenceSeconds).toBeCloseTo(1.25, 3);
    expect(trailingSilenceSeconds).toBeCloseTo(1.75, 3);
    expect(measuresOf([new Float32Array(RATE)], RATE)).toMatchObject({
      leadingSilenceSeconds: 1,
      trailingSilenceSeconds: 1,
    });
  });

  it('tells dual mono, turned polarity, unrelated and silent channels', () => {
    const signal = noise(1);
    const of = (right: Float32Array) => measuresOf([signal, right], RATE);
    expect(of(signal.slice())).toMatchObject({ isDualMono: true, channelLayout: 'dual mono' });
    expect(of(signal.map((value) => -value)).correlation).toBeCloseTo(-1, 6);
    expect(of(signal.map((value) => -value)).isDualMono).toBe(false);
    expect(Math.abs(of(noise(1, 0.1, 99)).correlation ?? 1)).toBeLessThan(0.05);
    expect(of(new Float32Array(RATE))).toMatchObject({ silentChannels: [2], correlation: null, isDualMono: false });
  });

  it('tells the colour: a tone at its frequency, noise in the middle of its band', () => {
    const tone = measuresOf([sines(RATE, [[-12, 2]], 3000)], RATE).spectrum;
    expect(Math.abs((tone?.centroidHz ?? 0) - 3000)).toBeLessThan(20);
    expect(tone?.zeroCrossingsHz ?? 0).toBeGreaterThan(2900);
    const white = measuresOf([noise(2)], RATE).spectrum;
    expect(Math.abs((white?.centroidHz ?? 0) - 12_000)).toBeLessThan(500);
    // The spectral flatness of Gaussian noise in single frames: 10 log10(exp(-0.5772)) = -2.5 dB.
    expect(white?.flatnessDb ?? -99).toBeCloseTo(-2.5, 0);
    expect(tone?.flatnessDb ?? 0).toBeLessThan(-40);
  });

  it('has a noise floor below the events', () => {
    const signal = blows(4, [1, 2, 3]).map((value, index) => value + 0.001 * Math.sin(index));
    // A sine of amplitude 0.001 has an RMS of -63 dBFS.
    expect(measuresOf([signal], RATE).noiseFloorDbfs).toBeCloseTo(-63, 0);
  });
});

describe('onsets and tempo', () => {
  it.each([
    [44_100, 96, 0],
    [48_000, 96, 0.01],
    [48_000, 140, 0],
    [44_100, 140, 0.01],
    [96_000, 140, 0.003],
  ])(
    'finds the clicks of a train at %d Hz and %d BPM over noise of %d within 5 ms, and its tempo within 0.5',
    (rate, bpm, level) => {
      const random = noiseSource(3);
      const { signal, times } = clickTrain(rate, bpm, 20, () => level * random());
      const { onsets, tempoBpm } = measuresOf([signal], rate);
      for (const time of times)
        expect(Math.min(...onsets.map(({ seconds }) => Math.abs(seconds - time)))).toBeLessThanOrEqual(0.005);
      // Noise that begins at once is an onset of its own.
      expect(onsets.length - times.length).toBe(level > 0 ? 1 : 0);
      expect(Math.abs((tempoBpm ?? 0) - bpm)).toBeLessThanOrEqual(0.5);
    },
  );

  it('has no tempo for noise, a tone and blows at no beat', () => {
    expect(measuresOf([noise(12)], RATE).tempoBpm).toBeNull();
    expect(measuresOf([sines(RATE, [[-12, 12]])], RATE).tempoBpm).toBeNull();
    expect(measuresOf([blows(12, [0.4, 1.3, 3.9, 4.4, 7.2, 8.05, 11.3])], RATE).tempoBpm).toBeNull();
  });

  it('strengthens with the size of the step', () => {
    const ground = noise(2, 0.0005);
    const step = (db: number) =>
      sines(
        RATE,
        [
          [-50, 1],
          [-50 + db, 1],
        ],
        440,
      ).map((value, index) => value + (ground[index] ?? 0));
    const strength = (db: number) =>
      measuresOf([step(db)], RATE).onsets.find(({ seconds }) => seconds > 0.9)?.strengthDb ?? 0;
    expect(strength(40)).toBeGreaterThan(strength(25));
  });
});

describe('form, weight and activity', () => {
  it('tells a single, a series and a bed', () => {
    expect(measuresOf([blows(1.5, [0.2])], RATE).form).toBe('single');
    expect(measuresOf([blows(8, [0.5, 2, 3.8, 5.5, 7])], RATE).form).toBe('series');
    expect(measuresOf([noise(15)], RATE).form).toBe('bed');
  });

  it('tells a loop by its whole beats and by ends that are as loud as the rest', () => {
    const random = noiseSource(3);
    // A steady rush with a pulse on every beat at 120 BPM.
    const beat = RATE / 2;
    const rush = (seconds: number, gain = (_share: number): number => 1): Float32Array =>
      new Float32Array(seconds * RATE).map(
        (_, index) => gain(index / (seconds * RATE)) * (0.08 + 0.3 * exp((-12 * (index % beat)) / beat)) * random(),
      );
    expect(measuresOf([rush(8)], RATE).form).toBe('loop');
    expect(measuresOf([rush(8.25)], RATE).form).toBe('bed');
    expect(measuresOf([rush(8, (share) => 1 - 0.7 * share)], RATE).form).toBe('bed');
  });

  it('calls low and loud heavy, high and faint light, many events busy', () => {
    const low = measuresOf([sines(RATE, [[-6, 2]], 80)], RATE);
    const high = measuresOf([sines(RATE, [[-40, 2]], 6000)], RATE);
    expect(low.weight).toBe(5);
    expect(high.weight).toBe(1);
    const many = blows(
      4,
      Array.from({ length: 20 }, (_, index) => 0.1 + index * 0.18),
    );
    expect(measuresOf([many], RATE).activity ?? 0).toBeGreaterThan(measuresOf([blows(4, [2])], RATE).activity ?? 9);
    expect(measuresOf([new Float32Array(RATE)], RATE)).toMatchObject({ weight: null, activity: null, features: null });
  });
});

describe('the feature vector', () => {
  it('lies nearer to another take than to another sound, whatever the level', () => {
    const vector = (signal: Float32Array): number[] => measuresOf([signal], RATE).features ?? [];
    const distance = (a: number[], b: number[]): number =>
      Math.hypot(...a.map((value, index) => value - (b[index] ?? 0)));
    const blow = vector(blows(2, [0.2]));
    expect(blow).toHaveLength(FEATURE_COUNT);
    const quieter = vector(blows(2, [0.2]).map((value) => value * 0.25));
    const another = vector(blows(2.2, [0.25]));
    const bed = vector(noise(2));
    const tone = vector(sines(RATE, [[-12, 2]], 300));
    expect(distance(blow, quieter)).toBeLessThan(distance(blow, bed) / 3);
    expect(distance(blow, another)).toBeLessThan(distance(blow, bed));
    expect(distance(blow, another)).toBeLessThan(distance(blow, tone));
  });
});
