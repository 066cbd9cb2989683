import { describe, expect, it } from '@jest/globals';
import { COPY_STATE_NAMES, COPY_STATES, copyState, NOT_IN_STEP, searchedState, stateSearched } from './copy-states.ts';

describe('the states of a copy', () => {
  it('follow from what is kept of it', () => {
    const facts = { gone: false, changedOutside: false, carriesRevision: 3 };
    expect(copyState(facts, 3)).toBe('inStep');
    expect(copyState(facts, 4)).toBe('behind');
    expect(copyState({ ...facts, changedOutside: true }, 3)).toBe('ahead');
    expect(copyState({ ...facts, changedOutside: true }, 4)).toBe('split');
    // Whatever else is so of a file that is not there.
    expect(copyState({ ...facts, gone: true, changedOutside: true }, 4)).toBe('gone');
  });

  it('are told apart by shape and by word, and found by their name in small letters', () => {
    for (const key of ['shape', 'word'] as const)
      expect(new Set(COPY_STATE_NAMES.map((name) => COPY_STATES[name][key])).size).toBe(COPY_STATE_NAMES.length);
    for (const name of COPY_STATE_NAMES) expect(stateSearched(searchedState(name))).toBe(name);
    expect(stateSearched('lost')).toBeUndefined();
  });

  it('ask for work where the file is there and does not carry the record', () => {
    expect(NOT_IN_STEP).toEqual(['behind', 'ahead', 'split']);
  });
});
