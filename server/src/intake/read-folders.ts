import { AppError } from '@flagstone/core/errors';
import { otherAudioByName } from '@flagstone/core/formats/other-audio';
import type { ReadFolder } from '@flagstone/contract/intake';
import type { Job } from '@flagstone/contract/jobs';
import { and, eq, inArray, isNull, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { sees, type Sight } from '../rights/rights.ts';
import { collectionIsSeen } from '../rights/seen.ts';
import type { Transaction } from '../db/connect.ts';
import { collections, copies, drives, folders, recipes } from '../db/schema.ts';
import { pathMatcher } from '../disk/path-patterns.ts';
import { isUnchanged } from '../disk/file-stamp.ts';
import type { FolderResult, FolderTask } from '../disk/list-folders.ts';
import { walkFolders, type WalkEntry } from '../disk/walk.ts';
import type { NewJob } from '../jobs/job-queue.ts';
import { batchOfFolder } from './batch-of-folder.ts';
import { isBelow } from '../db/sql-parts.ts';
import { driveIsHere, filesOf, type DriveFolder } from '../drives/drives.ts';
import { lockRecords } from '../records/search-conditions.ts';

type FolderRow = typeof folders.$inferSelect;

/** Whether a folder of a drive is another one or lies in it; '' is the whole drive. */
export function isInFolder(folder: string, of: string): boolean {
  return of === '' || folder === of || folder.startsWith(`${of}/`);
}

/** The deepest of some folders at or above a place. */
function deepestAbove<Folder extends { path: string }>(all: readonly Folder[], place: string): Folder | undefined {
  const above = all.filter(({ path }) => isInFolder(place, path));
  return above.sort((a, b) => b.path.length - a.path.length)[0];
}

/** Gives the read folder of a drive that each of its places belongs to: the deepest at or above it. */
export async function readFolderFinder(app: AppContext, driveId: string): Promise<(folder: string) => number | null> {
  const all = await app.db.select().from(folders).where(eq(folders.driveId, driveId));
  const known = new Map<string, number | null>();
  return (folder) => {
    const found = known.get(folder) ?? deepestAbove(all, folder)?.id ?? null;
    known.set(folder, found);
    return found;
  };
}

/**
 * The folder's row of its drive, made when it is new: it takes over the copies in it from the read folder above it, and that one's collection
 * unless another is given. Throws NOT_FOUND for a collection that there is not, NOT_ALLOWED.
 */
export async function rememberFolder(
  app: AppContext,
  { drive, folder }: DriveFolder,
  personId: number,
  sight: Sight,
  collectionId?: number,
): Promise<{ folderId: number; collectionId: number }> {
  return app.db.transaction(async (tx) => {
    // One at a time for each drive, so that two new folders never take each other's copies.
    const all = await tx.select().from(folders).where(eq(folders.driveId, drive.id)).for('update');
    refuseForeign(all, folder, sight);
    const known = all.find(({ path }) => path === folder);
    if (known) return { folderId: known.id, collectionId: known.collectionId };
    const above = deepestAbove(all, folder);
    const [row] = await tx
      .insert(folders)
      .values({
        driveId: drive.id,
        path: folder,
        collectionId: await openCollection(tx, sight, collectionId, above?.collectionId),
        addedBy: personId,
      })
      .onConflictDoUpdate({ target: [folders.driveId, folders.path], set: { path: folder } })
      .returning({ id: folders.id, collectionId: folders.collectionId });
    if (!row) throw new AppError('INTERNAL', `The folder ${folder} could not be recorded.`);
    const itsOwn = sql`drive_id = ${drive.id} and read_folder_id is not distinct from ${above?.id ?? null}::int and ${isBelow(sql`folder`, folder)}`;
    await lockRecords(tx, sql`select sound_id from copies where ${itsOwn}`);
    await tx.execute(sql`update copies set read_folder_id = ${row.id} where ${itsOwn}`);
    return { folderId: row.id, collectionId: row.collectionId };
  });
}

/** Throws NOT_ALLOWED for a place that lies in a folder of a collection which is not in `sight`, or holds one: reading it would take or tell what is theirs. */
function refuseForeign(all: readonly FolderRow[], folder: string, sight: Sight): void {
  const above = deepestAbove(all, folder);
  const concerned = [...(above ? [above] : []), ...all.filter(({ path }) => isInFolder(path, folder))];
  if (concerned.some(({ collectionId }) => !sees(sight, collectionId)))
    throw new AppError('NOT_ALLOWED', 'This folder has to do with one of a collection in which you are no librarian.');
}

/** The collection that is asked for, else the likely one when it is in use, else the first. Throws NOT_FOUND for one that is not in use. */
async function openCollection(
  tx: Transaction,
  sight: Sight,
  asked: number | undefined,
  likely: number | undefined,
): Promise<number> {
  const open = await tx
    .select()
    .from(collections)
    .where(and(isNull(collections.retiredAt), collectionIsSeen(sight, sql`${collections.id}`)))
    .orderBy(collections.id);
  const chosen = open.find(({ id }) => id === (asked ?? likely)) ?? (asked === undefined ? open[0] : undefined);
  if (!chosen) throw new AppError('NOT_FOUND', 'There is no such collection that is in use.');
  return chosen.id;
}

/** The folders that were read and are seen, by drive and path. */
export async function listReadFolders(app: AppContext, sight: Sight): Promise<ReadFolder[]> {
  const { rows } = await app.db.execute<{ read_folder_id: number; files: number }>(
    sql`select read_folder_id, count(*) as files from copies where not gone group by read_folder_id`,
  );
  const held = new Map(rows.map((row) => [row.read_folder_id, row.files]));
  const all = await app.db
    .select({ folder: folders, driveName: drives.name })
    .from(folders)
    .innerJoin(drives, eq(drives.id, folders.driveId))
    .where(and(isNull(drives.retiredAt), collectionIsSeen(sight, sql`${folders.collectionId}`)))
    .orderBy(drives.name, folders.path);
  return all.map(({ folder, driveName }) => ({
    id: folder.id,
    driveId: folder.driveId,
    driveName,
    path: folder.path,
    // A copy belongs to the deepest read folder; those above it hold it too.
    files: all
      .filter((other) => other.folder.driveId === folder.driveId && isInFolder(other.folder.path, folder.path))
      .reduce((sum, other) => sum + (held.get(other.folder.id) ?? 0), 0),
    watched: folder.watched,
    rereadMinutes: folder.rereadMinutes,
    exclude: folder.exclude,
    collectionId: folder.collectionId,
    recipeId: folder.recipeId,
  }));
}

/** What a person changes of a read folder. */
export interface ReadFolderChange {
  watched?: boolean | undefined;
  rereadMinutes?: number | null | undefined;
  exclude?: string[] | undefined;
  collectionId?: number | undefined;
  recipeId?: number | null | undefined;
}

/** Has a folder watched or read again now and then, sets what is left out of it, moves it to a collection. Throws NOT_FOUND. */
export async function updateReadFolder(
  app: AppContext,
  id: number,
  change: ReadFolderChange,
  sight: Sight,
): Promise<ReadFolder> {
  const set: Partial<FolderRow> = Object.fromEntries(Object.entries(change).filter(([, value]) => value !== undefined));
  if (change.collectionId !== undefined) {
    const [known] = await app.db.select().from(collections).where(eq(collections.id, change.collectionId));
    if (!known || !sees(sight, known.id)) throw new AppError('NOT_FOUND', 'There is no such collection.');
  }
  if (typeof change.recipeId === 'number') {
    const [known] = await app.db.select().from(recipes).where(eq(recipes.id, change.recipeId));
    if (!known) throw new AppError('NOT_FOUND', 'There is no such recipe.');
  }
  if (Object.keys(set).length > 0) await app.db.update(folders).set(set).where(eq(folders.id, id));
  const folder = (await listReadFolders(app, sight)).find((each) => each.id === id);
  if (!folder) throw new AppError('NOT_FOUND', 'There is no such folder.');
  return folder;
}

/**
 * Queues reading a folder again, or only a part of it (`below`, a path of the drive). What is filed already and the same does not come into
 * preparation once more. A reading of the same part that still waits is enough.
 */
export async function readAgain(app: AppContext, id: number, personId: number, below?: string): Promise<Job> {
  const [row] = await app.db
    .select()
    .from(folders)
    .innerJoin(drives, eq(drives.id, folders.driveId))
    .where(eq(folders.id, id));
  if (!row) throw new AppError('NOT_FOUND', 'There is no such folder.');
  const folder = below ?? row.folders.path;
  const waiting = await app.db.execute<{ id: string }>(sql`
    select id from jobs where kind = 'index' and state = 'waiting' and payload ->> 'driveId' = ${row.drives.id}
    and payload ->> 'folder' = ${folder} limit 1`);
  if (waiting.rows[0]) return app.jobs.get(waiting.rows[0].id);
  const job: NewJob = {
    kind: 'index',
    title: `Read ${row.drives.name}${folder === '' ? '' : `/${folder}`} again`,
    payload: {
      batchId: await batchOfFolder(app, row.folders.id, row.folders.path.split('/').pop() || row.drives.name, personId),
      driveId: row.drives.id,
      folder,
      onlyNew: true,
    },
    lanes: [row.drives.id],
    collectionIds: [row.folders.collectionId],
  };
  return app.jobs.add(job, personId);
}

/**
 * Queues reading the folders whose time has come, of drives that this process sees; each is taken by one process only, also when reading it fails.
 * Returns how many.
 */
export async function readAgainWhatIsDue(app: AppContext): Promise<number> {
  const due = await app.db
    .select({ folder: folders, drive: drives })
    .from(folders)
    .innerJoin(drives, eq(drives.id, folders.driveId))
    .where(and(isNull(drives.retiredAt), IS_DUE));
  let queued = 0;
  for (const { folder, drive } of due) {
    if (app.roots.rootOf(drive.rootPath) === undefined || !(await driveIsHere(drive))) continue;
    const mine = await app.db
      .update(folders)
      .set({ lastReadAt: new Date() })
      .where(and(eq(folders.id, folder.id), IS_DUE))
      .returning({ id: folders.id });
    if (mine.length === 0) continue;
    await readAgain(app, folder.id, folder.addedBy);
    queued += 1;
  }
  return queued;
}

const IS_DUE = sql`${folders.rereadMinutes} is not null
  and coalesce(${folders.lastReadAt}, '-infinity') + make_interval(mins => ${folders.rereadMinutes}) <= now()`;

const CHUNK = 1000;

/** Whether somebody may look at a folder on disk, by its real path: not at one of a collection in which they are not. */
export async function placesSeen(app: Pick<AppContext, 'db'>, sight: Sight): Promise<(place: string) => boolean> {
  if (sight === 'all') return () => true;
  const rows = await app.db
    .select({ root: drives.rootPath, path: folders.path, collectionId: folders.collectionId })
    .from(folders)
    .innerJoin(drives, eq(drives.id, folders.driveId));
  const all = rows.map(({ root, path, collectionId }) => ({
    path: path === '' ? root : `${root}/${path}`,
    collectionId,
  }));
  return (place) => {
    const above = deepestAbove(all, place);
    return (
      !above ||
      sees(sight, above.collectionId) ||
      all.some((each) => isInFolder(each.path, place) && sees(sight, each.collectionId))
    );
  };
}

/** What reading a folder would find, by names, sizes and times alone; nothing is recorded. */
export async function countIntake(app: AppContext, given: string, sight: Sight) {
  const real = await app.roots.checkedFolder(given.trim());
  const known = (await app.db.select().from(drives)).find(
    (drive) => real === drive.rootPath || real.startsWith(`${drive.rootPath}/`),
  );
  const root = known?.rootPath ?? real;
  const folder = real === root ? '' : real.slice(root.length + 1);
  if (known) refuseForeign(await app.db.select().from(folders).where(eq(folders.driveId, known.id)), folder, sight);
  const files = filesOf(app, { rootPath: root, name: known?.name ?? root });
  const isExcluded = known ? (await patternsFor(app, known.id, folder)).isExcluded : () => false;
  const counts = { files: 0, sizeBytes: 0, same: 0, newOrChanged: 0, faults: 0, otherAudio: 0 };
  let chunk: Extract<WalkEntry, { kind: 'file' }>[] = [];
  const compare = async (): Promise<void> => {
    const same = known ? await countSame(app, known.id, chunk) : 0;
    counts.same += same;
    counts.newOrChanged += chunk.length - same;
    chunk = [];
  };
  const list = (tasks: FolderTask[]): Promise<FolderResult[]> => app.workers.listFolders(tasks);
  for await (const { entries, others } of walkFolders(files.root, folder, { isExcluded, list })) {
    counts.otherAudio += others.filter((name) => otherAudioByName(name) !== undefined).length;
    for (const entry of entries) {
      if (entry.kind === 'fault') {
        counts.faults += 1;
        continue;
      }
      counts.files += 1;
      counts.sizeBytes += entry.stamp.sizeBytes;
      chunk.push(entry);
      if (chunk.length >= CHUNK) await compare();
    }
  }
  await compare();
  return counts;
}

async function countSame(
  app: AppContext,
  driveId: string,
  found: readonly Extract<WalkEntry, { kind: 'file' }>[],
): Promise<number> {
  if (found.length === 0) return 0;
  const rows = await app.db
    .select({
      folder: copies.folder,
      name: copies.name,
      sizeBytes: copies.sizeBytes,
      mtimeMs: copies.mtimeMs,
    })
    .from(copies)
    .where(
      and(
        eq(copies.driveId, driveId),
        inArray(copies.folder, [...new Set(found.map((file) => file.folder))]),
        inArray(copies.name, [...new Set(found.map((file) => file.name))]),
      ),
    );
  const known = new Map(rows.map((row) => [`${row.folder}/${row.name}`, row]));
  return found.filter(({ folder, name, stamp }) => {
    const copy = known.get(`${folder}/${name}`);
    return copy !== undefined && isUnchanged(copy, stamp);
  }).length;
}

/** What is left out of a folder: the patterns of every read folder at or above it, and those in words. */
export async function patternsFor(app: AppContext, driveId: string, folder: string) {
  const rows = await app.db.select().from(folders).where(eq(folders.driveId, driveId)).orderBy(folders.path);
  const patterns = rows.filter(({ path, exclude }) => exclude.length > 0 && isInFolder(folder, path));
  const tests = patterns.map(({ path, exclude }) => pathMatcher(path, exclude));
  return {
    isExcluded: (path: string): boolean => tests.some((test) => test(path)),
    seed: JSON.stringify(patterns.map(({ path, exclude }) => [path, exclude])),
  };
}
