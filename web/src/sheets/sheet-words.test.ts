import { describe, expect, it } from '@jest/globals';
import { matchInWords, partInWords, stateInWords, wordInWords } from './sheet-words.ts';

const counts = { total: 1200, compared: 500, certain: 3, probable: 1, several: 0, none: 0, applied: 1 };

describe('the words of change sheets', () => {
  it('say how far one is', () => {
    expect(stateInWords({ state: 'comparing', counts })).toBe('being compared, 500 of 1,200');
    expect(stateInWords({ state: 'ready', counts })).toBe('4 sounds found here, not applied');
    expect(stateInWords({ state: 'applying', counts })).toBe('being applied, 1 so far');
    expect(stateInWords({ state: 'applied', counts })).toBe('applied to 1 sound');
  });

  it('say how a sound was found, by a shape and a word', () => {
    const said = [
      matchInWords({ match: 'digest', certain: true, candidates: 1 }),
      matchInWords({ match: 'facts', certain: false, candidates: 1 }),
      matchInWords({ match: 'facts', certain: false, candidates: 3 }),
      matchInWords({ match: 'fingerprint', certain: true, candidates: 1 }),
      matchInWords({ match: 'fingerprint', certain: false, candidates: 1 }),
      matchInWords({ match: 'none', certain: false, candidates: 0 }),
    ];
    expect(said.map((words) => words.slice(0, 1))).toEqual(['■', '◇', '◆', '■', '◇', '○']);
    expect(said[2]).toContain('3 could be meant');
  });

  it('say how much comes beside records, and nothing of what does not come', () => {
    const none = { new: 0, same: 0, theirs: 0, ours: 0, both: 0 };
    const overview = {
      people: [],
      marks: { total: 1, held: 1 },
      lists: { total: 0, some: [] },
      words: { counts: { ...none, new: 2, same: 3, both: 1 }, some: [] },
      histories: { revisions: 1200, held: 7 },
    };
    const said = (['marks', 'lists', 'words', 'histories'] as const).map((part) => partInWords(part, overview));
    expect(said).toEqual([
      '1 mark, 1 of sounds held here',
      null,
      '6 relations, 3 not the same here',
      '1,200 revisions, 7 of sounds held here',
    ]);
    expect(partInWords('words', { ...overview, words: { counts: none, some: [] } })).toBeNull();
  });

  it('say of a relation that was taken away that there is none', () => {
    expect([wordInWords({ kind: 'narrower', hidden: false }), wordInWords({ kind: 'narrower', hidden: true })]).toEqual(
      ['narrower', 'not related'],
    );
  });
});
