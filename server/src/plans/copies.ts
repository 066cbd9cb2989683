import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import { and, eq, sql } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { copies, drives } from '../db/schema.ts';
import { itemError } from '../disk/disk-errors.ts';
import type { DriveFiles } from '../disk/drive-files.ts';
import { refuseWhenFull } from '../disk/free-space.ts';
import { settleLeftovers } from '../disk/leftovers.ts';
import { makeFolder } from '../disk/make-folder.ts';
import { removeMadeFile } from '../disk/remove-file.ts';
import { isWithin } from '../disk/roots.ts';
import { filesOf } from '../drives/drives.ts';
import { unknownWrites } from '../drives/known-writes.ts';
import { readFolderFinder } from '../intake/read-folders.ts';
import type { Fence } from '../jobs/fence.ts';
import { lockRecords, refreshSearch } from '../records/search-conditions.ts';
import { beginItem, setState, subjectOf, type JournalRow } from './journal-items.ts';
import { columnsOfMade, provedSource, readMade, type CopyRow } from './made-file.ts';

/** Where a copy is to stand; once it does, its row, and whether its file was made. */
const afterSchema = z.object({
  driveId: z.uuid(),
  folder: z.string(),
  name: z.string(),
  madeCopyId: z.number().optional(),
  wasThere: z.boolean().optional(),
});
type Place = z.infer<typeof afterSchema>;

async function targetOf(app: AppContext, item: JournalRow): Promise<Place & { files: DriveFiles }> {
  const place = afterSchema.parse(item.after);
  const [drive] = await app.db.select().from(drives).where(eq(drives.id, place.driveId));
  if (!drive) throw new AppError('NOT_FOUND', 'The drive is not known any more.');
  return { ...place, files: filesOf(app, drive) };
}

/** Copies the file of an item onto the other drive: read as a whole before, read back after, and never over anything. */
export async function performCopy(app: AppContext, item: JournalRow, fence: Fence): Promise<void> {
  const { copy } = await subjectOf(app, item);
  const target = await targetOf(app, item);
  const source = await provedSource(app, copy.id, copy.soundId);
  const shown = target.files.absolute(target.folder, target.name);
  try {
    await enterFolder(app, target.files, target.folder);
    await refuseWhenFull(path.dirname(shown), source.copy.sizeBytes);
    await beginItem(app.db, item, 'started', fence);
    const isWritten = await app.workers.keep({ path: source.path }, shown, target.files.root);
    await takeUp(app, { ...item, after: { ...item.after, wasThere: !isWritten } }, copy, target);
  } catch (error) {
    throw itemError(error, shown);
  }
}

/** Makes the folders down to one, level by level: a link that stands in one's place may lead elsewhere. Removes what killed copies left in it. */
export async function enterFolder(app: AppContext, files: DriveFiles, folder: string): Promise<void> {
  let within = '';
  for (const part of folder === '' ? [] : folder.split('/')) {
    within = within === '' ? part : `${within}/${part}`;
    const full = files.absolute(within);
    await makeFolder(full);
    const real = await app.roots.checkedFolder(full);
    if (!isWithin(files.root, real))
      throw new AppError('SYMLINK_OUTSIDE', `${full} leads to ${real}, outside the drive.`);
  }
  await settleLeftovers(files.absolute(folder), unknownWrites(app));
}

/** The copy that stands there becomes a copy of the sound, proved; the item is done with it. */
async function takeUp(
  app: AppContext,
  item: JournalRow,
  copy: CopyRow,
  target: Place & { files: DriveFiles },
): Promise<void> {
  const { driveId, folder, name, files } = target;
  const made = await readMade(app, files, target, copy.soundId);
  const readFolderOf = await readFolderFinder(app, driveId);
  await app.db.transaction(async (tx) => {
    const [standing] = await tx.select().from(copies).where(isAt(target));
    await lockRecords(tx, [copy.soundId, ...(standing ? [standing.soundId] : [])]);
    const columns = {
      ...(await columnsOfMade(tx, copy.soundId, made)),
      soundId: copy.soundId,
      driveId,
      folder,
      name,
      readFolderId: readFolderOf(folder),
    };
    const [row] = await tx
      .insert(copies)
      .values(columns)
      .onConflictDoUpdate({ target: [copies.driveId, copies.folder, copies.name], set: columns })
      .returning({ id: copies.id });
    if (!row) throw new AppError('INTERNAL', 'The new copy could not be recorded.');
    await refreshSearch(tx, [copy.soundId, ...(standing ? [standing.soundId] : [])]);
    await setState(tx, item, 'done', { after: { ...item.after, madeCopyId: row.id } });
  });
}

const isAt = ({ driveId, folder, name }: Place) =>
  and(eq(copies.driveId, driveId), eq(copies.folder, folder), eq(copies.name, name));

/**
 * Removes the file that an item made. Throws NOT_UNDOABLE when it stood there before, when it was changed or renamed since, or when the file that it was copied from is not
 * there any more, whole and unchanged.
 */
export async function undoCopy(app: AppContext, item: JournalRow, fence: Fence): Promise<void> {
  const { copy } = await subjectOf(app, item);
  const target = await targetOf(app, item);
  const { files, folder, name, madeCopyId = 0, wasThere } = target;
  if (wasThere) throw new AppError('NOT_UNDOABLE', `“${name}” stood there before; it is left as it is.`);
  const [made] = await app.db.select().from(copies).where(eq(copies.id, madeCopyId));
  const stamp = await files.stampOf(folder, name).catch(() => undefined);
  const isSame =
    made !== undefined &&
    stamp !== undefined &&
    made.folder === folder &&
    made.name === name &&
    made.soundId === copy.soundId &&
    !made.changedOutside &&
    (await files.expected(made, stamp, name).then(
      () => true,
      () => false,
    ));
  if (!isSame)
    throw new AppError('NOT_UNDOABLE', `“${name}” was renamed, written or changed since; it is left as it is.`);
  await provedSource(app, copy.id, copy.soundId).catch((cause: unknown) => {
    const message = `The file that “${name}” was copied from is not there, whole and unchanged: this one stays.`;
    throw new AppError('NOT_UNDOABLE', message, { cause });
  });
  await beginItem(app.db, item, 'undoing', fence);
  await removeMadeFile(files, folder, name);
  await forget(app, item, made);
}

/** The row of a copy that is no more leaves every list. */
async function forget(app: AppContext, item: JournalRow, made: CopyRow): Promise<void> {
  await app.db.transaction(async (tx) => {
    await lockRecords(tx, [made.soundId]);
    await tx
      .update(copies)
      .set({ gone: true, clearedAt: sql`now()` })
      .where(eq(copies.id, made.id));
    await refreshSearch(tx, [made.soundId]);
    await setState(tx, item, 'undone');
  });
}

/** Settles a copying that was under way when the server stopped: a file gets its name only when it is whole. */
export async function settleInterruptedCopy(app: AppContext, item: JournalRow): Promise<void> {
  const target = await targetOf(app, item);
  const isThere = await target.files.exists(target.folder, target.name);
  if (item.state === 'undoing') {
    const [made] = await app.db
      .select()
      .from(copies)
      .where(eq(copies.id, target.madeCopyId ?? 0));
    return isThere || !made ? setState(app.db, item, 'done') : forget(app, item, made);
  }
  // What stands there is looked at when the item runs again, and taken up when it is the very same.
  await settleLeftovers(target.files.absolute(target.folder), unknownWrites(app));
  return setState(app.db, item, 'planned');
}
