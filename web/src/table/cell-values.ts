import type { SoundRow } from '@flagstone/contract/record';
import type { RecordEdit } from '@flagstone/core/record/edit';
import Papa from 'papaparse';
import type { Column } from './columns.ts';

/** Cells as tab-separated text, as spreadsheets take it: cells with tabs, line breaks or quotes stand in quotes. */
export function cellsAsText(rows: readonly SoundRow[], columns: readonly Column[]): string {
  const cells = rows.map((row) => columns.map((column) => column.text(row)));
  return Papa.unparse(cells, { delimiter: '\t', newline: '\n' });
}

/** The cells of tab-separated text from a spreadsheet; an empty last line is none. */
export function cellsOfText(text: string): string[][] {
  const { data } = Papa.parse<string[]>(text.replace(/\r?\n$/, ''), { delimiter: '\t' });
  return data;
}

/** What a text in a column means for a record; undefined for a column that is not edited. */
export function editOf(column: Column | undefined, text: string): NonNullable<RecordEdit['set']> | undefined {
  if (!column?.field) return undefined;
  return { [column.field]: column.field === 'keywords' ? text.split(',') : text };
}

/** The edits of rows that cells put over them mean, from a column on; cells over columns that are not edited are counted. */
export function editsOfCells(
  cells: readonly string[][],
  rows: readonly SoundRow[],
  columns: readonly Column[],
): { edits: { copyId: number; edit: RecordEdit }[]; skipped: number } {
  let skipped = 0;
  const edits = rows.flatMap((row, index) => {
    const set: NonNullable<RecordEdit['set']> = {};
    (cells[index] ?? []).forEach((text, at) => {
      const change = editOf(columns[at], text);
      if (!change) skipped += 1;
      else if (columns[at]?.text(row) !== text) Object.assign(set, change);
    });
    return Object.keys(set).length > 0 ? [{ copyId: row.copyId, edit: { set } }] : [];
  });
  return { edits, skipped };
}
