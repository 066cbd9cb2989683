import { AppError } from '@flagstone/core/errors';
import type { ItemState } from '@flagstone/contract/plans';
import { eq } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { copies } from '../db/schema.ts';
import { moveFile, settleMove, type FilePlace } from '../disk/move-file.ts';
import { readFolderFinder } from '../intake/read-folders.ts';
import type { Fence } from '../jobs/fence.ts';
import { refreshSearch } from '../records/search-conditions.ts';
import { enterFolder } from './copies.ts';
import type { CopyRow } from './made-file.ts';
import { refuseKnownPlace, takePlace } from './known-place.ts';
import { beginItem, setFailed, setState, subjectOf, type JournalRow } from './journal-items.ts';

/** Where a file stands and is to stand, with those that go along, called the same there. */
const sideSchema = z.object({ folder: z.string(), name: z.string(), companions: z.array(z.string()).default([]) });

function sidesOf({ before, after }: JournalRow, direction: 'do' | 'undo') {
  const [from, to] = [sideSchema.parse(before), sideSchema.parse(after)];
  return direction === 'do' ? { from, to } : { from: to, to: from };
}

/** Moves the file of an item to its shelf, or back. Journaled before and after. */
export function performShelving(
  app: AppContext,
  item: JournalRow,
  direction: 'do' | 'undo',
  fence: Fence,
): Promise<void> {
  return performMove(app, item, { direction, fence, record: recordPlace });
}

/** What the database says once the file of an item stands at its new place, or at its old one again. */
export type RecordMove = (
  app: AppContext,
  item: JournalRow,
  copy: CopyRow,
  place: FilePlace,
  state: 'done' | 'undone',
) => Promise<void>;

/** Moves the file of an item, or moves it back, with those that go along; they go first, so that where the file itself stands says whether all of it happened. */
export async function performMove(
  app: AppContext,
  item: JournalRow,
  { direction, fence, record }: { direction: 'do' | 'undo'; fence: Fence; record: RecordMove },
): Promise<void> {
  const { copy, files } = await subjectOf(app, item);
  const { from, to } = sidesOf(item, direction);
  if (copy.folder !== from.folder || copy.name !== from.name)
    throw new AppError('CONFLICT', `The file stands at ${copy.folder}/${copy.name} now, not where the plan says.`);
  // What stands there now is what was seen when the plan was made, and no other file that took its name since.
  await files.expected(copy, await files.plainStampOf(from.folder, from.name), copy.name);
  await refuseKnownPlace(app, copy.id, { ...copy, ...to });
  await enterFolder(app, files, to.folder);
  await beginItem(app.db, item, direction === 'do' ? 'started' : 'undoing', fence);
  const moved: string[] = [];
  try {
    for (const name of from.companions) {
      if (!(await files.exists(from.folder, name))) continue;
      await moveFile(files, { folder: from.folder, name }, { folder: to.folder, name });
      moved.push(name);
    }
    await moveFile(files, from, to);
  } catch (error) {
    for (const name of moved.reverse())
      await moveFile(files, { folder: to.folder, name }, { folder: from.folder, name }).catch((cause: unknown) => {
        const why = error instanceof Error ? error.message : String(error);
        throw new AppError('IO_FAILED', `${why} “${name}”, which went along, could not be put back.`, { cause });
      });
    throw error;
  }
  await record(app, item, copy, to, direction === 'do' ? 'done' : 'undone');
}

async function recordPlace(
  app: AppContext,
  item: JournalRow,
  copy: CopyRow,
  { folder, name }: FilePlace,
  state: ItemState,
): Promise<void> {
  const readFolderOf = await readFolderFinder(app, copy.driveId);
  await app.db.transaction(async (tx) => {
    const soundIds = await takePlace(tx, copy, { ...copy, folder, name });
    await tx
      .update(copies)
      .set({ folder, name, readFolderId: readFolderOf(folder) })
      .where(eq(copies.id, copy.id));
    await refreshSearch(tx, soundIds);
    await setState(tx, item, state);
  });
}

/** Settles a laying out that was under way when the server stopped. */
export function settleInterruptedShelving(app: AppContext, item: JournalRow): Promise<void> {
  return settleInterruptedMove(app, item, recordPlace);
}

/** Settles a move that was under way when the server stopped: finishes one whose file stands at its new place, takes back any other. */
export async function settleInterruptedMove(app: AppContext, item: JournalRow, record: RecordMove): Promise<void> {
  const undoing = item.state === 'undoing';
  const { copy, files } = await subjectOf(app, item);
  const { from, to } = sidesOf(item, undoing ? 'undo' : 'do');
  const standing = await settleMove(files, from, to);
  for (const name of from.companions) {
    const [old, next] = [
      { folder: from.folder, name },
      { folder: to.folder, name },
    ];
    const there = await settleMove(files, old, next);
    if (standing === 'new' && there === 'old') await moveFile(files, old, next);
    // Those that went ahead of a file that did not follow come back.
    if (standing === 'old' && there === 'new') await moveFile(files, next, old);
  }
  if (standing === 'new') return record(app, item, copy, to, undoing ? 'undone' : 'done');
  if (standing === 'old') return setState(app.db, item, undoing ? 'done' : 'planned');
  const message = `“${from.name}” stands neither where it was nor where it was to go.`;
  return setFailed(app, item, new AppError('FILE_VANISHED', message), undoing ? 'done' : 'failed');
}
