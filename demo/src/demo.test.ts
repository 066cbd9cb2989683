import { describe, expect, it } from '@jest/globals';
import { memorySource } from '@flagstone/core/formats/byte-source';
import { readWav } from '@flagstone/core/formats/wav/wav-reader';
import { demoCollection } from './collection.ts';
import { demoFileBytes } from './make-collection.ts';
import { RECIPES } from './recipes.ts';
import { finish, randomSource, seedOf, silence, tone } from './signal.ts';

const collection = demoCollection();

describe('the demo collection', () => {
  it('has about 220 sounds in mono, stereo and 5.1, from 44.1 to 192 kHz, 16 to 32 bit, 0.1 s to 3 minutes', () => {
    expect(collection.length).toBeGreaterThan(200);
    expect(collection.length).toBeLessThan(240);
    const all = <Key extends 'channels' | 'rate' | 'bits'>(key: Key) =>
      [...new Set(collection.map((sound) => sound[key]))].sort((a, b) => a - b);
    expect(all('channels')).toEqual([1, 2, 6]);
    expect(all('rate')).toEqual([44100, 48000, 96000, 192000]);
    expect(all('bits')).toEqual([16, 24, 32]);
    const lengths = collection.map((sound) => sound.seconds);
    expect([Math.min(...lengths), Math.max(...lengths)]).toEqual([0.1, 180]);
  });

  it('stays under 260 MB, copies on the other drives counted', () => {
    const bytes = collection.map(
      (sound) => sound.seconds * sound.rate * (sound.bits / 8) * sound.channels * (1 + (sound.alsoAt?.length ?? 0)),
    );
    expect(bytes.reduce((sum, each) => sum + each, 0)).toBeLessThan(260e6);
  });

  it('puts no two files into the same place, ignoring case', () => {
    const paths = collection
      .flatMap((sound) => [sound.path, ...(sound.alsoAt ?? [])])
      .map((path) => path.toLowerCase());
    expect(new Set(paths).size).toBe(paths.length);
  });

  it('makes the same bytes for the same sound each time, and other bytes for other takes', () => {
    const [first, second] = collection.filter((sound) => sound.path.includes('single_honk'));
    if (!first || !second) throw new Error('the demo has single honks');
    expect(Buffer.compare(demoFileBytes(first), demoFileBytes(first))).toBe(0);
    expect(Buffer.compare(demoFileBytes(first), demoFileBytes(second))).not.toBe(0);
  });
});

describe('the recipes', () => {
  it.each(Object.keys(RECIPES) as (keyof typeof RECIPES)[])(
    '%s gives a sound of the asked length that is heard and does not clip',
    (name) => {
      const voice = { rate: 16000, random: randomSource(seedOf(name)) };
      const signal = finish(voice, RECIPES[name](voice, 1.5), 0.5);
      expect(signal).toHaveLength(24000);
      const peak = signal.reduce((highest, value) => Math.max(highest, Math.abs(value)), 0);
      expect(peak).toBeGreaterThan(0.3);
      expect(peak).toBeLessThanOrEqual(0.5001);
      expect(signal.every(Number.isFinite)).toBe(true);
    },
  );

  it('have a tone at its pitch', () => {
    const voice = { rate: 48000, random: randomSource(1) };
    const signal = tone(voice, 1, () => 440);
    const crossings = signal.filter((value, index) => index > 0 && value >= 0 && (signal[index - 1] ?? 0) < 0).length;
    expect(Math.abs(crossings - 440)).toBeLessThanOrEqual(1);
    expect(silence(voice, 0)).toHaveLength(1);
  });

  it('give files that read without an issue', async () => {
    const sound = collection.find((each) => each.channels === 6 && each.seconds < 5);
    if (!sound) throw new Error('the demo has short 5.1 sounds');
    const { facts, issues } = await readWav(memorySource(demoFileBytes(sound)));
    expect([facts.channels, facts.channelMask, issues]).toEqual([6, 0x3f, []]);
  });
});
