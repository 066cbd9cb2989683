import { AppError } from '@flagstone/core/errors';
import type { Plan, Relocation } from '@flagstone/contract/plans';
import { and, eq, sql } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import { copies, drives, type JournalProblem } from '../db/schema.ts';
import { diskError } from '../disk/disk-errors.ts';
import type { DriveFiles } from '../disk/drive-files.ts';
import type { FileStamp } from '../disk/file-stamp.ts';
import { driveFolderOf, filesOf } from '../drives/drives.ts';
import type { Fence } from '../jobs/fence.ts';
import { refuseKnownPlace, takePlace } from './known-place.ts';
import { beginItem, setState, type JournalRow } from './journal-items.ts';
import type { NewItem } from './plan-item.ts';
import { getPlan, storePlan } from './plans.ts';
import { readFolderFinder, rememberFolder } from '../intake/read-folders.ts';
import { isBelow } from '../db/sql-parts.ts';
import { refreshSearch } from '../records/search-conditions.ts';

type CopyRow = typeof copies.$inferSelect;

/** Where a copy stands, as the journal keeps it. */
const placeSchema = z.object({ driveId: z.uuid(), folder: z.string(), name: z.string() });
type Place = z.infer<typeof placeSchema>;

const PAGE = 500;

/**
 * Previews that the copies below a folder of a drive stand below another folder now: each is looked for at its new place, by name and size.
 * Nothing is read, and no file is touched. Throws NOT_FOUND, NOTHING_SELECTED and what AllowedRoots.checkedFolder throws.
 */
export async function planRelocation(
  app: AppContext,
  wanted: Relocation,
  personId: number,
  sight: Sight,
): Promise<Plan> {
  const [drive] = await app.db.select().from(drives).where(eq(drives.id, wanted.driveId));
  if (!drive) throw new AppError('NOT_FOUND', 'There is no such drive.');
  const from = wanted.folder.replace(/^\/+|\/+$/g, '');
  const target = await driveFolderOf(app, await app.roots.checkedFolder(wanted.toPath.trim()));
  await rememberFolder(app, target, personId, sight);
  const files = filesOf(app, target.drive);
  /** Sequentially: a transaction has one connection. */
  const plan = async (inside: AppContext, page: CopyRow[]): Promise<NewItem[]> => {
    const items: NewItem[] = [];
    for (const copy of page) {
      const below = copy.folder.slice(from.length).replace(/^\//, '');
      const folder = [target.folder, below].filter((part) => part !== '').join('/');
      const after = { driveId: target.drive.id, folder, name: copy.name };
      const problem = await problemWith(inside, files, copy, after);
      items.push({
        copyId: copy.id,
        state: problem === 'there already' ? 'unchanged' : problem ? 'blocked' : 'planned',
        before: placeOf(copy),
        after,
        problems: typeof problem === 'object' ? [problem] : [],
      });
    }
    return items;
  };
  const planId = await storePlan(app, { kind: 'relocate', personId }, async function* (inside) {
    for await (const page of copiesBelow(inside, drive.id, from)) yield await plan(inside, page);
  });
  return getPlan(app, planId);
}

const placeOf = ({ driveId, folder, name }: Place): Place => ({ driveId, folder, name });

async function* copiesBelow(app: AppContext, driveId: string, folder: string): AsyncGenerator<CopyRow[]> {
  for (let after = 0; ;) {
    const page = await app.db
      .select()
      .from(copies)
      .where(
        and(
          eq(copies.driveId, driveId),
          sql`${copies.id} > ${after} and ${copies.clearedAt} is null`,
          isBelow(sql`${copies.folder}`, folder),
        ),
      )
      .orderBy(copies.id)
      .limit(PAGE);
    const last = page.at(-1);
    if (!last) return;
    after = last.id;
    yield page;
  }
}

async function problemWith(
  app: AppContext,
  files: DriveFiles,
  copy: CopyRow,
  after: Place,
): Promise<JournalProblem | 'there already' | undefined> {
  if (copy.driveId === after.driveId && copy.folder === after.folder) return 'there already';
  try {
    refuseOther(copy, await files.stampOf(after.folder, after.name), after);
    await refuseKnownPlace(app, copy.id, after);
    return undefined;
  } catch (error) {
    const { code, message, remedy } = diskError(error, after.name);
    return { code, severity: 'error', message, remedy };
  }
}

function refuseOther(copy: CopyRow, stamp: FileStamp, after: Place): void {
  if (stamp.sizeBytes === copy.sizeBytes) return;
  const message = `${after.folder}/${after.name} has ${stamp.sizeBytes} bytes, the copy had ${copy.sizeBytes}: it is another file.`;
  throw new AppError('FILE_CHANGED', message);
}

/**
 * Gives a copy its other place, or the first one back. One whose time of change differs there is read again at the next scan, which proves it.
 */
export async function performRelocation(
  app: AppContext,
  item: JournalRow,
  direction: 'do' | 'undo',
  fence: Fence,
): Promise<void> {
  const [from, to] = [item.before, item.after].map((place) => placeSchema.parse(place)) as [Place, Place];
  const [now, next] = direction === 'do' ? [from, to] : [to, from];
  const [copy] = await app.db.select().from(copies).where(eq(copies.id, item.copyId));
  if (!copy) throw new AppError('NOT_FOUND', `Copy ${item.copyId} is not known any more.`);
  if (copy.driveId !== now.driveId || copy.folder !== now.folder || copy.name !== now.name)
    throw new AppError('CONFLICT', `The copy stands at ${copy.folder}/${copy.name} now, not where the plan says.`);
  await refuseKnownPlace(app, copy.id, next);
  const stamp = direction === 'do' ? await stampAt(app, copy, next) : undefined;
  const isSame = stamp?.mtimeMs === copy.mtimeMs;
  const readFolderOf = await readFolderFinder(app, next.driveId);
  await app.db.transaction(async (tx) => {
    await beginItem(tx, item, direction === 'do' ? 'started' : 'undoing', fence);
    const soundIds = await takePlace(tx, copy, next);
    await tx
      .update(copies)
      .set({
        ...next,
        readFolderId: readFolderOf(next.folder),
        ...(stamp ? { gone: false, clearedAt: null } : {}),
        ...(isSame ? { inode: stamp.inode } : {}),
      })
      .where(eq(copies.id, copy.id));
    await refreshSearch(tx, soundIds);
    await setState(tx, item, direction === 'do' ? 'done' : 'undone');
  });
}

async function stampAt(app: AppContext, copy: CopyRow, place: Place): Promise<FileStamp> {
  const [drive] = await app.db.select().from(drives).where(eq(drives.id, place.driveId));
  if (!drive) throw new AppError('NOT_FOUND', 'The drive is not known any more.');
  const stamp = await filesOf(app, drive).stampOf(place.folder, place.name);
  refuseOther(copy, stamp, place);
  return stamp;
}
