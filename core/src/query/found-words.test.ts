import fc from 'fast-check';
import { markFound, wantedOf } from './found-words.ts';
import { parseQuery } from './search-query.ts';

const marked = (line: string, text: string, typing = false): string =>
  markFound(text, wantedOf(parseQuery(line, typing).query))
    .map(({ text: part, found }) => (found ? `[${part}]` : part))
    .join('');

describe('the words that were found', () => {
  it.each([
    ['gate', 'LockGateOpen_fast', 'Lock[Gate]Open_fast'],
    ['doors', 'A door, slammed', 'A [door], slammed'],
    ['slam', 'A door, slammed', 'A door, [slammed]'],
    ['rain', 'Train in the rain', 'Train in the [rain]'],
    ['cafe', 'Café noise', '[Café] noise'],
    ['-rain wind', 'rain and wind', 'rain and [wind]'],
    ['"clay wheel"', 'wheel of clay', '[wheel] of [clay]'],
    ['description:geese length:2..3', 'Geese 2 of 3', '[Geese] 2 of 3'],
    ['<b>', '<b>', '<[b]>'],
    ['', 'nothing', 'nothing'],
  ])('of “%s” in “%s”', (line, text, expected) => expect(marked(line, text)).toBe(expected));

  it('marks a beginning only while it is typed', () => {
    expect(marked('narr', 'narrowboat', true)).toBe('[narrowboat]');
    expect(marked('narr', 'narrowboat')).toBe('narrowboat');
  });

  it('marks what the search was widened by', () => {
    const wanted = wantedOf(parseQuery('lorry').query, ['truck', 'farm vehicle']);
    expect(markFound('Truck on farm', wanted).filter(({ found }) => found)).toHaveLength(2);
  });

  it('leaves nothing of the text out, whatever it is', () =>
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme' }), fc.string({ unit: 'grapheme' }), (line, text) => {
        const parts = markFound(text, wantedOf(parseQuery(line, true).query));
        expect(parts.map((part) => part.text).join('')).toBe(text);
      }),
    ));
});
