import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { emptyRecord, isEmptyValue, type FieldName, type SoundRecord } from './fields.ts';
import { settle, WINNERS, type FieldToSettle, type SettlingRule } from './settle.ts';
import { threeWays } from './three-way.ts';

const BASE = {
  ...emptyRecord(),
  fxName: 'Gate',
  description: 'Old gate',
  keywords: ['gate'],
  notes: 'Take 2',
  weight: 2,
};
function differing(
  ours: Partial<SoundRecord>,
  theirs: Partial<SoundRecord>,
  times: Partial<Pick<FieldToSettle, 'recordChangedMs' | 'fileChangedMs'>> = {},
): FieldToSettle[] {
  const [recordChangedMs, fileChangedMs] = [times.recordChangedMs, times.fileChangedMs];
  return threeWays({ ...BASE, ...ours }, { ...BASE, ...theirs }, BASE).map((each) => ({
    ...each,
    recordChangedMs,
    fileChangedMs,
  }));
}
const rule = (field: FieldName | 'any', wins: SettlingRule['wins']): SettlingRule => ({ field, wins });

describe('settling without rules', () => {
  it('takes what only the file changed, keeps what only the record changed, merges keywords, and leaves the rest to somebody', () => {
    const fields = differing(
      { fxName: 'Lock gate', keywords: ['gate', 'lock'], notes: 'Take 3' },
      { description: 'Old oak gate', keywords: ['gate', 'oak'], notes: 'Take 4' },
    );
    expect(settle(fields, [])).toEqual({
      set: { description: 'Old oak gate', keywords: ['gate', 'lock', 'oak'] },
      kept: ['fxName'],
      open: ['notes'],
    });
  });

  it('never takes that a file says nothing any more, whatever the rules', () => {
    const fields = differing({}, { description: '', notes: '' });
    for (const wins of WINNERS)
      expect(settle(fields, [rule('any', wins)])).toEqual({ set: {}, kept: ['description', 'notes'], open: [] });
  });
});

describe('a rule', () => {
  const both = differing({ description: 'Gate, old' }, { description: 'Old oak gate with iron' });

  it('lets the record or the file win', () => {
    expect(settle(both, [rule('description', 'record')]).kept).toEqual(['description']);
    expect(settle(both, [rule('description', 'file')]).set).toEqual({ description: 'Old oak gate with iron' });
  });

  it('lets the longer text win, also over a file that a program cut short', () => {
    expect(settle(both, [rule('description', 'longer')]).set).toEqual({ description: 'Old oak gate with iron' });
    const cut = differing({}, { description: 'Old' });
    expect(settle(cut, [rule('description', 'longer')])).toEqual({ set: {}, kept: ['description'], open: [] });
  });

  it('lets the newer one win where it is known when each was changed', () => {
    const at = (recordChangedMs: number | undefined, fileChangedMs: number) =>
      settle(differing({ notes: 'Take 3' }, { notes: 'Take 4' }, { recordChangedMs, fileChangedMs }), [
        rule('any', 'newer'),
      ]);
    expect(at(1000, 2000).set).toEqual({ notes: 'Take 4' });
    expect(at(3000, 2000).kept).toEqual(['notes']);
    expect(at(undefined, 2000).open).toEqual(['notes']);
    expect(settle(differing({}, { notes: 'Take 4' }), [rule('any', 'newer')]).set).toEqual({ notes: 'Take 4' });
  });

  it('puts long texts together, each line once, and lists', () => {
    const fields = differing({ notes: 'Take 2\nDry' }, { notes: 'Take 2\nWet' });
    expect(settle(fields, [rule('any', 'both')]).set).toEqual({ notes: 'Take 2\nDry\nWet' });
  });

  it('leaves to somebody what it cannot say', () => {
    const fields = differing({ weight: 3, fxName: 'Lock gate' }, { weight: 4, fxName: 'Oak gate' });
    expect(settle(fields, [rule('any', 'longer')])).toEqual({ set: {}, kept: ['fxName'], open: ['weight'] });
    expect(settle(fields, [rule('any', 'both')]).open).toEqual(['fxName', 'weight']);
  });

  it('for the field itself counts before the one for any', () => {
    const rules = [rule('any', 'record'), rule('description', 'file')];
    expect(settle(both, rules).set).toEqual({ description: 'Old oak gate with iron' });
  });
});

describe('whatever record and file say', () => {
  const text = fc.constantFrom('', 'a', 'ab', 'abc');
  const some = fc.record({
    fxName: text,
    description: text,
    notes: text,
    keywords: fc.uniqueArray(fc.constantFrom('x', 'y', 'z')),
    weight: fc.constantFrom(null, 1, 2),
  });
  const rules = fc.array(
    fc.record({
      field: fc.constantFrom('any' as const, 'notes' as const, 'keywords' as const),
      wins: fc.constantFrom(...WINNERS),
    }),
  );

  it('every field is settled once, and none is emptied', () => {
    fc.assert(
      fc.property(some, some, some, rules, (base, ours, theirs, given) => {
        const agreed = { ...emptyRecord(), ...base };
        const record = { ...emptyRecord(), ...ours };
        const fields = threeWays(record, theirs, agreed).map((each) => ({
          ...each,
          recordChangedMs: 1,
          fileChangedMs: 2,
        }));
        const { set, kept, open } = settle(fields, given);
        expect([...Object.keys(set), ...kept, ...open].sort()).toEqual(fields.map(({ field }) => field).sort());
        for (const value of Object.values(set)) expect(isEmptyValue(value)).toBe(false);
      }),
    );
  });
});
