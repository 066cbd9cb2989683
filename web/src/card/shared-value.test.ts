import { describe, expect, it } from '@jest/globals';
import type { SoundRow } from '@flagstone/contract/record';
import { emptyRecord, type SoundRecord } from '@flagstone/core/record/fields';
import { sharedValue, valuesIn } from './shared-value.ts';

const rows = (...records: Partial<SoundRecord>[]): SoundRow[] =>
  records.map((record) => ({ record: { ...emptyRecord(), ...record } }) as SoundRow);

describe('what rows say', () => {
  it('is counted field by field, the most frequent first, keywords each by itself', () => {
    const { sounds, fields } = valuesIn(
      rows(
        { library: 'Clay', weight: 3, keywords: ['a', 'b'] },
        { library: 'Fire', keywords: ['b'] },
        { library: 'Clay' },
        {},
      ),
    );
    expect(sounds).toBe(4);
    expect(fields).toEqual({
      library: {
        distinct: 2,
        filled: 3,
        values: [
          { value: 'Clay', times: 2 },
          { value: 'Fire', times: 1 },
        ],
      },
      weight: { distinct: 1, filled: 1, values: [{ value: '3', times: 1 }] },
      keywords: {
        distinct: 2,
        filled: 3,
        values: [
          { value: 'b', times: 2 },
          { value: 'a', times: 1 },
        ],
      },
    });
  });

  it('is nothing for no rows', () => {
    expect(valuesIn([])).toEqual({ sounds: 0, fields: {} });
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
    expect(sharedValue({ sounds: 3, fields }, name)).toEqual(expected);
  });
});
