import { describe, expect, it } from '@jest/globals';
import { ForeignWords } from './foreign-words.ts';
import { KnownWords } from './known-words.ts';

const known = new KnownWords(
  new Set(['creak', 'boing', 'squeeze', 'door', 'doors', 'tree', 'frogs', 'kiln', 'vacuum', 'vacuums', 'gate']),
);

describe('a word that is not known', () => {
  it.each([
    ['creeeeak', 'creak'],
    ['boioioing', 'boing'],
    ['doooor', 'door'],
    ['creak', undefined],
    ['zzzz', undefined],
  ])('is %s without its drawl %s', (word, plain) => {
    expect(known.withoutDrawl(word)).toBe(plain);
  });

  it.each([
    ['vaccum', 'vacuum'],
    ['vacum', 'vacuum'],
    ['vacuun', 'vacuum'],
    ['squeexe', 'squeeze'],
    ['xqueeze', undefined],
    ['kilm', undefined],
    ['geese', undefined],
  ])('is %s, one slip away from %s; a first letter and short words are not guessed', (word, right) => {
    expect(known.withoutSlip(word)).toBe(right);
  });

  it('is two known words written as one, when both are long enough to be no accident', () => {
    expect(known.parts('treefrogs')).toEqual(['tree', 'frogs']);
    expect(known.parts('doorgate')).toEqual(['door', 'gate']);
    expect(known.parts('kilnxx')).toBeUndefined();
  });
});

describe('a word of another language', () => {
  const foreign = new ForeignWords();
  const english = (word: string): string[] => foreign.find(word).map((each) => each.english);

  it.each([
    ['hunde', ['dog']],
    ['tueren', ['door']],
    ['turen', ['door']],
    ['campanas', ['bell']],
    ['pluie', ['rain']],
    ['passi', ['footsteps']],
    ['blechdach', ['roof', 'metal']],
    ['kirchenglocken', ['church bell']],
    ['強い雨', ['heavy rain']],
    ['窓ガラス', ['window', 'glass']],
    ['qwzx', []],
  ])('%s means %j', (word, words) => {
    expect(english(word).sort()).toEqual([...words].sort());
  });

  it('is asked for by language where it could be an English one too', () => {
    expect(foreign.exactly('tosse', 'Italian')).toBe('cough');
    expect(foreign.exactly('tosse', 'German')).toBeUndefined();
    expect(foreign.languagesOf('uomo')).toEqual(['Italian']);
    expect(foreign.languagesOf('moto').length).toBeGreaterThan(1);
  });
});
