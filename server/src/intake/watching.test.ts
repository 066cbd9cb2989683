import { describe, expect, it } from '@jest/globals';
import { commonFolder } from './watching.ts';

describe('the folder that holds all changes', () => {
  it('is the deepest one at or above them', () => {
    expect(commonFolder(['a/b/c', 'a/b/d', 'a/b'])).toBe('a/b');
    expect(commonFolder(['a/b/c'])).toBe('a/b/c');
    expect(commonFolder(['a', 'b'])).toBe('');
    expect(commonFolder(['.', 'a/b'])).toBe('');
    expect(commonFolder(['ab/c', 'a/c'])).toBe('');
  });
});
