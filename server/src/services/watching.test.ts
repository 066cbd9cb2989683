import { describe, expect, it } from '@jest/globals';
import { excludedBy } from '../drives/exclusions.ts';
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

describe('what is left out', () => {
  const isOut = excludedBy('effects', ['*.mp3', 'old takes', 'drafts/**', '/2019/*.wav']);

  it('goes by names anywhere and by paths below the folder, without regard to case', () => {
    for (const path of ['effects/a/b.MP3', 'effects/x/Old Takes', 'effects/drafts/deep/a.wav', 'effects/2019/a.wav'])
      expect([path, isOut(path)]).toEqual([path, true]);
    for (const path of ['effects/a.wav', 'effects/other/drafts/a.wav', 'effects/2019/b/a.wav', 'effects/old takes 2'])
      expect([path, isOut(path)]).toEqual([path, false]);
  });

  it('is nothing without patterns', () => {
    expect(excludedBy('', [])('anything')).toBe(false);
  });
});
