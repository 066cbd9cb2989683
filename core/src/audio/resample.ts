const { PI, abs, ceil, floor, min, round, sin, sqrt } = Math;

/** Zero crossings of the sinc on each side, and steps of the table between two of them. */
const CROSSINGS = 64;
const STEPS = 1024;
/** Kaiser's beta for about 120 dB of attenuation (Kaiser, “Nonrecursive digital filter design”, 1974). */
const BETA = 12.5;
/** The pass band ends here, as a share of the lower Nyquist frequency, so that the filter has fallen before it. */
const PASS = 0.94;

/** The modified Bessel function of the first kind and order 0, by its power series. */
function bessel(x: number): number {
  let [sum, term] = [1, 1];
  for (let k = 1; term > sum * 1e-16; k += 1) {
    term *= (x / (2 * k)) ** 2;
    sum += term;
  }
  return sum;
}

/** A windowed sinc, one side, from 0 to CROSSINGS zero crossings; one value more, for the interpolation at its end. */
const TABLE = Float64Array.from({ length: CROSSINGS * STEPS + 2 }, (_, index) => {
  const x = index / STEPS;
  if (x >= CROSSINGS) return 0;
  const window = bessel(BETA * sqrt(1 - (x / CROSSINGS) ** 2)) / bessel(BETA);
  return (x === 0 ? 1 : sin(PI * x) / (PI * x)) * window;
});

/** How many frames a sound has after it was played at another speed. */
export function resampledLength(frames: number, speed: number): number {
  return round(frames / speed);
}

/**
 * The samples read at another speed: 2 gives half as many, an octave higher when they are played at the same rate; `speed` is also the old rate
 * over the new one when the rate changes. Band-limited interpolation (Smith, “Digital Audio Resampling”, CCRMA): above the lower of the
 * two Nyquist frequencies nothing is left but what lies 100 dB down. At speed 1 the samples are the same.
 */
export function resample(samples: Float32Array, speed: number): Float32Array {
  if (speed === 1) return samples.slice();
  const length = resampledLength(samples.length, speed);
  const result = new Float32Array(length);
  const cutoff = PASS * min(1, 1 / speed);
  const reach = CROSSINGS / cutoff;
  const scale = cutoff * STEPS;
  const count = samples.length;
  const table = TABLE;
  for (let index = 0; index < length; index += 1) {
    const position = index * speed;
    const first = ceil(position - reach);
    const last = min(count - 1, floor(position + reach));
    let sum = 0;
    for (let at = first < 0 ? 0 : first; at <= last; at += 1) {
      const place = abs(at - position) * scale;
      const step = floor(place);
      const low = table[step] as number;
      sum += (samples[at] as number) * (low + (place - step) * ((table[step + 1] as number) - low));
    }
    result[index] = sum * cutoff;
  }
  return result;
}
