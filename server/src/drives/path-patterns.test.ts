import { describe, expect, it } from '@jest/globals';
import { pathMatcher } from './path-patterns.ts';

describe('patterns on paths', () => {
  const isMeant = pathMatcher('effects', ['*.mp3', 'old takes', 'drafts/**', '/2019/*.wav']);

  it('go by names anywhere and by paths below the folder, without regard to case', () => {
    for (const path of ['effects/a/b.MP3', 'effects/x/Old Takes', 'effects/drafts/deep/a.wav', 'effects/2019/a.wav'])
      expect([path, isMeant(path)]).toEqual([path, true]);
    for (const path of ['effects/a.wav', 'effects/other/drafts/a.wav', 'effects/2019/b/a.wav', 'effects/old takes 2'])
      expect([path, isMeant(path)]).toEqual([path, false]);
  });

  it('mean with a folder what lies in it', () => {
    expect(isMeant('effects/x/old takes/deep/a.wav')).toBe(true);
    expect(pathMatcher('', ['Canal Co/**'])('canal co/weir/one.wav')).toBe(true);
    expect(pathMatcher('', ['Canal Co/**'])('other/Canal Co/one.wav')).toBe(false);
  });

  it('mean nothing where there are none', () => {
    expect(pathMatcher('', [])('anything')).toBe(false);
  });
});
