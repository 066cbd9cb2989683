import { describe, expect, it } from '@jest/globals';
import { IdSet } from './id-set.ts';

describe('a set of ids', () => {
  it('holds what was added, and nothing else, however large', () => {
    const set = new IdSet();
    const ids = [0, 1, 7, 8, 63, 64, 9_000, 1_000_000, 5];
    for (const id of ids) set.add(id);
    for (const id of ids) expect(set.has(id)).toBe(true);
    for (const id of [2, 6, 9, 62, 8_999, 999_999, 50_000_000]) expect(set.has(id)).toBe(false);
  });
});
