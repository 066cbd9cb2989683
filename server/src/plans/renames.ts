import type { ItemState } from '@flagstone/contract/plans';
import { AppError } from '@flagstone/core/errors';
import { extensionIssue, OTHER_EXTENSION } from '@flagstone/core/formats/container';
import type { FolderNames } from '@flagstone/core/naming/companions';
import { eq } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { copies } from '../db/schema.ts';
import { layName, renameTogether, settleRename, type NameChange } from '../disk/rename-together.ts';
import type { Fence } from '../jobs/fence.ts';
import { beginItem, setFailed, setState, subjectOf, type JournalRow } from './journal-items.ts';
import { refuseKnownPlace, takePlace } from './known-place.ts';
import { refreshSearch } from '../records/search-conditions.ts';

/** What a rename item says before and after: the name of the file, and those of the files that go along, in the same order. */
const sideSchema = z.object({ name: z.string(), companions: z.array(z.string()).nullable().default(null) });

/** The code of the notice on items whose drive is away: what stands in its folder is looked at when it is back. */
export const DRIVE_AWAY = 'DRIVE_AWAY';

function changesOf(item: JournalRow, direction: 'do' | 'undo'): { file: NameChange; companions: NameChange[] } {
  const [before, after] = [sideSchema.parse(item.before), sideSchema.parse(item.after)];
  const [from, to] = direction === 'do' ? [before, after] : [after, before];
  const companions = (from.companions ?? []).map((name, at) => ({ from: name, to: to.companions?.[at] ?? name }));
  return { file: { from: from.name, to: to.name }, companions };
}

/** Renames the file of an item with those that go along, or renames them back. Journaled before and after. */
export async function performRename(
  app: AppContext,
  given: JournalRow,
  direction: 'do' | 'undo',
  fence: Fence,
): Promise<void> {
  const { copy, files } = await subjectOf(app, given);
  const isLate = direction === 'do' && given.problems.some(({ code }) => code === DRIVE_AWAY);
  const item = isLate ? await laidAnew(given, () => files.folderNames(copy.folder)) : given;
  const { file, companions } = changesOf(item, direction);
  if (copy.name !== file.from)
    throw new AppError('CONFLICT', `The file is called “${copy.name}” now, not “${file.from}”.`);
  // What stands there now is what was seen when the plan was made, and no other file that took its name since.
  await files.expected(copy, await files.plainStampOf(copy.folder, copy.name), copy.name);
  await refuseKnownPlace(app, copy.id, { ...copy, name: file.to });
  const { before, after } = item;
  await beginItem(app.db, item, direction === 'do' ? 'started' : 'undoing', fence, { before, after });
  await renameTogether(files, copy.folder, file, companions);
  await recordRename(app, item, copy, file.to, direction === 'do' ? 'done' : 'undone');
}

/** An item whose folder could not be seen when it was planned, with the counter and the files that go along as the folder is now. */
async function laidAnew(item: JournalRow, namesOf: () => Promise<FolderNames>): Promise<JournalRow> {
  const [before, after] = [sideSchema.parse(item.before), sideSchema.parse(item.after)];
  const laid = layName(await namesOf(), before.name, after.name, after.companions !== null);
  return {
    ...item,
    before: { ...item.before, companions: laid.companions.map(({ from }) => from) },
    after: { ...item.after, name: laid.name, companions: laid.companions.map(({ to }) => to) },
  };
}

async function recordRename(
  app: AppContext,
  item: JournalRow,
  copy: typeof copies.$inferSelect,
  name: string,
  state: ItemState,
): Promise<void> {
  await app.db.transaction(async (tx) => {
    const soundIds = await takePlace(tx, copy, { ...copy, name });
    // What a name ends in is remarked upon beside what was found in the file.
    const ends = extensionIssue(name, copy.container);
    const issues = [...copy.issues.filter(({ code }) => code !== OTHER_EXTENSION), ...(ends ? [ends] : [])];
    await tx.update(copies).set({ name, issues }).where(eq(copies.id, copy.id));
    await refreshSearch(tx, soundIds);
    await setState(tx, item, state);
  });
}

/** Settles a rename that was under way when the server stopped: finishes one whose file has its new name, takes back any other. */
export async function settleInterruptedRename(app: AppContext, item: JournalRow): Promise<void> {
  const undoing = item.state === 'undoing';
  const { copy, files } = await subjectOf(app, item);
  const { file, companions } = changesOf(item, undoing ? 'undo' : 'do');
  const standing = await settleRename(files, copy.folder, file, companions);
  if (standing === 'new') return recordRename(app, item, copy, file.to, undoing ? 'undone' : 'done');
  if (standing === 'old') return setState(app.db, item, undoing ? 'done' : 'planned');
  const message = `Neither “${file.from}” nor “${file.to}” is in its folder.`;
  return setFailed(app, item, new AppError('FILE_VANISHED', message), undoing ? 'done' : 'failed');
}
