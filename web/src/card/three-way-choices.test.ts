import { describe, expect, it } from '@jest/globals';
import type { FieldThreeWaysSeen } from '@flagstone/contract/contents';
import { bothOf, editTaking, holdsBoth, isEmptied, takenAtOnce } from './three-way-choices.ts';

const field = (over: Partial<FieldThreeWaysSeen>): FieldThreeWaysSeen => ({
  ...{ field: 'library', base: '', record: '', file: 'Canal', standing: 'file', merged: 'Canal', changedBy: null },
  ...over,
});
const split = field({ field: 'description', record: 'Wet', file: 'Old', standing: 'both', merged: undefined });

describe('what the record can take from a file', () => {
  it('at once is what only the file changed, and lists that merge', () => {
    const keywords = field({ field: 'keywords', standing: 'both', merged: ['gate', 'oak'] });
    const kept = field({ field: 'fxName', standing: 'record', merged: 'Gate' });
    expect(takenAtOnce([field({}), kept, split, keywords]).map(([seen, value]) => [seen.field, value])).toEqual([
      ['library', 'Canal'],
      ['keywords', ['gate', 'oak']],
    ]);
    // A program that drops what it does not know empties no record.
    const emptied = field({ base: 'Canal', record: 'Canal', file: '', merged: '' });
    expect([isEmptied(emptied), takenAtOnce([emptied])]).toEqual([true, []]);
    expect(takenAtOnce([field({ field: 'keywords', standing: 'both', file: [], merged: [] })])).toEqual([]);
  });

  it('of both together is one text below the other, and nothing of a field that holds one value', () => {
    expect(bothOf(split)).toBe('Wet\nOld');
    expect(bothOf({ ...split, field: 'fxName' })).toBeUndefined();
    expect(bothOf({ ...split, field: 'weight', record: 1, file: 2 })).toBeUndefined();
  });

  it('is nothing any more once the record holds both', () => {
    const together = { ...split, record: 'Wet\nOld' };
    expect([holdsBoth(split), holdsBoth(together)]).toEqual([false, true]);
    const keywords = field({
      field: 'keywords',
      standing: 'both',
      file: ['oak'],
      record: ['gate', 'oak'],
      merged: ['oak'],
    });
    expect([holdsBoth(keywords), takenAtOnce([keywords])]).toEqual([true, []]);
    expect(holdsBoth({ ...split, field: 'fxName', record: 'Old' })).toBe(false);
  });

  it('is an edit, in which nothing empties a field, and keywords of others stay', () => {
    const keywords = field({ field: 'keywords', record: ['gate', 'wet'] });
    expect(
      editTaking([
        [field({}), ''],
        [field({ field: 'tempo' }), null],
        [keywords, ['gate', 'oak']],
      ]),
    ).toEqual({ set: { library: null, tempo: null }, addKeywords: ['oak'], removeKeywords: ['wet'] });
  });
});
