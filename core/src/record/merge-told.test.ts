import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { mergeTold } from './merge-told.ts';

interface Mark {
  [member: string]: unknown;
  rating: number | null;
  favourite: boolean;
  tags: string[];
  note: string;
}
const tags = fc.uniqueArray(fc.constantFrom('clay', 'night', 'far', 'wet'), { maxLength: 4 });
const marks: fc.Arbitrary<Mark> = fc.record({
  rating: fc.constantFrom(null, 1, 5),
  favourite: fc.boolean(),
  tags,
  note: fc.constantFrom('', 'for the weir', 'too close'),
});

describe('what another house says of a thing', () => {
  it('is taken where only that house changed it, and changes nothing where it did not', () => {
    fc.assert(
      fc.property(marks, marks, (base, other) => {
        const taken = mergeTold(base, base, other, false);
        expect({ ...taken, tags: new Set(taken.tags) }).toEqual({ ...other, tags: new Set(other.tags) });
        expect(mergeTold(base, other, base, true)).toEqual(other);
      }),
    );
  });

  it('loses no tag that either side has or added', () => {
    fc.assert(
      fc.property(marks, marks, (ours, theirs) => {
        const { tags: merged } = mergeTold(undefined, ours, theirs, false);
        expect(new Set(merged)).toEqual(new Set([...ours.tags, ...theirs.tags]));
      }),
    );
  });

  it('waits for who is to win where both changed it', () => {
    const [base, ours, theirs] = [{ note: 'a' }, { note: 'b' }, { note: 'c' }];
    expect(mergeTold(base, ours, theirs, false)).toEqual({ note: 'b' });
    expect(mergeTold(base, ours, theirs, true)).toEqual({ note: 'c' });
    expect(mergeTold(undefined, { note: '' }, theirs, false)).toEqual({ note: 'c' });
  });

  it('leaves members alone that it does not name, and compares values whatever the order of their members', () => {
    expect(mergeTold(undefined, { name: 'Reel 2', scene: '4' }, { name: 'Reel 2' }, true)).toEqual({
      name: 'Reel 2',
      scene: '4',
    });
    const tryOut = [{ kind: 'reverse', on: true }];
    const same = mergeTold<{ tryOut: unknown }>(
      { tryOut: null },
      { tryOut },
      { tryOut: [{ on: true, kind: 'reverse' }] },
      true,
    );
    expect(same.tryOut).toBe(tryOut);
  });
});
