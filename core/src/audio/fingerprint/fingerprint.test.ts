import { describe, expect, it } from '@jest/globals';
import { resample } from '../resample.ts';
import { FingerprintMeter } from './fingerprint-meter.ts';
import {
  fingerprintBytes,
  keysOf,
  MOST_ROBUST,
  MOST_VARIED,
  MOST_WORDS,
  readFingerprint,
  keysOfTurn,
  type Fingerprint,
} from './fingerprint.ts';
import { sameRecording } from './same-recording.ts';

const RATE = 48_000;

/** Numbers that look random and are the same each time (Numerical Recipes' generator). */
function randomFrom(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return state / 2 ** 32;
  };
}

/** Knocks and scrapes: bursts of noise through resonances that change, which decay. */
function recording(seed: number, seconds = 2): Float32Array {
  const random = randomFrom(seed * 7919 + 1);
  const samples = new Float32Array(Math.round(seconds * RATE));
  for (let at = 0; at < samples.length;) {
    const length = Math.round(RATE * (0.05 + 0.25 * random()));
    const hertz = 300 * 16 ** random();
    const [loud, decay] = [0.2 + 0.6 * random(), 3 + 12 * random()];
    let [one, two] = [0, 0];
    const turn = 2 * 0.97 * Math.cos((2 * Math.PI * hertz) / RATE);
    for (let index = 0; index < length && at + index < samples.length; index += 1) {
      const next = turn * one - 0.97 ** 2 * two + (random() - 0.5);
      [two, one] = [one, next];
      samples[at + index] = 0.1 * loud * next * Math.exp((-decay * index) / RATE);
    }
    at += length;
  }
  return samples;
}

function printOf(samples: Float32Array, rate = RATE, block = 5000): Fingerprint {
  const meter = new FingerprintMeter(rate);
  for (let at = 0; at < samples.length; at += block) {
    const part = samples.subarray(at, at + block);
    meter.add(part, part.length);
  }
  const print = meter.finish();
  if (!print) throw new Error('nothing is heard');
  return print;
}

const after = (seconds: number, samples: Float32Array): Float32Array => {
  const longer = new Float32Array(samples.length + Math.round(seconds * RATE));
  longer.set(samples, longer.length - samples.length);
  return longer;
};

describe('the fingerprint of a recording', () => {
  const original = recording(1);
  const print = printOf(original);

  it('stays at another rate, level, depth and with silence before it', () => {
    const others: [Float32Array, number][] = [
      [resample(original, RATE / 44_100), 44_100],
      [resample(original, RATE / 96_000), 96_000],
      [resample(original, RATE / 22_050), 22_050],
      [original.map((sample) => sample / 2), RATE],
      [original.map((sample) => Math.round(sample * 2 ** 15) / 2 ** 15), RATE],
      [after(0.5, original), RATE],
    ];
    for (const [samples, rate] of others) {
      const same = sameRecording(printOf(samples, rate), print);
      expect(same?.difference).toBeLessThan(0.2);
      expect(same?.isCertain).toBe(true);
    }
  });

  it('does not depend on the blocks that it is read in', () => {
    expect(fingerprintBytes(printOf(original, RATE, 17))).toEqual(fingerprintBytes(print));
    expect(fingerprintBytes(printOf(original, RATE, original.length))).toEqual(fingerprintBytes(print));
  });

  it('is another one for every other recording, either way round', () => {
    const prints = Array.from({ length: 40 }, (_, seed) => printOf(recording(seed + 1, 1)));
    for (const [at, one] of prints.entries())
      for (const other of prints.slice(at + 1))
        expect([sameRecording(one, other), sameRecording(other, one)]).toEqual([null, null]);
  });

  it('tells two notes apart that change alike', () => {
    const horn = (hertz: number): Float32Array =>
      Float32Array.from({ length: RATE }, (_, at) => {
        const phase = (2 * Math.PI * hertz * at) / RATE;
        return 0.2 * (Math.sin(phase) + Math.sin(2 * phase) / 2) * Math.min(1, at / 2000) * (1 - at / RATE);
      });
    expect(sameRecording(printOf(horn(440)), printOf(horn(440)))).not.toBeNull();
    expect(sameRecording(printOf(horn(440)), printOf(horn(466)))).toBeNull();
  });

  it('does not take a part of a recording for the whole', () => {
    expect(sameRecording(print, printOf(original.subarray(0, original.length / 2)))).toBeNull();
  });

  it('says nothing of silence, and nothing certain of a click', () => {
    const meter = new FingerprintMeter(RATE);
    meter.add(new Float32Array(RATE).fill(0.0005), RATE);
    expect(meter.finish()).toBeNull();
    const click = new Float32Array(RATE);
    click[100] = 1;
    expect(sameRecording(printOf(click), printOf(click))).toBeNull();
    expect(new FingerprintMeter(RATE).finish()).toBeNull();
  });

  it('holds at most ten seconds, and words by which it is found', () => {
    const long = printOf(recording(3, 14));
    expect([long.words.length, long.robust.length, long.weakest.length]).toEqual([
      MOST_WORDS,
      MOST_ROBUST,
      MOST_VARIED,
    ]);
    expect(long.heardSeconds).toBeCloseTo(14, 1);
    const [first = [], next = [], turned = []] = [0, 1, 2].map((turn) => keysOfTurn(long, turn));
    expect(first).toEqual(keysOf(long));
    expect(new Set([...first, ...next]).size).toBe(MOST_ROBUST);
    expect(turned.length).toBeLessThanOrEqual(MOST_VARIED * 3);
    const bitsOf = (word: number): number => word.toString(2).replaceAll('0', '').length;
    expect(turned.slice(0, 3).map((word) => bitsOf((word ^ (first[0] ?? 0)) >>> 0))).toEqual([1, 1, 1]);
  });

  it('works at rates far from those of sound', () => {
    for (const rate of [1, 50, 8000, 192_000, 768_000])
      expect(printOf(recording(2, 0.5), rate).words.length).toBeLessThanOrEqual(MOST_WORDS);
  });
});

describe('a fingerprint as bytes', () => {
  const print = printOf(recording(5, 1));
  const bytes = fingerprintBytes(print);

  it('is read as it was', () => {
    const read = readFingerprint(bytes);
    expect([read.words, read.robust, read.weakest]).toEqual([print.words, print.robust, print.weakest]);
    expect(read.heardSeconds).toBeCloseTo(print.heardSeconds, 3);
    expect(read.centreHz).toBeCloseTo(print.centreHz, 0);
  });

  it('is refused when it is cut short, longer, of another version, or leads out of itself', () => {
    const changed = (at: number, value: number): Uint8Array => {
      const copy = bytes.slice();
      copy[at] = value;
      return copy;
    };
    const leadingOut = bytes.slice();
    new DataView(leadingOut.buffer).setUint16(12 + 2 * print.weakest.length, print.words.length, true);
    const bad = [
      new Uint8Array(0),
      bytes.subarray(0, 11),
      bytes.subarray(0, bytes.length - 1),
      new Uint8Array([...bytes, 0]),
      changed(0, 99),
      changed(1, 255),
      changed(5, 255),
      leadingOut,
    ];
    for (const each of bad) expect(() => readFingerprint(each)).toThrow('not a fingerprint');
  });
});
