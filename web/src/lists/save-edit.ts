import { editConflictSchema, type AsOf, type EditConflict, type SoundRow } from '@flagstone/contract/record';
import type { ChangeResult } from '@flagstone/contract/changes';
import type { Selection } from '@flagstone/contract/selection';
import type { RecordEdit } from '@flagstone/core/record/edit';
import { ElMessageBox } from 'element-plus';
import { z } from 'zod';
import { ApiError, call } from '../api/client.ts';
import { useConflicts } from '../stores/conflicts.ts';
import { counted } from '../ui/format.ts';
import { showError } from '../ui/use-errors.ts';
import { editAfter } from './conflict-choice.ts';

/** An edit of the records of a selection, with what was known as it was decided. */
export interface DecidedEdit {
  selection: Selection;
  edit: RecordEdit;
  asOf: AsOf;
}

const MOST_REVISIONS = 2000;
const NOTHING_CHANGED: ChangeResult = { changeId: null, changed: 0, proposed: 0, kept: 0, leftOut: 0, summary: '' };

/** What rows on show say of their records; of others the state of the database that the list was read from. */
export function asOfRows(rows: readonly SoundRow[], snapshot?: string): AsOf {
  const revisions = rows.slice(0, MOST_REVISIONS).map(({ soundId, revision }) => ({ soundId, revision }));
  return { revisions, ...(snapshot ? { snapshot } : {}) };
}

/**
 * Saves an edit. Where somebody else changed the same field since, whoever edits is asked what stays; of many records it is said how many were left out, and whether
 * they are to be changed too. Undefined when it could not be saved, or was put off.
 */
export async function saveEdit({ selection, edit, asOf }: DecidedEdit): Promise<ChangeResult | undefined> {
  try {
    const result = await call('editRecords', { body: { selection, edit, asOf } });
    return result.leftOut > 0 && (await changesThemToo(result))
      ? await call('editRecords', { body: { selection, edit } })
      : result;
  } catch (error) {
    const conflicts = conflictsIn(error);
    if (conflicts.length === 0) {
      showError(error);
      return undefined;
    }
    const choice = await useConflicts().ask(conflicts);
    if (!choice) return undefined;
    const left = editAfter(edit, conflicts, choice);
    const revisions = conflicts.map(({ soundId, revision }) => ({ soundId, revision }));
    return left ? saveEdit({ selection, edit: left, asOf: { revisions } }) : NOTHING_CHANGED;
  }
}

function conflictsIn(error: unknown): EditConflict[] {
  if (!(error instanceof ApiError) || error.body.code !== 'EDIT_CONFLICT') return [];
  return z.array(editConflictSchema).safeParse(error.body.details['conflicts']).data ?? [];
}

async function changesThemToo({ leftOut, changed }: ChangeResult): Promise<boolean> {
  const these = leftOut === 1 ? 'it' : 'them';
  const question = `${counted(changed, 'record')} changed. ${counted(leftOut, 'record')} ${leftOut === 1 ? 'was' : 'were'} changed by somebody else in the same field since you looked, and ${leftOut === 1 ? 'is' : 'are'} as they left ${these}.`;
  const options = { confirmButtonText: `Change ${these} too`, cancelButtonText: `Leave ${these}` };
  return ElMessageBox.confirm(question, 'Changed meanwhile', options).then(
    () => true,
    () => false,
  );
}
