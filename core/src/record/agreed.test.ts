import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { agreedByHistories, type RecordChange } from './agreed.ts';
import { emptyRecord, type SoundRecord } from './fields.ts';
import { threeWays } from './three-way.ts';

const record = (fields: Partial<SoundRecord>): SoundRecord => ({ ...emptyRecord(), ...fields });
/** A history of one field, told from its oldest value to its newest. */
const history = (field: 'fxName' | 'notes', ...values: string[]): RecordChange[] =>
  values
    .slice(1)
    .map((value, index): RecordChange => ({ before: { [field]: values[index] }, after: { [field]: value } }))
    .reverse();

describe('what two houses agreed on, by their histories', () => {
  it('is what one of them says still, when the other had said it and changed it', () => {
    const [old, fresh] = [record({ fxName: 'Gate' }), record({ fxName: 'Lock Gate' })];
    expect(agreedByHistories(old, fresh, [], history('fxName', 'Gate', 'Lock Gate'))).toEqual({ fxName: 'Gate' });
    expect(agreedByHistories(fresh, old, history('fxName', 'Gate', 'Lock Gate'), [])).toEqual({ fxName: 'Gate' });
  });

  it('is the newest value that both once said, when both changed it', () => {
    const [ours, theirs] = [history('notes', 'a', 'b', 'c', 'ours'), history('notes', 'b', 'a', 'c', 'theirs')];
    expect(agreedByHistories(record({ notes: 'ours' }), { notes: 'theirs' }, ours, theirs)).toEqual({ notes: 'c' });
  });

  it('is not known of a field that both histories tell nothing of, nor of one that went back and forth in both', () => {
    expect(agreedByHistories(record({ fxName: 'a' }), { fxName: 'b' }, [], [])).toEqual({});
    const forth = history('fxName', 'b', 'a');
    expect(agreedByHistories(record({ fxName: 'a' }), { fxName: 'b' }, forth, history('fxName', 'a', 'b'))).toEqual({});
  });

  it('says nothing of fields that the other house says nothing in', () => {
    expect(agreedByHistories(record({ fxName: 'a' }), {}, history('fxName', 'b', 'a'), [])).toEqual({});
  });

  it('makes one that went on from the other the one that counts, whichever of them reads it', () => {
    const values = fc.uniqueArray(fc.constantFrom('kiln', 'lock', 'weir', 'loom', 'goose'), { minLength: 2 });
    fc.assert(
      fc.property(values, fc.nat(), (said, cut) => {
        // One house left off somewhere on the way that the other went.
        const shared = said.slice(0, 1 + (cut % (said.length - 1)));
        const [behind, ahead] = [record({ fxName: shared.at(-1)! }), record({ fxName: said.at(-1)! })];
        const [short, long] = [history('fxName', ...shared), history('fxName', ...said)];
        const standing = (ours: SoundRecord, theirs: SoundRecord, own: RecordChange[], other: RecordChange[]) =>
          threeWays(ours, theirs, record({ ...ours, ...agreedByHistories(ours, theirs, own, other) }))[0]?.standing;
        expect(standing(behind, ahead, short, long)).toBe('file');
        expect(standing(ahead, behind, long, short)).toBe('record');
      }),
    );
  });
});
