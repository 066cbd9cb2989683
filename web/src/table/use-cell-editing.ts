import type { SoundRow } from '@flagstone/contract/record';
import type { RecordEdit } from '@flagstone/core/record/edit';
import { nextTick, ref, watch, type Ref } from 'vue';
import type { SoundList } from '../lists/use-sound-list.ts';
import { keywordChanges } from '../ui/keyword-changes.ts';
import type { Column } from './columns.ts';

/**
 * Editing a cell of the table in place: which one, and what stands in it. The cell is known by its copy, since rows come and go while somebody types. `reveal`
 * brings a column into view by its number; `edit` is told how a row changes, `mayEdit` which may be.
 */
export function useCellEditing(
  list: SoundList,
  columns: Ref<readonly Column[]>,
  scroller: Ref<HTMLElement | undefined>,
  reveal: (column: number) => void,
  edit: (copyId: number, change: RecordEdit) => void,
  mayEdit: (row: SoundRow) => boolean,
) {
  const editing = ref<{ copyId: number; column: Column; before: string }>();
  const draft = ref('');

  async function beginEdit(index: number, column: Column | undefined): Promise<void> {
    const row = list.rows.value[index];
    if (!row || !column?.field || !mayEdit(row)) return;
    draft.value = column.text(row);
    editing.value = { copyId: row.copyId, column, before: draft.value };
    reveal(columns.value.findIndex(({ key }) => key === column.key));
    // Once for the column to come into view, once for its cell to be there.
    await nextTick();
    await nextTick();
    const input = scroller.value?.querySelector<HTMLInputElement>('.cell.editing input');
    input?.focus();
    if (column.field !== 'catId') input?.select();
  }

  /** Saves what was typed; nothing when it is what stood there as the editing began, whatever a colleague saved since. */
  function commit(value: string): void {
    const at = editing.value;
    editing.value = undefined;
    if (!at) return;
    scroller.value?.focus();
    const { field } = at.column;
    if (!field || value === at.before) return;
    const change =
      field === 'keywords' ? keywordChanges(wordsOf(at.before), wordsOf(value)) : { set: { [field]: value } };
    if (change) edit(at.copyId, change);
  }

  // A row that leaves the list while its cell is edited keeps what was typed.
  watch(list.rows, (rows) => {
    if (editing.value && !rows.some(({ copyId }) => copyId === editing.value?.copyId)) commit(draft.value);
  });

  /** Tab goes on to the next field of the row, Enter to the same field of the next row. */
  async function commitAndMove(event: KeyboardEvent): Promise<void> {
    const at = editing.value;
    if (!at) return;
    event.preventDefault();
    const index = list.rows.value.findIndex(({ copyId }) => copyId === at.copyId);
    commit(draft.value);
    if (index < 0) return;
    const editable = columns.value.filter((column) => column.field && column.field !== 'catId');
    if (event.key === 'Enter') {
      const next = index + (event.shiftKey ? -1 : 1);
      list.goTo(next);
      await beginEdit(next, at.column);
    } else {
      const next = editable[editable.findIndex(({ key }) => key === at.column.key) + (event.shiftKey ? -1 : 1)];
      await beginEdit(index, next);
    }
  }

  return { editing, draft, beginEdit, commit, commitAndMove };
}

const wordsOf = (text: string): string[] => text.split(/[,;]/).map((word) => word.trim());
