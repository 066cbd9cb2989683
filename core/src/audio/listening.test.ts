import { describe, expect, it } from '@jest/globals';
import { noiseSource, sines } from '@flagstone/demo/test-signals';
import { channelLayout } from './channel-layout.ts';
import { listeningMatrix, mixed, type ChannelChoice } from './channel-mix.ts';
import { encodePcm } from './encode-pcm.ts';
import { loudnessBytes, loudnessOfByte } from './loudness-curve.ts';
import { checkedMarks, parseSlices, slicesText } from '../record/marks.ts';
import { LoudnessMeter } from './measure/loudness-meter.ts';
import { decodePcm } from './pcm.ts';
import { rowHertz, Spectrogrammer } from './spectrogram.ts';

const RATE = 48_000;
const { speakers: stereo } = channelLayout({ channels: 2 });
const { speakers: surround } = channelLayout({ channels: 6 });

describe('what is heard of the channels', () => {
  it.each<[ChannelChoice, number[], number[]]>([
    ['all', [1, 0], [0, 1]],
    ['swapped', [0, 1], [1, 0]],
    ['mono', [0.5, 0.5], [0.5, 0.5]],
    ['mid', [0.5, 0.5], [0.5, 0.5]],
    ['side', [0.5, -0.5], [0.5, -0.5]],
    ['channel:2', [0, 1], [0, 1]],
  ])('is with “%s” of a pair %j and %j', (choice, left, right) => {
    expect(listeningMatrix(stereo, choice)).toEqual([left, right]);
  });

  it('brings 5.1 down after ITU-R BS.775-3, and one channel to both sides', () => {
    const [left, right] = listeningMatrix(surround, 'all');
    expect(left.map((gain) => Number(gain.toFixed(4)))).toEqual([1, 0, 0.7071, 0, 0.7071, 0]);
    expect(right.map((gain) => Number(gain.toFixed(4)))).toEqual([0, 1, 0.7071, 0, 0, 0.7071]);
    expect(listeningMatrix(channelLayout({ channels: 1 }).speakers, 'all')).toEqual([[1], [1]]);
    const [mono] = listeningMatrix(surround, 'mono');
    expect(mono.map((gain) => Number(gain.toFixed(4)))).toEqual([0.7071, 0.7071, 1, 0, 0.5, 0.5]);
  });

  it('is of ambisonics the channel that hears all around', () => {
    const { speakers } = channelLayout({ channels: 4, isAmbisonic: true });
    expect(listeningMatrix(speakers, 'all')).toEqual([
      [1, 0, 0, 0],
      [1, 0, 0, 0],
    ]);
    expect(mixed([Float32Array.of(2), Float32Array.of(3)], [[1, -1]])).toEqual([Float32Array.of(-1)]);
  });
});

describe('the spectrogram', () => {
  it('holds the energy of the samples (Parseval)', () => {
    const size = 2048;
    const meter = new Spectrogrammer({ sampleRateHz: RATE, size, rows: 64, scale: 'linear' });
    const samples = Float32Array.from({ length: size }, noiseSource(31));
    const power = meter.powerOf(samples);
    // Both halves of the spectrum, and the window that powerOf takes.
    const total = (2 * power.reduce((sum, each) => sum + each, 0) - (power[0] ?? 0)) / size;
    const energy = samples.reduce(
      (sum, value, at) => sum + (value * ((0.5 - 0.5 * Math.cos((2 * Math.PI * at) / size)) / (size / 4))) ** 2,
      0,
    );
    expect(total / energy).toBeCloseTo(1, 2);
  });

  it.each(['log', 'linear'] as const)('shows a full-scale sine as 0 dB in its row, on a %s scale', (scale) => {
    const shape = { sampleRateHz: RATE, size: 4096, rows: 128, scale };
    const hertz = (RATE / 4096) * 100;
    const column = new Spectrogrammer(shape).column(sines(RATE, [[0, 0.1]], hertz).subarray(0, 4096));
    const row = column.indexOf(Math.max(...column));
    expect(rowHertz(shape, row)).toBeLessThanOrEqual(hertz);
    expect(rowHertz(shape, row + 1)).toBeGreaterThanOrEqual(hertz);
    expect(column[row]).toBeGreaterThanOrEqual(254);
  });

  it('is empty for silence', () => {
    const meter = new Spectrogrammer({ sampleRateHz: RATE, size: 256, rows: 16, scale: 'log' });
    expect([...meter.column(new Float32Array(256))]).toEqual(new Array(16).fill(0));
  });
});

describe('loudness over time', () => {
  it('is a value every 100 ms, kept to half a unit', () => {
    const meter = new LoudnessMeter(RATE, { channels: 2 });
    const tone = sines(RATE, [
      [-20, 2],
      [-40, 2],
    ]);
    meter.add([tone, tone], tone.length);
    const curve = meter.curve();
    expect(curve).toHaveLength(37);
    expect(curve[5]).toBeCloseTo(-20, 1);
    expect(curve[35]).toBeCloseTo(-40, 1);
    const bytes = loudnessBytes(Float32Array.of(-20.1, -Infinity, -70.26));
    expect([...bytes].map(loudnessOfByte)).toEqual([-20, null, -70.5]);
  });
});

describe('stored samples', () => {
  it.each([8, 16, 24, 32])('of %d bits come back as they were', (bitDepth) => {
    const planar = [Float32Array.of(0, 0.5, -0.5, -1), Float32Array.of(0.25, -0.25, 0.75, 0)];
    const bytes = encodePcm(planar, { sampleFormat: 'integer', bitDepth });
    const facts = {
      sampleFormat: 'integer',
      bitDepth,
      channels: 2,
      frameBytes: bitDepth / 4,
      bigEndian: false,
    } as Parameters<typeof decodePcm>[1];
    const back = [new Float32Array(4), new Float32Array(4)];
    expect(decodePcm(bytes, facts, back)).toBe(4);
    expect(back).toEqual(planar);
  });

  it('are limited to full scale, and kept beyond it as floats', () => {
    expect([...encodePcm([Float32Array.of(2, -2)], { sampleFormat: 'integer', bitDepth: 16 })]).toEqual([
      0xff, 0x7f, 0, 0x80,
    ]);
    const floats = encodePcm([Float32Array.of(2)], { sampleFormat: 'float', bitDepth: 32 });
    expect(new DataView(floats.buffer).getFloat32(0, true)).toBe(2);
  });
});

describe('marks as text', () => {
  it('stand in order, without line breaks in their names', () => {
    expect(
      slicesText([
        { from: 9, to: 12, name: 'b\nc' },
        { from: 1, to: 5, name: '' },
      ]),
    ).toBe('1 5\n9 12 b c');
    expect(parseSlices('1 5\nnonsense\n9 3\n9 12 b c')).toEqual([
      { from: 1, to: 5, name: '' },
      { from: 9, to: 12, name: 'b c' },
    ]);
  });

  it('have one form, also where several stand at one frame', () => {
    expect(checkedMarks('syncPoints', '7 b\n7\n7 a')).toEqual({ text: '7\n7 a\n7 b' });
    expect(checkedMarks('slices', '7 9 b\n7 9')).toEqual({ text: '7 9\n7 9 b' });
  });

  it('name the line that is none', () => {
    expect(checkedMarks('slices', '1 5 a\n7')).toEqual({ wrong: '7' });
    expect(checkedMarks('syncPoints', '7 hit')).toEqual({ text: '7 hit' });
    expect(checkedMarks('syncPoints', 'soon')).toEqual({ wrong: 'soon' });
  });
});
