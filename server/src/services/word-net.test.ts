import { describe, expect, it } from '@jest/globals';
import { englishWords, wordNet } from './word-net.ts';

const broader = wordNet();

// What WordNet 3.1 says, as `wn WORD -hypen` prints it.
describe('WordNet', () => {
  it.each([
    ['spaniel', 'dog'],
    ['trombone', 'brass instrument'],
    ['lathe', 'machine tool'],
    ['teapots', 'pot'],
    ['foxes', 'canine'],
    ['aardvark', 'mammal'],
    ['zymurgy', undefined],
  ])('knows that a %s is a %s', (word, wider) => {
    if (wider === undefined) expect(broader(word)).toEqual([]);
    else expect(broader(word)).toContain(wider);
  });

  it('says nothing of words that are no things, nor of none at all', () => {
    for (const word of ['anger', 'constant', 'qwzx', '', 'a', '!', 'zzzzzz']) expect(broader(word)).toEqual([]);
  });
});

it('tells English words, inflected or not, from others', () => {
  const isWord = englishWords();
  for (const word of ['kiln', 'slamming', 'whistled', 'narrowboats', 'louder', 'quickly'])
    expect(isWord(word)).toBe(true);
  for (const word of ['thunnder', 'qwzx', 'narowboat', '']) expect(isWord(word)).toBe(false);
});
