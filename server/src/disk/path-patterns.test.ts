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

it('holds nobody up, whatever the pattern and the path', () => {
  const path = `${'a'.repeat(5000)}/${'ab'.repeat(5000)}!`;
  for (const pattern of [
    '+(*)x',
    '*a*a*a*a*a*a*a*a*b',
    '**/**/**/**/**/**/x',
    '{a,{a,{a,a}}}*'.repeat(5),
    '[',
    '{',
    '**'.repeat(50),
  ]) {
    const began = process.cpuUsage().user;
    pathMatcher('', [pattern])(path);
    expect(process.cpuUsage().user - began).toBeLessThan(1_000_000);
  }
});

it('knows stars, folders, sets and choices, and takes other letters as they are', () => {
  const fits = (pattern: string, path: string) => pathMatcher('', [pattern])(path);
  expect(fits('*.{wav,aiff}', 'x/Kiln.WAV')).toBe(true);
  expect(fits('*.{wav,aiff}', 'x/kiln.mp3')).toBe(false);
  expect(fits('take [0-9]*', 'a/take 7 b.wav')).toBe(true);
  expect(fits('take [!0-9]*', 'a/take 7.wav')).toBe(false);
  expect(fits('drafts/**', 'drafts/a/b.wav')).toBe(true);
  expect(fits('**/old/*', 'a/b/old/c.wav')).toBe(true);
  expect(fits('a/*/c', 'a/b/x/c')).toBe(false);
  expect(fits('(gate) +1.wav', 'x/(gate) +1.wav')).toBe(true);
  expect(fits('[open', '[open')).toBe(true);
});
