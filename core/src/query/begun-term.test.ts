import { describe, expect, it } from '@jest/globals';
import { begunTerm, valueInLine } from './begun-term.ts';

const begun = (line: string) => {
  const term = begunTerm(line);
  return term && [term.before, term.field?.name ?? '', term.text];
};

describe('what is being typed', () => {
  it.each([
    ['lib', ['', '', 'lib']],
    ['geese -lib', ['geese -', '', 'lib']],
    ['geese library:', ['geese ', 'library', '']],
    ['geese library:Can', ['geese ', 'library', 'Can']],
    ['geese library:="Canal V', ['geese ', 'library', 'Canal V']],
    ['format:fl', ['', 'container', 'fl']],
    ['form:bed|form:si', ['form:bed|', 'form', 'si']],
    ['in:"Mill Race/own rec', ['', 'in', 'Mill Race/own rec']],
  ])('%s', (line, expected) => expect(begun(line)).toEqual(expected));

  it.each(['', 'geese ', '"lock ga', 'nofield:x', 'library:"Canal Vol 2"', 'a,b;'])(
    'is nothing that could be completed: “%s”',
    (line) => expect(begunTerm(line)).toBeUndefined(),
  );

  it('puts into quotes what is more than one word', () =>
    expect(['flac', 'Canal Vol 2', 'a"b', ''].map(valueInLine)).toEqual(['flac', '"Canal Vol 2"', '"ab"', '""']));
});
