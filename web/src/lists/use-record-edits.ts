import type { Selection } from '@flagstone/contract/selection';
import type { RecordEdit } from '@flagstone/core/record/edit';
import { changedInWords } from '../ui/changed-in-words.ts';
import { tell } from '../ui/use-errors.ts';
import { saveEdit } from './save-edit.ts';
import type { SoundList } from './use-sound-list.ts';

/** Editing the records of a list: what is selected by the card, one row by the table. */
export function useRecordEdits(list: SoundList) {
  /** Changes the records of a selection, by default the list's; false when it failed or nothing is selected. */
  async function edit(change: RecordEdit, selection: Selection | undefined = list.selection.value): Promise<boolean> {
    if (!selection) return false;
    const result = await saveEdit({ selection, edit: change, asOf: list.asOf(selection) });
    if (result && (result.changed > 1 || result.proposed > 0))
      tell(`${result.summary}: ${changedInWords(result)}`, 'u takes it back.');
    return result !== undefined;
  }

  function editCell(copyIds: number[], change: RecordEdit): void {
    void edit(change, { kind: 'copies', copyIds });
  }

  return { edit, editCell };
}
