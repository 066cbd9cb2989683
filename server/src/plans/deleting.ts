import { AppError } from '@flagstone/core/errors';
import { eq, sql } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { copies } from '../db/schema.ts';
import { deleteWhileKept } from '../disk/delete-file.ts';
import { itemError } from '../disk/disk-errors.ts';
import type { DriveFiles } from '../disk/drive-files.ts';
import { refuseWhenFull } from '../disk/free-space.ts';
import type { Fence } from '../jobs/fence.ts';
import { lockRecords, refreshSearch } from '../records/search-conditions.ts';
import { enterFolder } from './copies.ts';
import { refuseKnownPlace, takePlace } from './known-place.ts';
import { beginItem, setFailed, setState, subjectOf, type JournalRow } from './journal-items.ts';
import { columnsOfMade, provedSource, readMade, type CopyRow } from './made-file.ts';

const beforeSchema = z.object({ folder: z.string(), name: z.string() });
/** The copy that is kept; once the deleting is begun, the name that the file bears until the kept one was seen again. */
const afterSchema = z.object({ keptCopyId: z.number(), aside: z.string().optional() });

/**
 * Deletes the file of an item for good, once the copy that is kept was read as a whole and holds the audio of the sound. Of two plans that would each keep what the other one deletes, one finds its copy gone.
 * Throws CONFLICT, ONLY_COPY, FILE_CHANGED, AUDIO_DAMAGED.
 */
export async function performDeleting(app: AppContext, item: JournalRow, fence: Fence): Promise<void> {
  const { copy, files } = await subjectOf(app, item);
  const place = beforeSchema.parse(item.before);
  const { keptCopyId } = afterSchema.parse(item.after);
  refuseOthers(copy, place);
  await files.expected(copy, await files.plainStampOf(place.folder, place.name), place.name);
  const kept = await provedSource(app, keptCopyId, copy.soundId);
  // No name that a killed write would leave: those are removed.
  const aside = `.flagstone-deleting-${item.id}`;
  if (await files.exists(place.folder, aside))
    throw new AppError('NAME_TAKEN', `${files.absolute(place.folder, aside)} exists.`);
  await beginItem(app.db, item, 'started', fence, { after: { ...item.after, aside } });
  await app.db.transaction(async (tx) => {
    await tx.execute(
      sql`select pg_advisory_xact_lock(hashtext('flagstone deleting'), hashtext(${String(copy.soundId)}))`,
    );
    const [still] = await tx.select().from(copies).where(eq(copies.id, keptCopyId));
    if (!still || still.gone || still.folder !== kept.copy.folder || still.name !== kept.copy.name)
      throw new AppError(
        'CONFLICT',
        `The copy that is kept, “${kept.copy.name}”, was moved or cleared away meanwhile.`,
      );
    await deleteWhileKept(files, place, aside, kept).catch((error: unknown) => {
      throw itemError(error, files.absolute(place.folder, place.name));
    });
    await lockRecords(tx, [copy.soundId]);
    await leaveLists(tx, copy);
    await setState(tx, item, 'done');
  });
}

function refuseOthers(copy: CopyRow, { folder, name }: { folder: string; name: string }): void {
  if (copy.folder !== folder || copy.name !== name || copy.gone)
    throw new AppError('CONFLICT', `The file stands at ${copy.folder}/${copy.name} now, or is gone; it is left alone.`);
  if (copy.changedOutside)
    throw new AppError('CONFLICT', `“${name}” was changed outside since the plan was made: settle that first.`);
}

/** The copy leaves every list; what its file said stays known. */
async function leaveLists(tx: Parameters<typeof refreshSearch>[0], copy: CopyRow): Promise<void> {
  await tx
    .update(copies)
    .set({ gone: true, clearedAt: sql`now()` })
    .where(eq(copies.id, copy.id));
  await refreshSearch(tx, [copy.soundId]);
}

/** Makes the file of an item again from the copy that was kept. Throws NOT_UNDOABLE where that one, or the place, is not free. */
export async function undoDeleting(app: AppContext, item: JournalRow, fence: Fence): Promise<void> {
  const { copy, files } = await subjectOf(app, item);
  const { folder, name } = beforeSchema.parse(item.before);
  const { keptCopyId } = afterSchema.parse(item.after);
  const shown = files.absolute(folder, name);
  if (await files.exists(folder, name)) throw new AppError('NOT_UNDOABLE', `Another file stands at ${shown} now.`);
  await refuseKnownPlace(app, copy.id, { ...copy, folder, name });
  const kept = await provedSource(app, keptCopyId, copy.soundId).catch((cause: unknown) => {
    const message = `The copy from which “${name}” could be made again is not there, whole and unchanged.`;
    throw new AppError('NOT_UNDOABLE', message, { cause });
  });
  try {
    await enterFolder(app, files, folder);
    await refuseWhenFull(files.absolute(folder), kept.copy.sizeBytes);
    await beginItem(app.db, item, 'undoing', fence);
    await app.workers.keep({ path: kept.path }, shown, files.root);
    await takeUp(app, item, copy, files);
  } catch (error) {
    throw itemError(error, shown);
  }
}

async function takeUp(app: AppContext, item: JournalRow, copy: CopyRow, files: DriveFiles): Promise<void> {
  const { folder, name } = beforeSchema.parse(item.before);
  const made = await readMade(app, files, { folder, name }, copy.soundId);
  await app.db.transaction(async (tx) => {
    const soundIds = await takePlace(tx, copy, { ...copy, folder, name });
    await tx
      .update(copies)
      .set({ ...(await columnsOfMade(tx, copy.soundId, made)), folder, name })
      .where(eq(copies.id, copy.id));
    await refreshSearch(tx, soundIds);
    await setState(tx, item, 'undone');
  });
}

/** Settles a deleting that was under way when the server stopped: a file that only bore another name has its own again. */
export async function settleInterruptedDeleting(app: AppContext, item: JournalRow): Promise<void> {
  const { copy, files } = await subjectOf(app, item);
  const { folder, name } = beforeSchema.parse(item.before);
  const { aside = '' } = afterSchema.parse(item.after);
  const isThere = await files.exists(folder, name);
  if (item.state === 'undoing') {
    if (!isThere) return setState(app.db, item, 'done');
    return takeUp(app, item, copy, files).catch(async (error: unknown) => {
      if (!(error instanceof AppError)) throw error;
      await setFailed(app, item, error, 'done');
    });
  }
  if (await files.exists(folder, aside)) {
    if (!isThere) {
      await files.rename(folder, aside, name);
      return setState(app.db, item, 'planned');
    }
    const message = `The file that was to be deleted is called ${files.absolute(folder, aside)} now: another one took its name.`;
    return setFailed(app, item, new AppError('NAME_TAKEN', message));
  }
  if (isThere) return setState(app.db, item, 'planned');
  return app.db.transaction(async (tx) => {
    await lockRecords(tx, [copy.soundId]);
    await leaveLists(tx, copy);
    await setState(tx, item, 'done');
  });
}
