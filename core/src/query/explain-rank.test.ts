import { describe, expect, it } from '@jest/globals';
import { emptyRecord } from '../record/fields.ts';
import { describedFields } from '../record/described.ts';
import { rankInWords, rankReasons } from './explain-rank.ts';
import { wantedOf } from './found-words.ts';
import { parseQuery } from './search-query.ts';

const wanted = (line: string) => wantedOf(parseQuery(line).query);
const record = {
  ...emptyRecord(),
  fxName: 'Lock gates close',
  keywords: ['gate', 'canal'],
  notes: 'The gate of lock 7',
  rating: 4,
  licenceUrl: 'https://gate.example/',
};

describe('why a sound stands where it stands', () => {
  it('names the fields with the words, also in another form, what counts most first', () =>
    expect(rankReasons(record, 'gates/a.wav', wanted('gate'))).toEqual([
      { place: 'name', label: 'FXName', words: ['gates'] },
      { place: 'labels', label: 'Keywords', words: ['gate'] },
      { place: 'others', label: 'Notes', words: ['gate'] },
      { place: 'path', label: 'Path', words: ['gates'] },
    ]));

  it('does not name what is excluded, or where a sound lies', () =>
    expect(rankReasons(record, '', wanted('canal -gate in:"Mill/lock"'))).toEqual([
      { place: 'labels', label: 'Keywords', words: ['canal'] },
    ]));

  it('says how good and how well described it is', () => {
    expect(describedFields(record)).toBe(2);
    expect(rankInWords(record, '', wanted('notes:seven close'), 4)).toBe(
      'FXName: close (counts 1)\nrated 4, 2 of 8 fields filled',
    );
    expect(rankInWords(emptyRecord(), '', wanted('x'), null)).toBe('not rated, 0 of 8 fields filled');
  });
});
