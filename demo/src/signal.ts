/** The building blocks of the demo's sounds. Signals are mono Float32Array, full scale 1; every random choice comes from a seed. */

/** A repeatable source of numbers from 0 to 1 (mulberry32, public domain). */
export function randomSource(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(state ^ (state >>> 15), state | 1);
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296;
  };
}

/** A number for a text, to seed with. */
export function seedOf(text: string): number {
  let hash = 2166136261;
  for (let index = 0; index < text.length; index += 1) hash = Math.imul(hash ^ text.charCodeAt(index), 16777619);
  return hash >>> 0;
}

export interface Voice {
  rate: number;
  random: () => number;
}

/** Samples of so many seconds. */
export function silence(voice: Voice, seconds: number): Float32Array {
  return new Float32Array(Math.max(1, Math.round(seconds * voice.rate)));
}

export function noise(voice: Voice, seconds: number): Float32Array {
  return silence(voice, seconds).map(() => voice.random() * 2 - 1);
}

type FilterKind = 'lowpass' | 'highpass' | 'bandpass';

/** A second-order filter in place (formulas of the Audio EQ Cookbook, W3C note); the frequency may move with time. */
export function filter(
  voice: Voice,
  signal: Float32Array,
  kind: FilterKind,
  hertz: number | ((seconds: number) => number),
  q = 0.707,
): Float32Array {
  let [x1, x2, y1, y2] = [0, 0, 0, 0];
  let [b0, b1, b2, a1, a2] = [0, 0, 0, 0, 0];
  for (let index = 0; index < signal.length; index += 1) {
    if (index % 64 === 0 && (index === 0 || typeof hertz === 'function')) {
      const frequency = typeof hertz === 'function' ? hertz(index / voice.rate) : hertz;
      const omega = (2 * Math.PI * Math.min(frequency, voice.rate * 0.45)) / voice.rate;
      const alpha = Math.sin(omega) / (2 * q);
      const cosine = Math.cos(omega);
      const a0 = 1 + alpha;
      const edge = kind === 'lowpass' ? 1 - cosine : 1 + cosine;
      [b0, b1, b2] =
        kind === 'bandpass'
          ? [alpha / a0, 0, -alpha / a0]
          : [edge / 2 / a0, (kind === 'lowpass' ? edge : -edge) / a0, edge / 2 / a0];
      [a1, a2] = [(-2 * cosine) / a0, (1 - alpha) / a0];
    }
    const x = signal[index] ?? 0;
    const y = b0 * x + b1 * x1 + b2 * x2 - a1 * y1 - a2 * y2;
    [x2, x1, y2, y1] = [x1, x, y1, y];
    signal[index] = y;
  }
  return signal;
}

/** Multiplies in place by a curve over seconds. */
export function shape(voice: Voice, signal: Float32Array, curve: (seconds: number) => number): Float32Array {
  for (let index = 0; index < signal.length; index += 1)
    signal[index] = (signal[index] ?? 0) * curve(index / voice.rate);
  return signal;
}

/** A fast attack and an exponential decay; `decay` is the time constant in seconds. */
export function strike(attack: number, decay: number): (seconds: number) => number {
  return (seconds) => Math.min(1, seconds / attack) * Math.exp(-seconds / decay);
}

/** An oscillator whose pitch may move; harmonics fall by 1/n. */
export function tone(voice: Voice, seconds: number, hertz: (seconds: number) => number, harmonics = 1): Float32Array {
  const signal = silence(voice, seconds);
  let phase = 0;
  for (let index = 0; index < signal.length; index += 1) {
    const frequency = hertz(index / voice.rate);
    phase += (2 * Math.PI * frequency) / voice.rate;
    let value = 0;
    for (let harmonic = 1; harmonic <= harmonics && frequency * harmonic < voice.rate * 0.45; harmonic += 1)
      value += Math.sin(phase * harmonic) / harmonic;
    signal[index] = value;
  }
  return signal;
}

/** Something struck: partials at ratios of a base pitch that ring out, with a noisy attack. */
export function modal(
  voice: Voice,
  seconds: number,
  base: number,
  ratios: readonly number[],
  decay: number,
  attackNoise = 0.3,
): Float32Array {
  const signal = silence(voice, seconds);
  for (const ratio of ratios) {
    const hertz = base * ratio * (0.98 + 0.04 * voice.random());
    if (hertz > voice.rate * 0.45) continue;
    const partial = decay / (0.4 + 0.6 * ratio);
    const level = (0.4 + 0.6 * voice.random()) / Math.sqrt(ratio);
    // A rotating pair of numbers is a decaying sine without a sine a sample.
    const damping = Math.exp(-1 / (partial * voice.rate));
    const cosine = Math.cos((2 * Math.PI * hertz) / voice.rate) * damping;
    const sine = Math.sin((2 * Math.PI * hertz) / voice.rate) * damping;
    let [real, imaginary] = [level, 0];
    for (let index = 0; index < signal.length && Math.abs(real) + Math.abs(imaginary) > 1e-5; index += 1) {
      signal[index] = (signal[index] ?? 0) + imaginary;
      [real, imaginary] = [real * cosine - imaginary * sine, real * sine + imaginary * cosine];
    }
  }
  const knock = shape(
    voice,
    filter(voice, noise(voice, Math.min(seconds, 0.06)), 'bandpass', base * 2, 0.5),
    strike(0.0005, 0.008),
  );
  return mix(signal, knock, 0, attackNoise * 4);
}

/** Adds one signal into another in place, from a sample on; what reaches beyond the end is left out. */
export function mix(into: Float32Array, signal: Float32Array, at: number, level = 1): Float32Array {
  const end = Math.min(into.length, at + signal.length);
  for (let index = Math.max(0, at); index < end; index += 1)
    into[index] = (into[index] ?? 0) + (signal[index - at] ?? 0) * level;
  return into;
}

/** Grains scattered over time: `density` a second, each made by `grain`. */
export function scatter(
  voice: Voice,
  seconds: number,
  density: number,
  grain: (index: number) => Float32Array,
  level: (seconds: number) => number = () => 1,
): Float32Array {
  const signal = silence(voice, seconds);
  let time = 0;
  for (let index = 0; ; index += 1) {
    time += -Math.log(1 - voice.random() * 0.999) / density;
    if (time >= seconds) return signal;
    mix(signal, grain(index), Math.floor(time * voice.rate), level(time) * (0.4 + 0.6 * voice.random()));
  }
}

/** Scales in place so that the highest sample stands at `peak`, with a few milliseconds of fade at both ends. */
export function finish(voice: Voice, signal: Float32Array, peak: number): Float32Array {
  let highest = 1e-9;
  for (const value of signal) highest = Math.max(highest, Math.abs(value));
  const fade = Math.min(signal.length / 4, voice.rate * 0.004);
  for (let index = 0; index < signal.length; index += 1) {
    const edge = Math.min(1, index / fade, (signal.length - 1 - index) / fade);
    signal[index] = ((signal[index] ?? 0) / highest) * peak * edge;
  }
  return signal;
}
