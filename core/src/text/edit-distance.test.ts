import fc from 'fast-check';
import { editDistance } from './edit-distance.ts';

describe('the distance of two words', () => {
  it.each([
    // Levenshtein's textbook example, and exchanged neighbours as one step (Damerau 1964).
    ['kitten', 'sitting', 3],
    ['narowboat', 'narrowboat', 1],
    ['gaet', 'gate', 1],
    ['kiln', 'kiln', 0],
    ['', 'abc', 3],
  ])('from “%s” to “%s” is %i', (one, other, distance) => expect(editDistance(one, other, 5)).toBe(distance));

  it('is the limit and one for words further away, also when they begin and end alike', () =>
    expect(editDistance('aacc', 'accaa', 1)).toBe(2));

  it('is the same both ways, none only for equal words, and never above the limit and one', () => {
    const word = fc.string({ unit: fc.constantFrom('a', 'b', 'c'), maxLength: 7 });
    fc.assert(
      fc.property(word, word, (one, other) => {
        const distance = editDistance(one, other, 9);
        expect(editDistance(other, one, 9)).toBe(distance);
        expect(distance === 0).toBe(one === other);
        expect(editDistance(one, other, 1)).toBe(distance > 1 ? 2 : distance);
      }),
      { numRuns: 2000 },
    );
  });
});
