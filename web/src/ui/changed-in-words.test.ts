import { expect, it } from '@jest/globals';
import { changedInWords } from './changed-in-words.ts';

it('says how many changed and of how many it waits', () => {
  expect(changedInWords({ changed: 2, proposed: 0 })).toBe('2 sounds changed');
  expect(changedInWords({ changed: 0, proposed: 0 }, 'filled in')).toBe('0 sounds filled in');
  expect(changedInWords({ changed: 0, proposed: 1 })).toBe('1 sound waits for review');
  expect(changedInWords({ changed: 1, proposed: 3 })).toBe('1 sound changed, 3 sounds wait for review');
});
