import type { Biquad } from '../measure/k-weighting.ts';

export const BAND_KINDS = ['lowCut', 'lowShelf', 'bell', 'highShelf', 'highCut'] as const;
export type BandKind = (typeof BAND_KINDS)[number];

/** One band of an equaliser. */
export interface Band {
  kind: BandKind;
  hertz: number;
  /** Of shelves and bells. */
  gainDb: number;
  q: number;
}

/** The filter of a band: “Cookbook formulae for audio equalizer biquad filter coefficients” (R. Bristow-Johnson; W3C note of 2021). */
export function bandFilter({ kind, hertz, gainDb, q }: Band, sampleRateHz: number): Biquad {
  const w0 = (2 * Math.PI * Math.min(hertz, sampleRateHz * 0.49)) / sampleRateHz;
  const [cosine, alpha] = [Math.cos(w0), Math.sin(w0) / (2 * q)];
  const gain = 10 ** (gainDb / 40);
  const normal = (b0: number, b1: number, b2: number, a0: number, a1: number, a2: number): Biquad => ({
    b0: b0 / a0,
    b1: b1 / a0,
    b2: b2 / a0,
    a1: a1 / a0,
    a2: a2 / a0,
  });
  if (kind === 'lowCut')
    return normal((1 + cosine) / 2, -(1 + cosine), (1 + cosine) / 2, 1 + alpha, -2 * cosine, 1 - alpha);
  if (kind === 'highCut')
    return normal((1 - cosine) / 2, 1 - cosine, (1 - cosine) / 2, 1 + alpha, -2 * cosine, 1 - alpha);
  if (kind === 'bell')
    return normal(1 + alpha * gain, -2 * cosine, 1 - alpha * gain, 1 + alpha / gain, -2 * cosine, 1 - alpha / gain);
  const slope = 2 * Math.sqrt(gain) * alpha;
  const [more, less] = [gain + 1, gain - 1];
  // The high shelf is the mirror of the low one.
  const side = kind === 'lowShelf' ? 1 : -1;
  return normal(
    gain * (more - side * less * cosine + slope),
    side * 2 * gain * (less - side * more * cosine),
    gain * (more - side * less * cosine - slope),
    more + side * less * cosine + slope,
    side * -2 * (less + side * more * cosine),
    more + side * less * cosine - slope,
  );
}

/** What a row of filters does at a frequency, dB. */
export function responseDb(filters: readonly Biquad[], hertz: number, sampleRateHz: number): number {
  const w = (2 * Math.PI * hertz) / sampleRateHz;
  let db = 0;
  for (const { b0, b1, b2, a1, a2 } of filters) {
    const power = (c0: number, c1: number, c2: number): number => {
      const re = c0 + c1 * Math.cos(w) + c2 * Math.cos(2 * w);
      const im = c1 * Math.sin(w) + c2 * Math.sin(2 * w);
      return re * re + im * im;
    };
    db += 10 * Math.log10(power(b0, b1, b2) / power(1, a1, a2));
  }
  return db;
}

/** Runs samples through a filter, in place (direct form II transposed). */
export function filterInPlace(samples: Float32Array, { b0, b1, b2, a1, a2 }: Biquad): void {
  let [s1, s2] = [0, 0];
  for (let index = 0; index < samples.length; index += 1) {
    const x = samples[index] as number;
    const y = b0 * x + s1;
    s1 = b1 * x - a1 * y + s2;
    s2 = b2 * x - a2 * y;
    samples[index] = y;
  }
}
