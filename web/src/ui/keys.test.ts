import { describe, expect, it } from '@jest/globals';
import { KEY_PLACES, KEYS, KEYS_TOGETHER, type KeyPlace, type KeyUse } from './keys.ts';

const keysOf = (place: KeyPlace): string[] => KEYS[place].flatMap(({ keys }) => [...keys]);

describe('the keys', () => {
  it.each(Object.entries(KEYS_TOGETHER))('mean one thing each on the page “%s”', (_page, places) => {
    const uses = places.flatMap((place) => keysOf(place).map((key) => ({ key, place })));
    const twice = uses.filter(({ key }, at) => uses.findIndex((each) => each.key === key) !== at);
    expect(twice).toEqual([]);
  });

  it('all stand in the help, under one heading, and on some page', () => {
    const places = Object.keys(KEYS).sort();
    expect(KEY_PLACES.flatMap((each) => each.places).sort()).toEqual(places);
    expect([...new Set(Object.values(KEYS_TOGETHER).flat())].sort()).toEqual(places);
  });

  it('are shown and said', () => {
    const all = Object.values(KEYS).flatMap((uses): readonly KeyUse[] => uses);
    expect(all.filter(({ shown, does }) => shown === '' || does === '')).toEqual([]);
  });
});
