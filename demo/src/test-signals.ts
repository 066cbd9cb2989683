import { SoundMeter, type Measures, type SoundAnalysis } from '@flagstone/core/audio/measure/sound-meter';

/** Taken once: where code runs in a context of its own, as tests do, each look-up of a global costs more than the sum it is for. */
const { PI, exp, sin } = Math;

/** Repeatable white noise from -1 to 1 (Park and Miller's generator). */
export function noiseSource(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state * 16_807) % 2_147_483_647;
    return state / 1_073_741_823.5 - 1;
  };
}

/** A stretch of a sine: its peak in dBFS and its length in seconds. */
export type Stretch = [dbfs: number, seconds: number];

/** Sines of 1 kHz one after another, as the test signals of EBU Tech 3341 and 3342 are made. */
export function sines(rate: number, stretches: readonly Stretch[], hertz = 1000, phaseDegrees = 0): Float32Array {
  const frames = stretches.map(([, seconds]) => Math.round(seconds * rate));
  const signal = new Float32Array(frames.reduce((sum, each) => sum + each, 0));
  let at = 0;
  stretches.forEach(([dbfs], index) => {
    const amplitude = 10 ** (dbfs / 20);
    const end = at + (frames[index] ?? 0);
    for (; at < end; at += 1) signal[at] = amplitude * sin((2 * PI * hertz * at) / rate + (phaseDegrees * PI) / 180);
  });
  return signal;
}

/** Decaying bursts of 1.5 kHz at a tempo, over some noise; with the seconds at which they begin. */
export function clickTrain(
  rate: number,
  beatsAMinute: number,
  seconds: number,
  noise: () => number,
): { signal: Float32Array; times: number[] } {
  const signal = new Float32Array(Math.round(seconds * rate)).map(noise);
  const times: number[] = [];
  for (let time = 0.25; time < seconds - 0.1; time += 60 / beatsAMinute) {
    const start = Math.round(time * rate);
    times.push(start / rate);
    for (let index = 0; index < rate * 0.03; index += 1)
      signal[start + index] =
        (signal[start + index] ?? 0) + 0.5 * exp(-index / (rate * 0.006)) * sin((2 * PI * 1500 * index) / rate + 0.5);
  }
  return { signal, times };
}

/** Everything that is measured of channels, handed over in blocks of so many frames. */
export function analysisOf(
  channels: readonly Float32Array[],
  sampleRateHz: number,
  { block = 4096, bitDepth = 24, channelMask }: { block?: number; bitDepth?: number; channelMask?: number } = {},
): SoundAnalysis {
  const frames = channels[0]?.length ?? 0;
  const meter = new SoundMeter({ sampleRateHz, channels: channels.length, bitDepth, frames, channelMask });
  for (let at = 0; at < frames; at += block) {
    const parts = channels.map((channel) => channel.subarray(at, at + block));
    meter.add(parts, parts[0]?.length ?? 0);
  }
  return meter.finish();
}

export function measuresOf(...given: Parameters<typeof analysisOf>): Measures {
  return analysisOf(...given).measures;
}
