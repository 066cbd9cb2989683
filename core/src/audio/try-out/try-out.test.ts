import { describe, expect, it } from '@jest/globals';
import { noiseSource, sines } from '@flagstone/demo/test-signals';
import { LoudnessMeter } from '../measure/loudness-meter.ts';
import { PowerSpectrum } from '../measure/power-spectrum.ts';
import { resample } from '../resample.ts';
import { bandFilter, responseDb, type Band } from './biquad.ts';
import { convolve } from './convolve.ts';
import { impulseOf, ROOMS } from './rooms.ts';
import {
  renderTryOut,
  speedOfSemitones,
  tryOutInWords,
  untouchedTryOut,
  type SampledSound,
  type Tile,
} from './try-out.ts';

const RATE = 48_000;
const sound = (...planar: Float32Array[]): SampledSound => ({ planar, channels: planar.length, sampleRateHz: RATE });
const render = (given: SampledSound, ...tiles: Tile[]): SampledSound => renderTryOut(given, tiles);
const first = ({ planar }: SampledSound): Float32Array => planar[0] ?? new Float32Array(0);

/** The frequency that is strongest in the middle of a signal, Hz. */
function strongestHertz(samples: Float32Array, rate = RATE): number {
  const size = 16_384;
  const start = Math.floor((samples.length - size) / 2);
  const windowed = Float64Array.from(
    { length: size },
    (_, at) => (samples[start + at] ?? 0) * (0.5 - 0.5 * Math.cos((2 * Math.PI * at) / size)),
  );
  const power = new Float64Array(size / 2);
  new PowerSpectrum(size).measure(windowed, power);
  return (power.indexOf(Math.max(...power)) * rate) / size;
}

describe('varispeed', () => {
  it('of -12 semitones doubles the length and halves every frequency', () => {
    const tone = sines(RATE, [[-6, 1]], 1000);
    const slow = first(render(sound(tone), { kind: 'speed', on: true, percent: 100 * speedOfSemitones(-12) }));
    expect(slow).toHaveLength(2 * tone.length);
    expect(strongestHertz(slow)).toBeCloseTo(500, -1);
  });

  it('of -6 semitones plays at 0.7071 of the speed', () => {
    expect(speedOfSemitones(-6)).toBeCloseTo(0.7071, 4);
    const tone = sines(RATE, [[-6, 1]], 1000);
    const slow = first(render(sound(tone), { kind: 'speed', on: true, percent: 100 * speedOfSemitones(-6) }));
    expect(slow.length).toBe(Math.round(tone.length / Math.SQRT1_2));
    expect(strongestHertz(slow)).toBeCloseTo(707, -1);
  });
});

describe('pitch and length, each alone', () => {
  it('change the one and leave the other', () => {
    const tone = sines(RATE, [[-6, 1.5]], 800);
    const higher = first(render(sound(tone), { kind: 'pitch', on: true, semitones: 12 }));
    expect(higher).toHaveLength(tone.length);
    expect(strongestHertz(higher)).toBeCloseTo(1600, -1);
    const longer = first(render(sound(tone), { kind: 'time', on: true, percent: 200 }));
    expect(longer).toHaveLength(2 * tone.length);
    expect(strongestHertz(longer)).toBeCloseTo(800, -1);
  });

  it('cut all channels at the same places', () => {
    const noise = Float32Array.from({ length: RATE / 2 }, noiseSource(3));
    const { planar } = render(sound(noise, noise.slice()), { kind: 'time', on: true, percent: 150 });
    expect(planar[0]).toEqual(planar[1]);
  });
});

describe('reversing', () => {
  it('twice gives the same samples, and leaves what was given as it was', () => {
    const noise = Float32Array.from({ length: 999 }, noiseSource(7));
    const before = noise.slice();
    const once = render(sound(noise), { kind: 'reverse', on: true });
    expect(first(once)[0]).toBe(noise[998]);
    expect(first(render(once, { kind: 'reverse', on: true }))).toEqual(before);
    expect(noise).toEqual(before);
  });
});

describe('normalising', () => {
  it('to -23 LUFS measures -23.0 within 0.1', () => {
    const noise = noiseSource(11);
    const swell = Float32Array.from({ length: 4 * RATE }, (_, at) => noise() * 0.2 * (at / (4 * RATE)));
    const { planar } = render(sound(swell, swell.slice()), { kind: 'normalise', on: true, to: 'loudness', level: -23 });
    const meter = new LoudnessMeter(RATE, { channels: 2 });
    meter.add(planar, swell.length);
    expect(Math.abs((meter.finish().integratedLufs ?? 0) + 23)).toBeLessThan(0.1);
  });

  it('to a true peak takes what lies between the samples into account', () => {
    // The samples of a sine of a quarter of the rate at 45° stand 3 dB below its peak (EBU Tech 3341, case 16).
    const tone = sines(RATE, [[-6, 0.5]], RATE / 4, 45);
    const loud = first(render(sound(tone), { kind: 'normalise', on: true, to: 'truePeak', level: -1 }));
    // EBU Tech 3341 allows +0.2 and -0.4 dB.
    expect(Math.abs(20 * Math.log10(Math.max(...loud.slice(2000, -2000))) + 1 + 3.01)).toBeLessThan(0.2);
  });

  it('leaves silence as it is', () => {
    const silence = new Float32Array(RATE);
    expect(first(render(sound(silence), { kind: 'normalise', on: true, to: 'loudness', level: -23 }))).toEqual(silence);
  });
});

describe('the equaliser', () => {
  it.each<[Band, number, number]>([
    [{ kind: 'bell', hertz: 1000, gainDb: 9, q: 2 }, 1000, 9],
    [{ kind: 'bell', hertz: 1000, gainDb: 9, q: 2 }, 50, 0],
    [{ kind: 'lowShelf', hertz: 200, gainDb: -12, q: Math.SQRT1_2 }, 20, -12],
    [{ kind: 'lowShelf', hertz: 200, gainDb: -12, q: Math.SQRT1_2 }, 10_000, 0],
    [{ kind: 'highShelf', hertz: 4000, gainDb: 6, q: Math.SQRT1_2 }, 20_000, 6],
    // A Butterworth filter of the second order stands 3 dB down at its edge.
    [{ kind: 'lowCut', hertz: 500, gainDb: 0, q: Math.SQRT1_2 }, 500, -3.01],
    [{ kind: 'highCut', hertz: 500, gainDb: 0, q: Math.SQRT1_2 }, 500, -3.01],
  ])('gives with %j at %d Hz %d dB, as drawn and as heard', (band, hertz, expected) => {
    expect(responseDb([bandFilter(band, RATE)], hertz, RATE)).toBeCloseTo(expected, 0);
    const tone = sines(RATE, [[-20, 0.5]], hertz);
    const heard = first(render(sound(tone), { kind: 'equaliser', on: true, bands: [band] })).slice(RATE / 4);
    const rms = (samples: Float32Array): number =>
      10 * Math.log10(samples.reduce((sum, value) => sum + value * value, 0) / samples.length);
    expect(rms(heard) - rms(tone.slice(RATE / 4))).toBeCloseTo(responseDb([bandFilter(band, RATE)], hertz, RATE), 0);
  });
});

describe('rooms', () => {
  it('are the convolution with their impulse response', () => {
    const noise = Float32Array.from({ length: 700 }, noiseSource(13));
    const impulse = Float32Array.from({ length: 400 }, noiseSource(17));
    const direct = Float32Array.from({ length: 1099 }, (_, at) => {
      let sum = 0;
      for (let tap = 0; tap < impulse.length; tap += 1) sum += (impulse[tap] ?? 0) * (noise[at - tap] ?? 0);
      return sum;
    });
    const fast = convolve(noise, impulse);
    expect(fast).toHaveLength(direct.length);
    fast.forEach((value, at) => expect(Math.abs(value - (direct[at] ?? 0))).toBeLessThan(1e-4));
  });

  it.each(ROOMS)('“%s” is always the same, sounds on and dies away', (room) => {
    const impulse = impulseOf(room, RATE, 0);
    expect(impulseOf(room, RATE, 0)).toEqual(impulse);
    const energy = (from: number, to: number): number =>
      impulse.slice(from, to).reduce((sum, value) => sum + value * value, 0);
    expect(energy(0, impulse.length / 4)).toBeGreaterThan(10 * energy((impulse.length * 3) / 4, impulse.length));
    expect(impulse.every(Number.isFinite)).toBe(true);
  });

  it('make one channel two and last as long as they sound on', () => {
    const click = new Float32Array(100);
    click[0] = 1;
    const { planar, channels } = render(sound(click), { kind: 'room', on: true, room: 'hall', wetPercent: 50 });
    expect(channels).toBe(2);
    expect(planar).toHaveLength(2);
    expect(planar[0]?.length).toBe(impulseOf('hall', RATE, 0).length + 99);
    expect(planar[0]).not.toEqual(planar[1]);
  });
});

describe('trimming, fading, width and folding', () => {
  it('takes away silence at both ends alone', () => {
    const samples = Float32Array.from([0, 0, 0.5, 0, 0.5, 0, 0]);
    expect([...first(render(sound(samples), { kind: 'trim', on: true, belowDbfs: -60 }))]).toEqual([0.5, 0, 0.5]);
    expect(first(render(sound(new Float32Array(5)), { kind: 'trim', on: true, belowDbfs: -60 }))).toHaveLength(5);
  });

  it('fades from and to nothing', () => {
    const faded = first(
      render(sound(new Float32Array(RATE).fill(1)), { kind: 'fades', on: true, inSeconds: 0.1, outSeconds: 0.2 }),
    );
    expect([faded[0], faded[RATE / 2], faded[RATE - 1]]).toEqual([0, 1, 0]);
    expect(faded[RATE / 20]).toBeCloseTo(0.5, 3);
  });

  it('of width 0 makes both channels the same, of 100 changes nothing', () => {
    const pair = sound(Float32Array.from([1, 0.5]), Float32Array.from([0, -0.5]));
    const [left, right] = render(pair, { kind: 'width', on: true, percent: 0 }).planar;
    expect(left).toEqual(right);
    expect(render(pair, { kind: 'width', on: true, percent: 100 }).planar).toEqual(pair.planar);
  });

  it('folds 5.1 with the coefficients of ITU-R BS.775-3, without the LFE', () => {
    const channels = Array.from({ length: 6 }, (_, channel) => Float32Array.of(channel === 3 ? 9 : (channel + 1) / 10));
    const [left, right] = render(sound(...channels), { kind: 'fold', on: true, to: 'stereo' }).planar;
    expect(left?.[0]).toBeCloseTo(0.1 + Math.SQRT1_2 * 0.3 + Math.SQRT1_2 * 0.5, 6);
    expect(right?.[0]).toBeCloseTo(0.2 + Math.SQRT1_2 * 0.3 + Math.SQRT1_2 * 0.6, 6);
  });
});

describe('a chain', () => {
  it('does nothing while no step is on, and tells in words what is on', () => {
    const noise = Float32Array.from({ length: 100 }, noiseSource(19));
    expect(first(renderTryOut(sound(noise), untouchedTryOut()))).toEqual(noise);
    expect(tryOutInWords(untouchedTryOut())).toBe('');
    const some: Tile[] = [
      { kind: 'speed', on: true, percent: 50 },
      { kind: 'room', on: true, room: 'hall', wetPercent: 40 },
    ];
    expect(tryOutInWords(some)).toBe('speed 50 %, hall 40 %');
    expect(tryOutInWords([{ kind: 'speed', on: true, percent: 100 }])).toBe('');
  });
});

describe('resampling', () => {
  it('of a sweep from 96 to 48 kHz leaves no alias above -100 dB', () => {
    // A sweep that lies above the new Nyquist frequency as a whole: everything that is left of it is alias.
    const [rate, seconds, low, high] = [96_000, 1, 24_500, 46_000];
    const sweep = Float32Array.from({ length: rate * seconds }, (_, at) => {
      const time = at / rate;
      return Math.sin(2 * Math.PI * (low * time + ((high - low) * time * time) / (2 * seconds)));
    });
    // Without the ends, where the sweep begins and breaks off at once.
    const left = resample(sweep, 2).slice(2400, -2400);
    const rms = Math.sqrt(left.reduce((sum, value) => sum + value * value, 0) / left.length);
    expect(20 * Math.log10(rms)).toBeLessThan(-100);
  });

  it('keeps what both rates hold within 0.01 dB', () => {
    for (const hertz of [100, 5000, 18_000]) {
      const same = resample(sines(96_000, [[0, 0.5]], hertz), 2).slice(4000, 4000 + 14_400);
      const rms = Math.sqrt(same.reduce((sum, value) => sum + value * value, 0) / same.length);
      expect(Math.abs(20 * Math.log10(rms * Math.SQRT2))).toBeLessThan(0.01);
    }
  });
});
