import { describe, expect, it } from '@jest/globals';
import { channelLayout } from '../channel-layout.ts';
import { kWeighting } from './k-weighting.ts';
import { LoudnessMeter, type Loudness } from './loudness-meter.ts';
import { measuresOf, sines, type Stretch } from '@flagstone/demo/test-signals';

/** The signals are made here; their levels, results and tolerances are from memory of the tables in the documents that are named. */
const RATES = [44_100, 48_000, 96_000];

/** Loudness alone: these signals are long. */
function loudnessOf(channels: Float32Array[], rate: number): Loudness {
  const meter = new LoudnessMeter(rate, { channels: channels.length });
  meter.add(channels, channels[0]?.length ?? 0);
  return meter.finish();
}

describe('K-weighting', () => {
  // ITU-R BS.1770-4 annex 1, tables 1 and 2: the coefficients at 48 kHz.
  it('has the coefficients of BS.1770-4 at 48 kHz', () => {
    const { shelf, highPass } = kWeighting(48_000);
    const expected = {
      shelf: [1.53512485958697, -2.69169618940638, 1.19839281085285, -1.69065929318241, 0.73248077421585],
      highPass: [1, -2, 1, -1.99004745483398, 0.99007225036621],
    };
    const values = (filter: typeof shelf): number[] => [filter.b0, filter.b1, filter.b2, filter.a1, filter.a2];
    values(shelf).forEach((value, index) => expect(value).toBeCloseTo(expected.shelf[index] ?? NaN, 9));
    values(highPass).forEach((value, index) => expect(value).toBeCloseTo(expected.highPass[index] ?? NaN, 9));
  });
});

describe.each(RATES)('loudness at %d Hz', (rate) => {
  const stereo = (stretches: Stretch[]) => {
    const signal = sines(rate, stretches);
    return loudnessOf([signal, signal], rate);
  };
  const quietBetween: Stretch[] = [
    [-26, 20],
    [-20, 20.1],
    [-26, 20],
  ];

  // EBU Tech 3341 table 1, cases 1 to 5: within 0.1 LU.
  it.each<[number, Stretch[], number]>([
    [1, [[-23, 20]], -23],
    [2, [[-33, 20]], -33],
    [
      3,
      [
        [-36, 10],
        [-23, 60],
        [-36, 10],
      ],
      -23,
    ],
    [
      4,
      [
        [-72, 10],
        [-36, 10],
        [-23, 60],
        [-36, 10],
        [-72, 10],
      ],
      -23,
    ],
    [5, quietBetween, -23],
  ])('passes case %d of EBU Tech 3341', (_case, stretches, expected) => {
    const { integratedLufs } = stereo(stretches);
    expect(Math.abs((integratedLufs ?? 0) - expected)).toBeLessThanOrEqual(0.1);
  });

  it('passes case 6 of EBU Tech 3341: five channels, the surrounds weighing more', () => {
    const channels = [-28, -28, -24, -30, -30].map((dbfs) => sines(rate, [[dbfs, 20]]));
    expect(Math.abs((loudnessOf(channels, rate).integratedLufs ?? 0) + 23)).toBeLessThanOrEqual(0.1);
  });

  it('passes case 9 of EBU Tech 3341: short-term loudness over a beat of 3 s', () => {
    const { shortTermMaxLufs } = stereo(
      Array.from({ length: 5 }, (): Stretch[] => [
        [-20, 1.34],
        [-30, 1.66],
      ]).flat(),
    );
    expect(Math.abs((shortTermMaxLufs ?? 0) + 23)).toBeLessThanOrEqual(0.1);
  });

  // EBU Tech 3342 table 1, cases 1 to 4: within 1 LU.
  it.each<[number, number[], number]>([
    [1, [-20, -30], 10],
    [2, [-20, -15], 5],
    [3, [-40, -20], 20],
    [4, [-50, -35, -20, -35, -50], 15],
  ])('passes case %d of EBU Tech 3342', (_case, levels, expected) => {
    const { loudnessRangeLu } = stereo(levels.map((level): Stretch => [level, 20]));
    expect(Math.abs((loudnessRangeLu ?? 0) - expected)).toBeLessThanOrEqual(1);
  });

  // EBU Tech 3341 table 1, cases 15 to 19: sines whose samples miss their peaks; within +0.2 and -0.4 dB.
  it.each([
    [15, 4, 0.5, 0, -6],
    [16, 4, 0.5, 45, -6],
    [17, 6, 0.5, 60, -6],
    [18, 8, 0.5, 67.5, -6],
    [19, 4, 1.41, 45, 3],
  ])('passes case %d of EBU Tech 3341: the true peak', (_case, divisor, amplitude, phase, expected) => {
    const signal = sines(rate, [[20 * Math.log10(amplitude), 1]], rate / divisor, phase);
    // The document fades the ends, where a sine that begins at once would have peaks of its own.
    const fade = Math.round(rate / 100);
    for (let index = 0; index < fade; index += 1) {
      signal[index] = ((signal[index] ?? 0) * index) / fade;
      signal[signal.length - 1 - index] = ((signal[signal.length - 1 - index] ?? 0) * index) / fade;
    }
    const error = (measuresOf([signal, signal.slice()], rate).truePeakDbtp ?? 0) - expected;
    expect(error).toBeLessThanOrEqual(0.2);
    expect(error).toBeGreaterThanOrEqual(-0.4);
  });
});

describe('loudness at the edges', () => {
  it('has none for silence', () => {
    const nothing = { integratedLufs: null, momentaryMaxLufs: null, shortTermMaxLufs: null, loudnessRangeLu: null };
    expect(measuresOf([new Float32Array(48_000)], 48_000)).toMatchObject({ ...nothing, truePeakDbtp: null });
    expect(measuresOf([new Float32Array(0)], 48_000)).toMatchObject({ ...nothing, rmsDbfs: null });
  });

  it('takes a sound shorter than a block as standing in silence', () => {
    const short = measuresOf([sines(48_000, [[-20, 0.2]])], 48_000);
    const long = measuresOf([sines(48_000, [[-20, 0.4]])], 48_000);
    expect(short.integratedLufs).toBeNull();
    expect(short.loudnessRangeLu).toBeNull();
    expect((long.momentaryMaxLufs ?? 0) - (short.momentaryMaxLufs ?? 0)).toBeCloseTo(10 * Math.log10(2), 1);
  });

  it('leaves the LFE out and weighs the surrounds of 5.1 as BS.1770-4 table 4 does', () => {
    const silent = new Float32Array(48_000);
    const only = (channel: number): number | null => {
      const channels: Float32Array[] = Array.from({ length: 6 }, () => silent);
      channels[channel] = sines(48_000, [[-20, 1]]);
      return measuresOf(channels, 48_000, { channelMask: 0x3f }).integratedLufs;
    };
    expect(only(3)).toBeNull();
    expect((only(4) ?? 0) - (only(0) ?? 0)).toBeCloseTo(10 * Math.log10(1.41), 3);
  });
});

describe('channel layouts', () => {
  it.each([
    [1, undefined, 'mono'],
    [2, undefined, 'stereo'],
    [2, 0x3, 'stereo'],
    [3, 0x7, 'LCR'],
    [4, 0x33, 'quad'],
    [5, undefined, '5.0'],
    [6, 0x3f, '5.1'],
    [6, 0x60f, '5.1'],
    [8, 0x63f, '7.1'],
    [8, undefined, '7.1'],
    [2, 0x30, '2 channels'],
    [9, undefined, '9 channels'],
  ])('calls %d channels with the mask %p %s', (channels, mask, name) => {
    const layout = channelLayout({ channels, channelMask: mask });
    expect(layout.name).toBe(name);
    expect(layout.speakers).toHaveLength(channels);
  });

  it.each([
    [4, 'ambisonic, 1st order'],
    [16, 'ambisonic, 3rd order'],
    [6, 'ambisonic, 6 channels'],
  ])('calls %d channels that are said to be a sound field %s', (channels, name) => {
    expect(channelLayout({ channels, channelMask: 0, isAmbisonic: true }).name).toBe(name);
  });
});
