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
  where.ask()([
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
  where.ask()([]);
  expect(where.everybody).toEqual([]);
});

it('believes what it heard while a list was on its way, not the list', () => {
  const where = new WhoIsWhere('own');
  const first = where.ask();
  const second = where.ask();
  where.hear(at('a', 2, { soundId: 7 }), true);
  where.hear(at('b', 3), false);
  second([at('b', 3), at('c', 4)]);
  expect(where.everybody).toEqual([4, 2]);
  first([at('b', 3)]);
  expect(where.everybody).toEqual([2]);
  const third = where.ask();
  where.hear(at('a', 2), false);
  third(undefined);
  expect(where.everybody).toEqual([]);
  where.ask()([at('a', 2)]);
  expect(where.everybody).toEqual([2]);
});
