import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { marksOf, marksText, parseMarks, slicesText, syncPointsText } from '../record/marks.ts';
import { aiffMarks, writeAiffMarks } from './aiff/marker-chunk.ts';
import { slicesOfChapters, chaptersAgree, fittedChapters } from './chapters.ts';
import { cueMarks, writeCueMarks } from './wav/cue-chunks.ts';

/** Names that provoke: empty ones, and such as look like the end of another. */
const anyName = fc.oneof(fc.constantFrom('', 'end', 'a', 'a end', 'a end end', 'Knöck'), fc.string({ maxLength: 12 }));
const anyFrame = fc.integer({ min: 0, max: 40 });
const anyMarks = fc
  .record({
    slices: fc.array(fc.record({ from: anyFrame, length: fc.integer({ min: 1, max: 9 }), name: anyName }), {
      maxLength: 6,
    }),
    points: fc.array(fc.record({ at: anyFrame, name: anyName }), { maxLength: 6 }),
  })
  .map(({ slices, points }) =>
    marksText(
      marksOf(
        slicesText(slices.map(({ from, length, name }) => ({ from, to: from + length, name }))),
        syncPointsText(points),
      ),
    ),
  );

describe('marks that lie close together', () => {
  it('come back from markers of AIFF, whatever they are called, over earlier ones', () => {
    fc.assert(
      fc.property(anyMarks, anyMarks, (first, second) => {
        const once = writeAiffMarks(undefined, parseMarks(first));
        const twice = writeAiffMarks(once, parseMarks(second));
        expect([once ? aiffMarks(once) : '', twice ? aiffMarks(twice) : '']).toEqual([first, second]);
      }),
      { numRuns: 2000 },
    );
  });

  it('come back from cue points of WAV, over earlier ones, each with a number of its own', () => {
    fc.assert(
      fc.property(anyMarks, anyMarks, (first, second) => {
        const none = { cue: undefined, lists: [] };
        const once = writeCueMarks(none, parseMarks(first));
        const earlier = { cue: once.cue, lists: once.list ? [once.list] : [] };
        const twice = writeCueMarks(earlier, parseMarks(second));
        expect(cueMarks(earlier)).toBe(first);
        expect(cueMarks({ cue: twice.cue, lists: twice.list ? [twice.list] : [] })).toBe(second);
      }),
      { numRuns: 2000 },
    );
  });

  it('agree with the chapters that stand for them', () => {
    fc.assert(
      fc.property(anyMarks, fc.constantFrom(8000, 44_100, 192_000), fc.boolean(), (marks, sampleRateHz, withEnds) => {
        const slices = slicesText(parseMarks(marks).filter(({ from, to }) => to > from));
        expect(chaptersAgree(fittedChapters(slices, { sampleRateHz, frames: 100 }, withEnds), slices)).toBe(true);
      }),
      { numRuns: 2000 },
    );
  });

  it('of chapters without an end last until the next one, the last until the end of the sound', () => {
    const chapters = [
      { startMs: 2000, name: 'b' },
      { startMs: 500, name: 'a' },
    ];
    expect(slicesOfChapters(chapters, { sampleRateHz: 1000, frames: 3000 })).toBe('500 2000 a\n2000 3000 b');
  });
});
