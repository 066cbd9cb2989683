import { expect, it } from '@jest/globals';
import { keywordChanges } from './keyword-changes.ts';

it('tells what was added and what was taken away, not the whole list', () => {
  expect(keywordChanges(['clay', 'wheel'], ['clay', 'kiln'])).toEqual({
    addKeywords: ['kiln'],
    removeKeywords: ['wheel'],
  });
  expect(keywordChanges([], ['clay', ' '])).toEqual({ addKeywords: ['clay'] });
  expect(keywordChanges(['clay'], [])).toEqual({ removeKeywords: ['clay'] });
});

it('tells nothing when only case or order differ', () => {
  expect(keywordChanges(['clay', 'wheel'], ['Wheel', 'clay'])).toBeUndefined();
});
