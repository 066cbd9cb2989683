import { describe, expect, it } from '@jest/globals';
import type { PullEntry } from '@flagstone/contract/pull-lists';
import { listTotals } from './list-totals.ts';

const entry = (soundId: number, part: PullEntry['part'] = null): PullEntry =>
  ({
    row: { soundId, sizeBytes: 1000 * soundId, facts: { sampleRateHz: 48_000, durationSeconds: 2 } },
    part,
  }) as PullEntry;

describe('the totals of a pull list', () => {
  it('count parts as long as they are, and a file once', () => {
    const totals = listTotals([entry(1), entry(2, { from: 48_000, to: 72_000 }), entry(2)]);
    expect([totals.seconds, totals.bytes]).toEqual([4.5, 3000]);
  });

  it('tell which sounds are in more than once', () => {
    expect([...listTotals([entry(1), entry(2), entry(1), entry(1)]).repeated]).toEqual([[1, 3]]);
    expect(listTotals([]).repeated.size).toBe(0);
  });
});
