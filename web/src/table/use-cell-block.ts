import type { SoundRow } from '@flagstone/contract/record';
import { useEventListener } from '@vueuse/core';
import { computed, ref, type Ref } from 'vue';
import { call } from '../api/client.ts';
import { changedInWords } from '../ui/changed-in-words.ts';
import { counted } from '../ui/format.ts';
import { isBusyElsewhere, useKeys } from '../ui/use-keys.ts';
import { saveEdit } from '../lists/save-edit.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import type { SoundList } from '../lists/use-sound-list.ts';
import { cellsAsText, cellsOfText, editOf, editsOfCells } from './cell-values.ts';
import type { Column } from './columns.ts';

const MOST_ROWS = 5000;

/**
 * The block of cells that the keys and the clipboard act on: some columns of the selected rows, or of the current one. Left and right move it,
 * with Shift they widen it; copying and pasting speak to spreadsheets, Ctrl+D fills down from the first row.
 */
export function useCellBlock(list: SoundList, columns: Ref<readonly Column[]>) {
  const column = ref(
    Math.max(
      0,
      columns.value.findIndex(({ key }) => key === 'fxName'),
    ),
  );
  const anchor = ref(column.value);
  const from = computed(() => Math.min(column.value, anchor.value));
  const to = computed(() => Math.max(column.value, anchor.value));

  function moveColumn(step: number, widen: boolean): void {
    column.value = Math.max(0, Math.min(columns.value.length - 1, column.value + step));
    if (!widen) anchor.value = column.value;
  }

  function goToColumn(index: number): void {
    column.value = index;
    anchor.value = index;
  }

  /** Whether a cell of a row belongs to the block. */
  function isInBlock(row: SoundRow, rowIndex: number, columnIndex: number): boolean {
    if (columnIndex < from.value || columnIndex > to.value) return false;
    return list.selectedCount.value > 1 ? list.isSelected(row) : rowIndex === list.current.value;
  }

  /** The columns of a row that belong to the block, as text to be compared; empty for none. */
  function blockOf(row: SoundRow, rowIndex: number): string {
    return isInBlock(row, rowIndex, from.value) ? `${from.value}-${to.value}` : '';
  }

  const chosenRows = (): SoundRow[] =>
    list.selectedCount.value > 1 ? list.cardRows.value : list.cardRows.value.slice(0, 1);

  function copy(event: ClipboardEvent): void {
    const rows = chosenRows();
    if (isBusyElsewhere(event.target) || rows.length === 0 || window.getSelection()?.isCollapsed === false) return;
    event.clipboardData?.setData('text/plain', cellsAsText(rows, columns.value.slice(from.value, to.value + 1)));
    event.preventDefault();
    const left = list.selectedCount.value - rows.length;
    const more = left > 0 ? ` ${counted(left, 'row')} that the list did not load yet are not among them.` : '';
    tell(`${counted(rows.length, 'row')} copied`, `As tab-separated text, for a spreadsheet.${more}`);
  }

  async function paste(event: ClipboardEvent): Promise<void> {
    const text = event.clipboardData?.getData('text/plain') ?? '';
    if (isBusyElsewhere(event.target) || text === '' || list.cardRows.value.length === 0) return;
    event.preventDefault();
    const cells = cellsOfText(text);
    const [single] = cells.length === 1 && cells[0]?.length === 1 ? cells[0] : [];
    if (single !== undefined && list.selectedCount.value > 1) return fill(single);
    await pasteBlock(cells);
  }

  /** One value into a column of everything that is selected, loaded or not. */
  async function fill(value: string): Promise<void> {
    const set = editOf(columns.value[column.value], value);
    const selection = list.selection.value;
    if (!set || !selection) return;
    const result = await saveEdit({ selection, edit: { set }, asOf: list.asOf(selection) });
    if (result) tell(`${result.summary}: ${changedInWords(result)}`, 'u takes it back.');
  }

  async function pasteBlock(cells: string[][]): Promise<void> {
    const selected = list.selectedCount.value > 1 ? chosenRows()[0] : list.currentRow.value;
    const start = list.rows.value.findIndex((row) => row.copyId === selected?.copyId);
    const wanted = cells.slice(0, MOST_ROWS);
    while (list.rows.value.length < Math.min(list.total.value, start + wanted.length)) {
      const before = list.rows.value.length;
      await list.needUpTo(before);
      if (list.rows.value.length === before) break;
    }
    const rows = list.rows.value.slice(start, start + wanted.length);
    const { edits, skipped } = editsOfCells(wanted, rows, columns.value.slice(from.value));
    const left = cells.length - rows.length;
    const remarks = [
      ...(skipped > 0 ? [`${counted(skipped, 'cell')} over columns that are not edited were left out.`] : []),
      ...(left > 0 ? [`${counted(left, 'line')} found no row.`] : []),
    ];
    if (edits.length === 0) return tell('Nothing to paste', remarks.join(' ') || 'The cells say what the rows say.');
    const summary = `Pasted ${counted(edits.length, 'row')}`;
    const asOf = list.asOf({ kind: 'copies', copyIds: edits.map(({ copyId }) => copyId) });
    const result = await showingErrors(() => call('editRows', { body: { summary, edits, asOf } }));
    if (!result) return;
    if (result.leftOut > 0)
      remarks.push(`${counted(result.leftOut, 'sound')} changed by somebody else meanwhile, and left so.`);
    tell(changedInWords(result), [...remarks, 'u takes it back.'].join(' '));
  }

  /** What the first selected row says in the columns of the block, for all that are selected. */
  async function fillDown(): Promise<void> {
    const selection = list.selection.value;
    const [first] = chosenRows();
    if (!first || !selection || list.selectedCount.value < 2) {
      tell('Select several rows', 'The first one’s value goes into the others.');
      return;
    }
    const set = Object.assign(
      {},
      ...columns.value.slice(from.value, to.value + 1).map((each) => editOf(each, each.text(first)) ?? {}),
    );
    if (Object.keys(set as object).length === 0)
      return tell('This column is not edited', 'Choose another one with ← →.');
    const result = await saveEdit({ selection, edit: { set }, asOf: list.asOf(selection) });
    if (result) tell(`${result.summary}: ${changedInWords(result)}`, 'u takes it back.');
  }

  useEventListener('copy', copy);
  useEventListener('paste', (event) => void paste(event));
  useKeys('table', {
    ArrowLeft: (event) => moveColumn(-1, event.shiftKey),
    ArrowRight: (event) => moveColumn(1, event.shiftKey),
    'Ctrl+d': () => void fillDown(),
  });

  return { column, isInBlock, blockOf, goToColumn };
}
