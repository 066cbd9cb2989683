import { describe, expect, it } from '@jest/globals';
import { stemOf, wordsOf } from './words.ts';

describe('the words of a name', () => {
  it.each([
    ['KY_PotteryClink_GlazedBowl_03', ['ky', 'pottery', 'clink', 'glazed', 'bowl']],
    ['LOCK GATE, WOODEN - CREAKS', ['lock', 'gate', 'wooden', 'creaks']],
    ['CERMBrk', ['cerm', 'brk']],
    ['XMLParser2Go', ['xml', 'parser', 'go']],
    ['Café-Mühle', ['cafe', 'muhle']],
    ["potter's wheel 'n' clay", ['potter', 'wheel', 'n', 'clay']],
    ['0031', []],
  ])('of %s are %j', (text, words) => {
    expect(wordsOf(text)).toEqual(words);
  });
});

describe('stems', () => {
  it.each([
    ['doors', 'door'],
    ['slamming', 'slam'],
    ['slammed', 'slam'],
    ['splashes', 'splash'],
    ['geese', 'goose'],
    ['bodies', 'body'],
    ['creaking', 'creak'],
  ])('of %s and %s meet', (one, other) => {
    expect(stemOf(one)).toBe(stemOf(other));
  });

  it.each(['glass', 'gas', 'bus', 'ring'])('leave %s alone', (word) => {
    expect(stemOf(word)).toBe(word);
  });
});
