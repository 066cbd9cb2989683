import type { SoundRow } from '@flagstone/contract/record';
import type { SoundRecord } from '@flagstone/core/record/fields';
import { nextTick, ref, type Ref } from 'vue';
import type { SoundList } from '../../composables/use-sound-list.ts';
import type { Column } from './columns.ts';

/**
 * Editing a cell of the table in place: which one, and what stands in it. `reveal` brings a column into view by its number; `edit` is told what a row is to
 * say.
 */
export function useCellEditing(
  list: SoundList,
  columns: Ref<readonly Column[]>,
  scroller: Ref<HTMLElement | undefined>,
  reveal: (column: number) => void,
  edit: (copyId: number, set: Partial<SoundRecord>) => void,
) {
  const editing = ref<{ index: number; column: Column }>();
  const draft = ref('');

  async function beginEdit(index: number, column: Column | undefined): Promise<void> {
    const row = list.rows.value[index];
    if (!row || !column?.field) return;
    draft.value = column.text(row);
    editing.value = { index, column };
    reveal(columns.value.findIndex(({ key }) => key === column.key));
    // Once for the column to come into view, once for its cell to be there.
    await nextTick();
    await nextTick();
    const input = scroller.value?.querySelector<HTMLInputElement>('.cell.editing input');
    input?.focus();
    if (column.field !== 'catId') input?.select();
  }

  function commit(row: SoundRow, value: string): void {
    const field = editing.value?.column.field;
    const before = editing.value?.column.text(row);
    editing.value = undefined;
    scroller.value?.focus();
    if (!field || value === before) return;
    edit(row.copyId, { [field]: field === 'keywords' ? value.split(',') : value });
  }

  /** Tab goes on to the next field of the row, Enter to the same field of the next row. */
  async function commitAndMove(row: SoundRow, event: KeyboardEvent): Promise<void> {
    const at = editing.value;
    if (!at) return;
    event.preventDefault();
    commit(row, draft.value);
    const editable = columns.value.filter((column) => column.field && column.field !== 'catId');
    if (event.key === 'Enter') {
      const next = at.index + (event.shiftKey ? -1 : 1);
      list.goTo(next);
      await beginEdit(next, at.column);
    } else {
      const next = editable[editable.findIndex(({ key }) => key === at.column.key) + (event.shiftKey ? -1 : 1)];
      await beginEdit(at.index, next);
    }
  }

  return { editing, draft, beginEdit, commit, commitAndMove };
}
