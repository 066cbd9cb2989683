import { describe, expect, it } from '@jest/globals';
import { englishWords, wordNet, wordNetRelations } from './word-net.ts';

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

describe('what WordNet relates a word to', () => {
  const related = (word: string, kind: string): string[] =>
    wordNetRelations(word).flatMap((each) => (each.kind === kind ? [each.word] : []));

  // Looked up in WordNet 3.1 itself: 05 noun.artifact kettle, boiler; hypernym pot; goose → gander as a hyponym; verb.contact clang, clangor.
  it.each([
    ['goose', 'narrower', 'gander'],
    ['kettle', 'same', 'boiler'],
    ['kettle', 'broader', 'pot'],
    ['lorry', 'broader', 'truck'],
    ['clangs', 'same', 'clangor'],
  ])('“%s” has as %s “%s”', (word, kind, expected) => expect(related(word, kind)).toContain(expected));

  it('has nothing for what it does not know', () => expect(wordNetRelations('narrowbotes')).toEqual([]));

  it('gives narrower words, most of which have the word above them in their own first senses', () => {
    for (const word of ['boat', 'door', 'hammer']) {
      const narrower = related(word, 'narrower');
      const back = narrower.filter((each) => related(each, 'broader').includes(word));
      expect(back.length).toBeGreaterThan(narrower.length / 2);
    }
  });
});
