import type { RecordEdit } from '@flagstone/core/record/edit';
import { suggestFxName } from '@flagstone/core/suggest/suggest-fx-name';
import type { ChangeResult } from '@flagstone/contract/api';
import type { SoundRow } from '@flagstone/contract/record';
import type { Selection } from '@flagstone/contract/selection';
import type { AppContext } from '../app-context.ts';
import { editRowByRow } from './edits.ts';
import { selectedRows } from './sound-rows.ts';

/** The words to suggest from: the path, then what the file says of itself. */
function pathOf(row: SoundRow): string {
  const told = [row.record.fxName, row.record.keywords.join(' ')].filter((text) => text !== '').join(' ');
  return `${row.folder}/${told === '' ? '' : `${told}/`}${row.name}`;
}

/** Categories proposed for copies, best first, each with its reasons. */
export async function suggestFor(app: AppContext, copyIds: number[]) {
  const answers: { copyId: number; suggestions: ReturnType<typeof app.suggester.suggest> }[] = [];
  for await (const page of selectedRows(app.db, { kind: 'copies', copyIds })) {
    answers.push(...page.map((row) => ({ copyId: row.copyId, suggestions: app.suggester.suggest(pathOf(row)) })));
  }
  return answers;
}

/**
 * Fills what is empty in the rows of a selection: the CatID with the best suggestion that is at least so sure, and the FXName from the file
 * name. Nothing that somebody filled in is replaced.
 */
export function acceptSuggestions(
  app: AppContext,
  selection: Selection,
  minimumScore: number,
  personId: number,
): Promise<ChangeResult> {
  const change = { kind: 'suggestion' as const, summary: 'Suggested CatID and FXName', personId };
  const editFor = (row: SoundRow): RecordEdit | undefined => {
    const set: { catId?: string; fxName?: string } = {};
    const [best] = row.record.catId === '' ? app.suggester.suggest(pathOf(row)) : [];
    if (best && best.score >= minimumScore) set.catId = best.catId;
    const fxName = row.record.fxName === '' ? suggestFxName(row.name, app.categories) : '';
    if (fxName !== '') set.fxName = fxName;
    return Object.keys(set).length === 0 ? undefined : { set };
  };
  return editRowByRow(app, selection, change, (rows) => Promise.resolve(rows.map(editFor)));
}
