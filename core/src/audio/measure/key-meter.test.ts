import { describe, expect, it } from '@jest/globals';
import { KeyMeter } from './key-meter.ts';

const NAMES = ['C', 'C#', 'D', 'Eb', 'E', 'F', 'F#', 'G', 'Ab', 'A', 'Bb', 'B'];
// Looked up once: a global costs more than a sine where code runs in a context of its own.
const { sin, exp, PI } = Math;
const TRIADS = { major: [0, 4, 7], minor: [0, 3, 7] };

/** Chords of three quarters of a second, as semitones from C4 with harmonics that fall off as those of a plucked string. */
function played(chords: readonly (readonly number[])[], rate: number, cents = 0): Float32Array {
  const length = Math.floor(0.75 * rate);
  const samples = new Float32Array(chords.length * length);
  chords.forEach((chord, at) => {
    for (const semitone of chord)
      for (let partial = 1; partial <= 6; partial += 1) {
        const hertz = 440 * 2 ** ((semitone - 9) / 12 + cents / 1200) * partial;
        for (let index = 0; index < length; index += 1) {
          const time = index / rate;
          const where = at * length + index;
          samples[where] = (samples[where] as number) + (0.08 / partial) * exp(-2 * time) * sin(2 * PI * hertz * time);
        }
      }
  });
  return samples;
}

function keyOf(samples: Float32Array, rate: number, block = 4800): string | null {
  const meter = new KeyMeter(rate);
  for (let at = 0; at < samples.length; at += block) {
    const part = samples.subarray(at, at + block);
    meter.add(part, part.length);
  }
  return meter.finish();
}

/** A cadence: I IV V I I vi IV V and I again, the harmony of countless songs; in minor with its own chords and the raised leading note. */
function cadence(first: number, mode: 'major' | 'minor'): number[][] {
  const at = (step: number, kind: 'major' | 'minor') => TRIADS[kind].map((each) => first + step + each);
  const chords =
    mode === 'major'
      ? [
          at(0, 'major'),
          at(5, 'major'),
          at(7, 'major'),
          at(0, 'major'),
          at(9, 'minor'),
          at(5, 'major'),
          at(7, 'major'),
          at(0, 'major'),
        ]
      : [
          at(0, 'minor'),
          at(5, 'minor'),
          at(7, 'major'),
          at(0, 'minor'),
          at(8, 'major'),
          at(5, 'minor'),
          at(7, 'major'),
          at(0, 'minor'),
        ];
  return chords;
}

describe('the key of a sound', () => {
  it.each(
    NAMES.flatMap(
      (name, first) =>
        [
          [name, first, 'major'],
          [`${name}m`, first, 'minor'],
        ] as const,
    ),
  )('is found in a cadence in %s', (name, first, mode) => {
    expect(keyOf(played(cadence(first - 12, mode), 8000), 8000)).toBe(name);
  });

  it.each([22_050, 44_100])('is the same at %d Hz, and when it is tuned twenty cents off', (rate) => {
    expect(keyOf(played(cadence(2, 'major'), rate), rate)).toBe('D');
    expect(keyOf(played(cadence(2, 'major'), rate, -20), rate, 999)).toBe('D');
  });

  it('is none of one note, of noise, of silence, of all notes alike, and of what is short', () => {
    const rate = 8000;
    let seed = 1;
    const noise = Float32Array.from({ length: rate * 8 }, () => {
      seed = (seed * 16_807) % 2_147_483_647;
      return (seed / 2_147_483_647 - 0.5) * 0.4;
    });
    expect(
      keyOf(
        played(
          Array.from({ length: 16 }, () => [4]),
          rate,
        ),
        rate,
      ),
    ).toBeNull();
    expect(keyOf(noise, rate)).toBeNull();
    expect(keyOf(new Float32Array(rate * 8), rate)).toBeNull();
    expect(keyOf(played(Array.from({ length: 24 }, (_, at) => [at % 12]).slice(0, 12), rate), rate)).toBeNull();
    expect(keyOf(played(cadence(0, 'major').slice(0, 4), rate), rate)).toBeNull();
  });
});
