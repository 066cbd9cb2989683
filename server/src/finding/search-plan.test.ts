import { describe, expect, it } from '@jest/globals';
import { sql } from 'drizzle-orm';
import { decide, sampleFrom, type Expectations, type Way } from './search-plan.ts';

const MILLION = 1_000_000;
const expecting = (rows: number, cost = 100, named?: number): Expectations => ({
  all: { rows, cost },
  named: named === undefined ? undefined : { rows: named, cost },
  filed: MILLION,
});
const inWords = (ways: readonly Way[]): string[] =>
  ways.map((way) => (way.by === 'gather' && way.limit !== undefined ? `gather ${way.limit}` : way.by));

describe('the plan of a search', () => {
  it('looks at every hit of few, when finding them is cheap', () => {
    expect(decide(expecting(2000)).isFew).toBe(true);
    expect(decide(expecting(2001)).isFew).toBe(false);
    expect(decide(expecting(10, 2501)).isFew).toBe(false);
  });

  it('walks the index of an order for what one sound in 200 has, and gathers what is rarer', () => {
    expect(inWords(decide(expecting(5000)).inOrder)).toEqual(['walk', 'gather']);
    expect(inWords(decide(expecting(4999)).inOrder)).toEqual(['gather 12998', 'walk', 'gather']);
  });

  it('gathers few even where they are one in 200 of a small catalogue', () => {
    expect(inWords(decide({ ...expecting(500), filed: 1000 }).inOrder)).toEqual(['gather 4000', 'walk', 'gather']);
  });

  it('walks to the best of words that one name in 20 has, asks for one merit after the other for many, and gathers the rest', () => {
    const { named, others } = decide(expecting(60_000, 9000, 50_000));
    expect([inWords(named), inWords(others)]).toEqual([['walk', 'merit'], ['merit']]);
    expect(inWords(decide(expecting(60_000, 9000, 999)).named)).toEqual(['gather']);
    expect(inWords(decide(expecting(999)).others)).toEqual(['gather']);
  });

  it('always ends with a way that leads to all that there is', () => {
    for (const rows of [0, 1, 1999, 5000, MILLION])
      for (const named of [undefined, 0, rows]) {
        const plan = decide(expecting(rows, rows, named));
        for (const ways of [plan.inOrder, plan.named, plan.others]) {
          const last = ways.at(-1);
          expect(last?.by === 'merit' || (last?.by === 'gather' && last.limit === undefined)).toBe(true);
        }
      }
  });
});

describe('the sample of a search', () => {
  const all = [sql`f.filed`];

  it('is everything for few, up to a limit', () => {
    expect(sampleFrom(all, true, undefined)).toMatchObject({ factor: 1, limit: 5000, conditions: all });
  });

  it('is an eighth where that is cheap, and a sixty-fourth where it is not', () => {
    expect(sampleFrom(all, false, { rows: 900, cost: 2500 }).factor).toBe(8);
    expect(sampleFrom(all, false, { rows: 900, cost: 2501 }).factor).toBe(64);
    expect(sampleFrom(all, false, undefined).conditions).toHaveLength(2);
  });
});
