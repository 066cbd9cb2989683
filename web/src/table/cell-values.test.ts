import { describe, expect, it } from '@jest/globals';
import type { SoundRow } from '@flagstone/contract/record';
import { emptyRecord, type SoundRecord } from '@flagstone/core/record/fields';
import { cellsAsText, cellsOfText, editsOfCells } from './cell-values.ts';
import { COLUMNS } from './columns.ts';
import { missingFields } from './missing-fields.ts';

const row = (copyId: number, record: Partial<SoundRecord>): SoundRow =>
  ({ copyId, name: `${copyId}.wav`, record: { ...emptyRecord(), ...record } }) as SoundRow;
const columns = ['name', 'catId', 'fxName', 'description', 'keywords'].flatMap(
  (key) => COLUMNS.find((column) => column.key === key) ?? [],
);

describe('cells and spreadsheets', () => {
  it('go there and back, with tabs, quotes and line breaks inside', () => {
    const rows = [
      row(1, { fxName: 'Kiln "roar"', description: 'first\nsecond\tthird', keywords: ['kiln', 'fire'] }),
      row(2, { catId: 'CERMBrk' }),
    ];
    const text = cellsAsText(rows, columns);
    expect(cellsOfText(text)).toEqual([
      ['1.wav', '', 'Kiln "roar"', 'first\nsecond\tthird', 'kiln, fire'],
      ['2.wav', 'CERMBrk', '', '', ''],
    ]);
    // The form of common practice: quotes around such cells, quotes inside doubled.
    expect(text.split('\n')[0]).toBe('1.wav\t\t"Kiln ""roar"""\t"first');
  });

  it('read what spreadsheets write: line ends of Windows, an empty last line, one cell', () => {
    expect(cellsOfText('a\tb\r\nc\td\r\n')).toEqual([
      ['a', 'b'],
      ['c', 'd'],
    ]);
    expect(cellsOfText('one cell')).toEqual([['one cell']]);
  });

  it('mean edits of the rows below them, but not over columns that are not edited, nor of what is there already', () => {
    const rows = [row(1, { fxName: 'Pot' }), row(2, { fxName: 'Kiln', keywords: ['clay'] })];
    const cells = [
      ['new.wav', 'CERMBrk', 'Pot', '', 'clay, wheel'],
      ['2.wav', '', 'Kiln', '', 'clay'],
      ['lost', '', '', '', ''],
    ];
    expect(editsOfCells(cells, rows, columns)).toEqual({
      edits: [{ copyId: 1, edit: { set: { catId: 'CERMBrk', keywords: ['clay', ' wheel'] } } }],
      skipped: 2,
    });
  });
});

describe('what is missing before a sound can be filed', () => {
  it('is told by the names of the blocks', () => {
    expect(missingFields(row(1, { fxName: 'Pot', creatorId: 'ORV' }))).toEqual(['CatID', 'SourceID']);
    expect(missingFields(row(1, { fxName: 'Pot', creatorId: 'ORV', catId: 'CERMBrk', sourceId: 'CLAY' }))).toEqual([]);
  });
});
