import { describe, expect, it } from '@jest/globals';
import { matchInWords, stateInWords } from './sheet-words.ts';

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
});
