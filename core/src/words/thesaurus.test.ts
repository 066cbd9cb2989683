import { curatedRelations } from './thesaurus.ts';

const related = (word: string, kind: string): string[] =>
  curatedRelations(word).flatMap((each) => (each.kind === kind ? [each.word] : []));

describe('the curated relations of words', () => {
  it('relates words that mean the same, both ways', () => {
    expect(related('lorry', 'same')).toContain('truck');
    expect(related('truck', 'same')).toContain('lorry');
    expect(related('canal boat', 'same')).toContain('narrowboat');
  });

  it('relates broader and narrower words, each the other of the other', () => {
    expect(related('impact', 'narrower')).toEqual(expect.arrayContaining(['thud', 'bang']));
    expect(related('thud', 'broader')).toEqual(['impact']);
  });

  it('relates what a thing sounds like', () => {
    expect(related('klang', 'heard')).toEqual(['clang']);
    expect(related('clang', 'heard')).toContain('klang');
  });

  it('never relates a word to itself, nor twice to another', () => {
    for (const word of ['wood', 'water', 'goose', 'clank', 'drop', 'pot', 'walla']) {
      const words = curatedRelations(word).map((each) => each.word);
      expect(words).not.toContain(word);
      expect(new Set(words).size).toBe(words.length);
    }
    expect(curatedRelations('a word that nobody knows')).toEqual([]);
  });
});
