import { describe, expect, it } from '@jest/globals';
import type { SoundRow } from '@flagstone/contract/record';
import { emptyRecord, type SoundRecord } from '@flagstone/core/record/fields';
import { countedValue, sharedValue } from './shared-value.ts';

const rows = (...records: Partial<SoundRecord>[]): SoundRow[] =>
  records.map((record) => ({ record: { ...emptyRecord(), ...record } }) as SoundRow);

describe('what rows have in common', () => {
  it('is the value when all have it, lists item by item', () => {
    expect(sharedValue(rows({ library: 'Clay' }, { library: 'Clay' }), 'library')).toEqual({
      value: 'Clay',
      mixed: false,
      distinct: 1,
    });
    expect(sharedValue(rows({ keywords: ['a', 'b'] }, { keywords: ['a', 'b'] }), 'keywords').mixed).toBe(false);
  });

  it('is nothing, with the number of values, when they differ', () => {
    expect(sharedValue(rows({ library: 'Clay' }, { library: 'Fire' }, {}, { library: 'Clay' }), 'library')).toEqual({
      value: undefined,
      mixed: true,
      distinct: 3,
    });
  });

  it('is nothing for no rows', () => {
    expect(sharedValue([], 'library')).toEqual({ value: undefined, mixed: false, distinct: 0 });
  });
});

describe('what counted values have in common', () => {
  const fields = {
    library: { distinct: 1, filled: 3, values: [{ value: 'Clay', times: 3 }] },
    creator: { distinct: 1, filled: 2, values: [{ value: 'Orla Venn', times: 2 }] },
    weight: { distinct: 1, filled: 3, values: [{ value: '4', times: 3 }] },
    keywords: { distinct: 1, filled: 3, values: [{ value: 'kiln', times: 3 }] },
  };
  it.each([
    ['library', { value: 'Clay', mixed: false, distinct: 1 }],
    ['creator', { value: undefined, mixed: true, distinct: 2 }],
    ['weight', { value: 4, mixed: false, distinct: 1 }],
    ['keywords', { value: undefined, mixed: true, distinct: 1 }],
    ['notes', { value: '', mixed: false, distinct: 1 }],
    ['tempo', { value: null, mixed: false, distinct: 1 }],
  ] as const)('%s', (name, expected) => {
    expect(countedValue({ sounds: 3, fields }, name)).toEqual(expected);
  });
});
