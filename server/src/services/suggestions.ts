import type { RecordEdit } from '@flagstone/core/record/edit';
import { wordsToLearn } from '@flagstone/core/suggest/learned';
import type { Suggestion } from '@flagstone/core/suggest/suggest-category';
import { suggestFxName } from '@flagstone/core/suggest/suggest-fx-name';
import type { ChangeResult } from '@flagstone/contract/api';
import type { SoundRow } from '@flagstone/contract/record';
import type { Selection } from '@flagstone/contract/selection';
import type { AppContext } from '../app-context.ts';
import { sql } from 'drizzle-orm';
import { editRowByRow } from './edits.ts';
import { learnedOf } from './learning.ts';
import { idList } from './search.ts';
import { selectedRows } from './sound-rows.ts';

/** The words to suggest from: the path, then what the file says of itself. */
function pathOf(row: SoundRow): string {
  const told = [row.record.fxName, row.record.keywords.join(' ')].filter((text) => text !== '').join(' ');
  return `${row.folder}/${told === '' ? '' : `${told}/`}${row.name}`;
}

/** Suggests categories for rows by their words and by what their collections have learned of them. */
async function suggesterFor(app: AppContext, rows: readonly SoundRow[]): Promise<(row: SoundRow) => Suggestion[]> {
  const { rows: belonging } = await app.db.execute<{ id: number; collection_id: number }>(sql`
    select c.id, f.collection_id from copies c join folders f on f.id = c.read_folder_id
    where c.id = any(${idList(rows.map(({ copyId }) => copyId))})`);
  const collectionOf = new Map(belonging.map((each) => [each.id, each.collection_id]));
  const wordsOf = new Map(rows.map((row) => [row.copyId, wordsToLearn(row.folder, row.name)]));
  const learned = await learnedOf(app.db, [...new Set(collectionOf.values())], new Set([...wordsOf.values()].flat()));
  return (row) =>
    app.suggester.suggest(pathOf(row), learned.get(collectionOf.get(row.copyId) ?? 0), wordsOf.get(row.copyId));
}

/** Categories proposed for copies, best first, each with its reasons. */
export async function suggestFor(app: AppContext, copyIds: number[]) {
  const answers: { copyId: number; suggestions: Suggestion[] }[] = [];
  for await (const page of selectedRows(app.db, { kind: 'copies', copyIds })) {
    const suggest = await suggesterFor(app, page);
    answers.push(...page.map((row) => ({ copyId: row.copyId, suggestions: suggest(row) })));
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
  const editFor = (row: SoundRow, suggest: (row: SoundRow) => Suggestion[]): RecordEdit | undefined => {
    const set: { catId?: string; fxName?: string } = {};
    const [best] = row.record.catId === '' ? suggest(row) : [];
    if (best && best.score >= minimumScore) set.catId = best.catId;
    const fxName = row.record.fxName === '' ? suggestFxName(row.name, app.categories) : '';
    if (fxName !== '') set.fxName = fxName;
    return Object.keys(set).length === 0 ? undefined : { set };
  };
  return editRowByRow(app, selection, change, async (rows) => {
    const suggest = await suggesterFor(app, rows);
    return rows.map((row) => editFor(row, suggest));
  });
}
