import { describe, expect, it } from '@jest/globals';
import type { EditConflict } from '@flagstone/contract/record';
import { canBeBoth, editAfter, valueInWords } from './conflict-choice.ts';

const conflict = (over: Partial<EditConflict>): EditConflict => ({
  soundId: 1,
  revision: 4,
  field: 'notes',
  theirs: 'a loose plank',
  mine: 'a dry hinge',
  person: 'Orla Venn',
  at: '2026-11-29T10:00:00Z',
  ...over,
});

describe('what is saved after a choice', () => {
  it('is all of the edit for mine', () => {
    const edit = { set: { notes: 'a dry hinge', fxName: 'Gate' } };
    expect(editAfter(edit, [conflict({})], 'mine')).toEqual(edit);
  });

  it('is what nobody else changed for theirs, and nothing when that is all', () => {
    const edit = { set: { notes: 'a dry hinge', fxName: 'Gate' } };
    expect(editAfter(edit, [conflict({})], 'theirs')).toEqual({ set: { fxName: 'Gate' } });
    expect(editAfter({ set: { notes: 'a dry hinge' } }, [conflict({})], 'theirs')).toBeUndefined();
    expect(editAfter({ set: { notes: 'x' }, addKeywords: ['gate'] }, [conflict({})], 'theirs')).toEqual({
      set: {},
      addKeywords: ['gate'],
    });
  });

  it('is one text after the other for both, and every keyword once', () => {
    const edit = { set: { notes: 'a dry hinge', keywords: ['gate', 'iron'] } };
    const both = [conflict({}), conflict({ field: 'keywords', theirs: ['gate', 'wood'], mine: ['gate', 'iron'] })];
    expect(editAfter(edit, both, 'both')).toEqual({
      set: { notes: 'a loose plank\na dry hinge', keywords: ['gate', 'wood', 'iron'] },
    });
    expect(editAfter({ set: { notes: 'x' } }, [conflict({ theirs: '', mine: 'x' })], 'both')).toEqual({
      set: { notes: 'x' },
    });
  });

  it('can be both for long texts and lists alone', () => {
    expect(canBeBoth([conflict({}), conflict({ field: 'keywords' })])).toBe(true);
    expect(canBeBoth([conflict({}), conflict({ field: 'catId' })])).toBe(false);
  });
});

it('is said in words', () => {
  expect([[], null, '', ['a', 'b'], 4].map(valueInWords)).toEqual(['nothing', 'nothing', 'nothing', 'a, b', '4']);
});
