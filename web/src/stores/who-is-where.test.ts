import { expect, it } from '@jest/globals';
import type { Presence } from '@flagstone/contract/presence';
import { WhoIsWhere } from './who-is-where.ts';

const at = (page: string, personId: number, over: Partial<Presence> = {}): Presence => ({
  page,
  personId,
  batchId: null,
  soundId: null,
  ...over,
});

it('knows who is where, without the page itself, each person once', () => {
  const where = new WhoIsWhere('own');
  where.take([
    at('own', 1, { soundId: 7 }),
    at('a', 2, { soundId: 7, batchId: 3 }),
    at('b', 2, { soundId: 7 }),
    at('c', 1),
  ]);
  // One's own other window is somebody too: it may hold a draft.
  expect(where.everybody).toEqual([2, 1]);
  expect([where.atSound(7), where.atSound(8), where.inBatch(3)]).toEqual([[2], [], [2]]);
  where.hear(at('a', 2, { soundId: 8 }), true);
  where.hear(at('b', 2), false);
  expect([where.atSound(7), where.atSound(8), where.inBatch(3)]).toEqual([[], [2], []]);
  where.hear(at('own', 1, { soundId: 8 }), true);
  expect(where.atSound(8)).toEqual([2]);
  where.take([]);
  expect(where.everybody).toEqual([]);
});
