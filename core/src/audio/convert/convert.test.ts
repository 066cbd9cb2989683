import { describe, expect, it } from '@jest/globals';
import { noiseSource, sines } from '@flagstone/demo/test-signals';
import { channelLayout } from '../channel-layout.ts';
import { foldToMono, foldToStereo } from '../channel-mix.ts';
import { decodePcm } from '../pcm.ts';
import { Dither } from './dither.ts';
import { convertedLength, RateConverter } from './rate-converter.ts';
import { ConversionMeter, gainFor, SoundConverter, type Conversion } from './sound-converter.ts';

/** All of a signal at another rate, fed in blocks of odd lengths. */
function converted(samples: Float32Array, fromHz: number, toHz: number, blocks = [1, 4097, 333, 20_011]): Float32Array {
  const converter = new RateConverter(1, fromHz, toHz);
  const parts: Float32Array[] = [];
  for (let at = 0, turn = 0; at < samples.length; turn += 1) {
    const block = samples.subarray(at, at + (blocks[turn % blocks.length] ?? 1));
    at += block.length;
    parts.push(...converter.add([block], block.length));
  }
  parts.push(...converter.finish());
  const joined = new Float32Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    joined.set(part, at);
    at += part.length;
  }
  return joined;
}

/** Amplitude of a frequency in the middle half of a signal, by correlation over whole periods as far as they fit, dB. */
function amplitudeDb(samples: Float32Array, hertz: number, rate: number): number {
  const period = rate / hertz;
  const start = Math.floor(samples.length / 4);
  const count = Math.floor(Math.floor(samples.length / 2 / period) * period);
  let [real, imaginary, weights] = [0, 0, 0];
  for (let index = 0; index < count; index += 1) {
    const window = 0.5 - 0.5 * Math.cos((2 * Math.PI * index) / count);
    const turn = (2 * Math.PI * hertz * (start + index)) / rate;
    real += window * (samples[start + index] ?? 0) * Math.cos(turn);
    imaginary += window * (samples[start + index] ?? 0) * Math.sin(turn);
    weights += window;
  }
  return 20 * Math.log10((2 * Math.hypot(real, imaginary)) / weights);
}

/** Of the middle half of a signal, dB of full scale. */
function rmsDb(samples: Float32Array): number {
  const middle = samples.subarray(samples.length / 4, (3 * samples.length) / 4);
  return 10 * Math.log10(middle.reduce((sum, value) => sum + value * value, 0) / middle.length);
}

const tone = (hertz: number, rate: number, seconds = 0.5): Float32Array =>
  Float32Array.from({ length: rate * seconds }, (_, at) => 0.9 * Math.sin((2 * Math.PI * hertz * at) / rate));

describe('another sample rate', () => {
  it.each([
    [44_100, 48_000, 20_000],
    [48_000, 44_100, 20_000],
    [96_000, 48_000, 22_000],
    [96_000, 44_100, 20_200],
    [192_000, 48_000, 22_000],
    [48_000, 96_000, 22_000],
    [22_050, 48_000, 10_100],
    // No common divisor to speak of: places lie between the rows of the filter.
    [47_999, 48_000, 20_000],
  ])('from %i to %i Hz keeps the pass band up to %i Hz within 0.01 dB', (from, to, highest) => {
    for (const hertz of [50, 1000, highest / 2, highest]) {
      const got = amplitudeDb(converted(tone(hertz, from), from, to), hertz, to);
      expect(Math.abs(got - 20 * Math.log10(0.9))).toBeLessThan(0.01);
    }
  });

  it.each([
    [96_000, 48_000, [24_100, 30_000, 47_000]],
    [96_000, 44_100, [22_100, 26_000, 40_000]],
    [192_000, 44_100, [22_200, 50_000, 90_000]],
    [48_000, 44_100, [22_100, 23_500]],
  ])('from %i to %i Hz leaves less than -110 dB of what would alias', (from, to, above) => {
    for (const hertz of above) expect(rmsDb(converted(tone(hertz, from), from, to))).toBeLessThan(-110);
  });

  it('upwards leaves no images above -110 dB', () => {
    const made = converted(tone(10_000, 44_100), 44_100, 96_000);
    expect(amplitudeDb(made, 34_100, 96_000)).toBeLessThan(-110);
    const between = converted(tone(10_000, 47_999), 47_999, 96_000);
    expect(amplitudeDb(between, 37_999, 96_000)).toBeLessThan(-110);
  });

  it('has the length that the rates say, keeps the time, and is the same however it comes', () => {
    for (const frames of [0, 1, 2, 1000, 44_101]) {
      const samples = Float32Array.from({ length: frames }, noiseSource(5));
      const made = converted(samples, 44_100, 48_000);
      expect(made).toHaveLength(convertedLength(frames, 44_100, 48_000));
      expect(converted(samples, 44_100, 48_000, [700])).toEqual(made);
    }
    // A click stays where it is.
    const click = new Float32Array(48_000);
    click[24_000] = 1;
    const made = converted(click, 48_000, 96_000);
    expect(made.indexOf(made.reduce((most, value) => Math.max(most, value), 0))).toBe(48_000);
  });
});

describe('dither', () => {
  it('makes of rounding a white noise of a quarter of a step squared, of which the sound knows nothing', () => {
    const frames = 200_000;
    // A tone of less than one step of 16 bits, which rounding alone would make silent or square.
    const quiet = Float32Array.from({ length: frames }, (_, at) => (0.4 / 32_768) * Math.sin(at / 7));
    const { planar, error } = rounded(quiet, true);
    const variance = error.reduce((sum, value) => sum + value * value, 0) / frames;
    expect(variance / (1 / 32_768) ** 2).toBeCloseTo(0.25, 2);
    expect(amplitudeDb(planar, 48_000 / (14 * Math.PI), 48_000)).toBeCloseTo(20 * Math.log10(0.4 / 32_768), 0);
    const withSound = error.reduce((sum, value, at) => sum + value * (quiet[at] ?? 0), 0) / frames;
    expect(Math.abs(withSound) / (1 / 32_768) ** 2).toBeLessThan(0.01);
    const withNext = error.reduce((sum, value, at) => sum + value * (error[at + 1] ?? 0), 0) / frames;
    expect(Math.abs(withNext) / variance).toBeLessThan(0.01);
    // Without it nothing is left.
    expect(rounded(quiet, false).planar.every((value) => value === 0)).toBe(true);
  });

  it('is of its own for each channel, and the same each time', () => {
    const noise = (): Float32Array[] => {
      const planar = [new Float32Array(1000), new Float32Array(1000)];
      new Dither(2, 16).add(planar, 1000);
      return planar;
    };
    const [left, right] = noise();
    expect(left).not.toEqual(right);
    expect(noise()).toEqual([left, right]);
  });
});

function rounded(samples: Float32Array, dither: boolean): { planar: Float32Array; error: Float32Array } {
  const still: Conversion = { channels: 1, fromHz: 48_000, toHz: 48_000, matrix: null };
  const stored = { sampleFormat: 'integer' as const, bitDepth: 16 };
  const bytes = new SoundConverter(still, stored, { gain: 1, dither }).add([samples], samples.length);
  const planar = new Float32Array(samples.length);
  decodePcm(bytes, { ...stored, channels: 1, frameBytes: 2 } as Parameters<typeof decodePcm>[1], [planar]);
  return { planar, error: planar.map((value, at) => value - (samples[at] ?? 0)) };
}

describe('the level of a delivery', () => {
  const measure = (planar: Float32Array[], matrix: Conversion['matrix'] = null) => {
    const meter = new ConversionMeter({ channels: planar.length, fromHz: 48_000, toHz: 48_000, matrix });
    meter.add(planar, planar[0]?.length ?? 0);
    return meter.finish();
  };

  it('comes to a loudness, measured again', () => {
    const samples = sines(48_000, [[-40, 3]], 1000);
    const before = measure([samples, samples]);
    const { gain, told } = gainFor(before, { kind: 'loudness', lufs: -23, ceilingDbtp: -1 }, 'integer');
    expect(told).toBe('asWanted');
    const louder = samples.map((sample) => sample * gain);
    expect(measure([louder, louder]).integratedLufs).toBeCloseTo(-23, 1);
  });

  it('stays below the ceiling, and says so; silence and what is too short stay as they are', () => {
    const click = new Float32Array(96_000);
    click[50_000] = 0.5;
    const held = gainFor(measure([click]), { kind: 'loudness', lufs: -16, ceilingDbtp: -2 }, 'integer');
    expect(held.told).toBe('heldByCeiling');
    expect(20 * Math.log10(held.gain * measure([click]).truePeak)).toBeCloseTo(-2, 3);
    const loudness = { kind: 'loudness', lufs: -16, ceilingDbtp: -2 } as const;
    expect(gainFor(measure([tone(500, 48_000, 0.1)]), loudness, 'integer')).toEqual({ gain: 1, told: 'tooShort' });
    expect(gainFor(measure([new Float32Array(48_000)]), loudness, 'integer').gain).toBe(1);
    expect(gainFor(measure([new Float32Array(48_000)]), { kind: 'peak', dbfs: -3 }, 'integer').gain).toBe(1);
  });

  it('comes to a peak, and is never clipped where whole numbers store it', () => {
    const samples = tone(440, 48_000);
    expect(gainFor(measure([samples]), { kind: 'peak', dbfs: -6 }, 'integer').gain * 0.9).toBeCloseTo(0.501, 3);
    // Both sides of a pair in the middle of 5.1, each at full scale, fold to more than full scale.
    const { speakers } = channelLayout({ channels: 6 });
    const folded = measure([samples, samples, samples, samples, samples, samples], foldToStereo(speakers));
    expect(folded.peak).toBeCloseTo(0.9 * (1 + Math.SQRT1_2 + Math.SQRT1_2), 3);
    expect(gainFor(folded, { kind: 'asIs' }, 'integer')).toEqual({ gain: 1 / folded.peak, told: 'lowered' });
    expect(gainFor(folded, { kind: 'asIs' }, 'float')).toEqual({ gain: 1, told: 'asWanted' });
  });

  it('tells what was lost by summing: nothing of what is the same in both, all of what is opposite', () => {
    const samples = tone(440, 48_000);
    const mono = foldToMono(channelLayout({ channels: 2 }).speakers);
    expect(measure([samples, samples], mono).lostDb).toBeCloseTo(0, 5);
    expect(measure([samples, samples.map((value) => -value)], mono).lostDb).toBeGreaterThan(60);
  });
});
