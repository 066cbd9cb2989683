import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { SEARCH_FIELDS, searchField, searchFieldsLike } from './search-fields.ts';
import { parseQuery, printQuery, wantedWords, type FieldTest, type QueryNode } from './search-query.ts';
import { termsIn, toggleTerm, withoutField } from './toggle-term.ts';

/** A query without its places, which printing may move. */
function meaning(node: QueryNode): unknown {
  const { at: _at, length: _length, ...rest } = node;
  if (rest.kind === 'all' || rest.kind === 'any') return { ...rest, parts: rest.parts.map(meaning) };
  return rest.kind === 'not' ? { ...rest, part: meaning(rest.part) } : rest;
}
const parts = (line: string): unknown => (meaning(parseQuery(line).query) as { parts: unknown }).parts;
const word = (text: string) => ({ kind: 'word', text, begun: false });
const testOf = (line: string): FieldTest | undefined => {
  const [part] = parseQuery(line).query.kind === 'all' ? (parseQuery(line).query as { parts: QueryNode[] }).parts : [];
  return part?.kind === 'field' ? part.test : undefined;
};

describe('a search line', () => {
  it('asks for words, phrases, either of some, and without some', () => {
    expect(parts('rain -train "lock gate" goose|geese|-swan')).toEqual([
      word('rain'),
      { kind: 'not', part: word('train') },
      { kind: 'phrase', text: 'lock gate' },
      { kind: 'any', parts: [word('goose'), word('geese'), { kind: 'not', part: word('swan') }] },
    ]);
  });

  it('takes the last word for the beginning of one only while it is typed', () => {
    const last = (line: string, typing: boolean): unknown =>
      (parseQuery(line, typing).query as { parts: unknown[] }).parts.at(-1);
    expect(last('kiln do', true)).toMatchObject({ text: 'do', begun: true });
    expect(last('kiln do ', true)).toMatchObject({ begun: false });
    expect(last('kiln do', false)).toMatchObject({ begun: false });
    expect(last('"kiln do', true)).toMatchObject({ kind: 'phrase' });
  });

  it.each<[string, FieldTest]>([
    ['length:2..10', { kind: 'range', from: { value: 2, open: false }, to: { value: 10, open: false } }],
    ['length:2m..', { kind: 'range', from: { value: 120, open: false } }],
    ['rate:>=96000', { kind: 'range', from: { value: 96_000, open: false } }],
    ['rate:48k', { kind: 'range', from: { value: 48_000, open: false }, to: { value: 48_000, open: false } }],
    ['channels:6', { kind: 'range', from: { value: 6, open: false }, to: { value: 6, open: false } }],
    ['loudness:<-30', { kind: 'range', to: { value: -30, open: true } }],
    ['lufs:-30..-20', { kind: 'range', from: { value: -30, open: false }, to: { value: -20, open: false } }],
    ['rating:>=3', { kind: 'range', from: { value: 3, open: false } }],
    ['state:behind', { kind: 'choice', choice: 'behind' }],
    ['is:clip', { kind: 'choice', choice: 'clipped' }],
    ['added:<7d', { kind: 'age', to: { value: 7, open: true } }],
    ['added:2026-02', { kind: 'date', from: { value: 20_485, open: false }, to: { value: 20_513, open: true } }],
    ['library:"Mill and Race"', { kind: 'text', text: 'Mill and Race', exact: true, whole: false }],
    ['library:=Race', { kind: 'text', text: 'Race', exact: true, whole: true }],
    ['library:="Mill Race"', { kind: 'text', text: 'Mill Race', exact: true, whole: true }],
    ['licence:cc0', { kind: 'text', text: 'cc0', exact: false, whole: false }],
  ])('understands %s', (line, test) => {
    expect(parseQuery(line).faults).toEqual([]);
    expect(testOf(line)).toEqual(test);
  });

  it.each([
    ['rain legnth:5', /no field “legnth”.*length/, 5, 6],
    ['length:soon', /number or a range/, 7, 4],
    ['rain length:', /Length of what/, 5, 7],
    ['state:lost', /behind, ahead/, 6, 4],
    ['added:2026-13', /days or a date/, 6, 7],
    ['"lock gate', /quotes are not closed/, 0, 10],
    ['| rain', /Before \|/, 0, 1],
    ['rain |', /After \|/, 5, 1],
  ])('points at what is wrong in %s', (line, message, at, length) => {
    const { faults } = parseQuery(line);
    expect(faults).toEqual([{ message: expect.stringMatching(message), at, length }]);
  });

  it('says so when more is asked for than can be', () => {
    expect(parseQuery('a '.repeat(200)).faults).toEqual([]);
    expect(parseQuery('a '.repeat(201)).faults).toMatchObject([
      { message: expect.stringMatching(/More than 200/), at: 400 },
    ]);
  });

  it('leaves out what is wrong and keeps the rest', () => {
    expect(parts('rain legnth:5 -')).toEqual([word('rain')]);
    expect(parts('*** %% ((')).toEqual([]);
    expect(parts("Robert'); drop table records; --")).toEqual([
      word("Robert'"),
      word('drop'),
      word('table'),
      word('records'),
    ]);
    expect(parts('<script>alert(1)</script>')).toEqual([word('script alert 1 script')]);
    expect(parts('ガラス שלום')).toEqual([word('ガラス'), word('שלום')]);
  });

  it('of ten thousand letters is read in the blink of an eye, and any text without a fault of the program', () => {
    const long = '-'.repeat(5000) + '"'.repeat(5000);
    const started = performance.now();
    parseQuery(long);
    parseQuery('a|'.repeat(5000));
    parseQuery('a:'.repeat(5000));
    expect(performance.now() - started).toBeLessThan(2000);
    fc.assert(
      fc.property(
        fc.string({ unit: 'binary', maxLength: 60 }),
        fc.boolean(),
        (line, typing) => void parseQuery(line, typing),
      ),
    );
  });
});

const anyWord = fc.stringMatching(/^[a-zé]{1,8}$/);
const anyNumber = fc.oneof(fc.integer({ min: -200, max: 200_000 }), fc.constantFrom(0.5, -23.5, 2.25));
const anyField = fc.oneof(
  fc.tuple(fc.constantFrom('library', 'creator', 'folder'), anyWord).map(([field, text]) => `${field}:${text}`),
  fc
    .tuple(fc.constantFrom('library', 'name'), fc.constantFrom('', '='), anyWord, anyWord)
    .map(([field, whole, a, b]) => `${field}:${whole}"${a} ${b}"`),
  fc.tuple(fc.constantFrom('library', 'drive'), anyWord).map(([field, text]) => `${field}:=${text}`),
  fc
    .tuple(fc.constantFrom('length', 'loudness', 'rating'), fc.constantFrom('', '>', '<', '>=', '<='), anyNumber)
    .map(([f, o, n]) => `${f}:${o}${n}`),
  fc.tuple(anyNumber, anyNumber).map(([a, b]) => `length:${a}..${b}`),
  fc.constantFrom(
    'is:clipped',
    'state:split',
    'form:bed',
    'added:<7d',
    'added:>2w',
    'added:2026',
    'added:2026-02',
    'added:2026-02-28..2026-03',
  ),
);
const anyTerm = fc
  .tuple(
    fc.constantFrom('', '-'),
    fc.oneof(
      anyWord,
      fc.tuple(anyWord, anyWord).map((both) => `"${both.join(' ')}"`),
      anyField,
    ),
  )
  .map((both) => both.join(''));
const anyLine = fc
  .array(
    fc.array(anyTerm, { minLength: 1, maxLength: 3 }).map((terms) => terms.join('|')),
    { maxLength: 5 },
  )
  .map((terms) => terms.join(' '));

describe('a printed query', () => {
  it('reads back as the same query', () => {
    fc.assert(
      fc.property(anyLine, (line) => {
        const { query, faults } = parseQuery(line);
        expect(faults).toEqual([]);
        expect(meaning(parseQuery(printQuery(query)).query)).toEqual(meaning(query));
      }),
      { numRuns: 500 },
    );
  });

  it('stands where it says in the line', () => {
    const line = 'rain  length:2..10 "lock gate"|weir';
    const { query } = parseQuery(line);
    const texts = (query as { parts: QueryNode[] }).parts.map(({ at, length }) => line.slice(at, at + length));
    expect(texts).toEqual(['rain', 'length:2..10', '"lock gate"|weir']);
  });
});

describe('the fields', () => {
  it('are known by each name once, and their examples can be read', () => {
    const names = SEARCH_FIELDS.flatMap(({ name, aliases }) => [name, ...aliases]);
    expect(new Set(names).size).toBe(names.length);
    for (const { example, name } of SEARCH_FIELDS) {
      expect(parseQuery(example).faults).toEqual([]);
      expect(searchField(name.toUpperCase())?.name).toBe(name);
    }
    expect(searchFieldsLike('le').map(({ name }) => name)).toEqual(['length']);
  });

  it('give the words that are to be marked', () => {
    expect(wantedWords(parseQuery('rain -train library:mill goose|"lock gate"').query)).toEqual([
      'rain',
      'mill',
      'goose',
      'lock gate',
    ]);
  });
});

describe('a value that is switched on and off', () => {
  it('joins the other values of its field, and leaves the rest of the line', () => {
    const one = toggleTerm('rain -train', 'channels:6');
    expect(one).toBe('rain -train channels:6');
    const two = toggleTerm(one, 'channels:2');
    expect(two).toBe('rain -train channels:6|channels:2');
    expect([termsIn(two)('channels:6'), termsIn(two)('channels:2'), termsIn(two)('channels:1')]).toEqual([
      true,
      true,
      false,
    ]);
    expect(toggleTerm(toggleTerm(two, 'channels:6'), 'channels:2')).toBe('rain -train');
    expect(withoutField(two, 'channels')).toBe('rain -train');
    expect(withoutField(two, 'length')).toBeUndefined();
    expect(toggleTerm('', 'library:"Mill Race"')).toBe('library:"Mill Race"');
    expect(toggleTerm('rain', 'nonsense')).toBe('rain');
  });

  it('twice gives the same query again, whatever stands beside it', () => {
    fc.assert(
      fc.property(anyLine, (line) => {
        const term = 'depth:24';
        expect(toggleTerm(toggleTerm(line, term), term)).toBe(printQuery(parseQuery(line).query));
      }),
    );
  });
});
