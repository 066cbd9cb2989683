import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import type { Drive } from '@flagstone/contract/drives';
import type { ProofTimes } from '@flagstone/contract/proof';
import { and, eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import { copyIsSeen, driveIsSeen } from '../rights/seen.ts';
import { copies, drives } from '../db/schema.ts';
import { DriveFiles } from '../disk/drive-files.ts';
import { markedFolder, readMarker, writeMarker } from '../disk/drive-marker.ts';
import { fileSystemIdentity } from '../disk/file-system-identity.ts';
import { isWithin } from '../disk/roots.ts';

type DriveRow = typeof drives.$inferSelect;

/** A folder on a drive, as a person's path is understood. */
export interface DriveFolder {
  drive: DriveRow;
  /** Below the drive's root, `/` between parts. */
  folder: string;
}

/** Identities by marker begin so; those of drives that the account may not write to are their file system, or else only the path. */
const BY_MARKER = 'marker:';
const BY_FILE_SYSTEM = 'fileSystem:';
const BY_PATH = 'path:';

/** The identity of a root that shows no marker and takes none. */
async function identityWithoutMarker(rootPath: string): Promise<string> {
  const fileSystem = await fileSystemIdentity(rootPath);
  return fileSystem === undefined ? `${BY_PATH}${rootPath}` : `${BY_FILE_SYSTEM}${fileSystem}`;
}

function knownBy(identity: string): Drive['knownBy'] {
  if (identity.startsWith(BY_MARKER)) return 'marker';
  return identity.startsWith(BY_FILE_SYSTEM) ? 'fileSystem' : 'path';
}

/**
 * Whether a drive is where it was last: its root shows its marker. One without a marker has to show anything at all, since an empty folder
 * is where nothing is mounted.
 */
export function driveIsHere(drive: Pick<DriveRow, 'rootPath' | 'identity'>): Promise<boolean> {
  return answersInTime(`${drive.rootPath}\0${drive.identity}`, () => isHere(drive));
}

/** A drive that says nothing for so long is away; whoever asks meanwhile is told so at once. */
const ANSWERS_WITHIN_MS = 2000;
/** Probes of drives that did not answer: a dead network mount blocks the thread that probes it, so there is one at most. */
const stalled = new Set<string>();

/** What a look at a drive says; false when it takes too long, or when one before it still waits for the drive. */
export async function answersInTime(key: string, look: () => Promise<boolean>): Promise<boolean> {
  if (stalled.has(key)) return false;
  let timer: NodeJS.Timeout | undefined;
  const looking = look();
  const late = new Promise<boolean>((resolve) => {
    timer = setTimeout(() => {
      stalled.add(key);
      void looking.catch(() => undefined).finally(() => stalled.delete(key));
      resolve(false);
    }, ANSWERS_WITHIN_MS);
  });
  return Promise.race([looking, late]).finally(() => clearTimeout(timer));
}

async function isHere({ rootPath, identity }: Pick<DriveRow, 'rootPath' | 'identity'>): Promise<boolean> {
  if (identity.startsWith(BY_MARKER)) return (await markerSeen(rootPath)) === identity.slice(BY_MARKER.length);
  const hasContent = await new DriveFiles(rootPath).holdsAnything();
  return hasContent && (identity.startsWith(BY_PATH) || (await fileSystemSeen(rootPath)) === identity);
}

/** The identity of a root without a marker, where it is only looked for: a disk that cannot say shows none. */
function fileSystemSeen(rootPath: string): Promise<string | undefined> {
  return identityWithoutMarker(rootPath).catch((error: NodeJS.ErrnoException) => {
    if (error.code === undefined) throw error;
    return undefined;
  });
}

/** The marker of a folder where one is only looked for: a disk that cannot say shows none. */
async function markerSeen(root: string): Promise<string | undefined> {
  return readMarker(root).catch((error: unknown) => {
    if (error instanceof AppError) return undefined;
    throw error;
  });
}

/**
 * The drive that holds a real path: its root is where a marker stands at or above the path, else where a drive is or was before, else the
 * highest folder on the same file system that still lies within an allowed root.
 */
export async function driveFolderOf(app: AppContext, realPath: string): Promise<DriveFolder> {
  const top = app.roots.rootOf(realPath) ?? realPath;
  const marked = await markedFolder(realPath, top);
  const drive = await addDrive(
    app,
    marked?.root ?? (await knownRootOf(app, realPath)) ?? (await app.roots.fileSystemRoot(realPath)),
  );
  return { drive, folder: path.relative(drive.rootPath, realPath).split(path.sep).join('/') };
}

/** The deepest place above a path where a drive is or was: another one may be mounted there now. */
async function knownRootOf(app: AppContext, realPath: string): Promise<string | undefined> {
  const known = (await app.db.select().from(drives)).filter((drive) => isWithin(drive.rootPath, realPath));
  return known.sort((a, b) => b.rootPath.length - a.rootPath.length)[0]?.rootPath;
}

/**
 * Makes a drive known by its root folder. A marker there that is known makes it that drive, come back elsewhere; where the old place still
 * shows the same marker, this one is a clone and gets a marker of its own. A drive without a marker gets one where that can be written.
 */
export async function addDrive(app: Pick<AppContext, 'db'>, rootPath: string): Promise<DriveRow> {
  const marker = await readMarker(rootPath);
  if (marker !== undefined) {
    const known = await driveBy(app, `${BY_MARKER}${marker}`);
    if (!known) return insertDrive(app, rootPath, `${BY_MARKER}${marker}`);
    if (known.rootPath === rootPath) return known.retiredAt === null ? known : takeBack(app, known);
    if ((await markerSeen(known.rootPath)) !== marker) return moveDrive(app, known, rootPath);
  }
  const lost = marker === undefined ? await driveThatLostItsMarker(app, rootPath) : undefined;
  if (lost) {
    await writeMarker(rootPath, lost.identity.slice(BY_MARKER.length));
    return lost;
  }
  const made = await writeMarker(rootPath);
  const unmarked = await identityWithoutMarker(rootPath);
  const known = (await driveBy(app, unmarked)) ?? (await driveBy(app, `${BY_PATH}${rootPath}`));
  const identity = made === undefined ? unmarked : `${BY_MARKER}${made}`;
  if (!known) return insertDrive(app, rootPath, identity);
  // It can be told better than before, or came back elsewhere.
  const better = { identity, rootPath };
  await app.db.update(drives).set(better).where(eq(drives.id, known.id));
  return { ...known, ...better };
}

/** What a person changes of a drive. */
export interface DriveChange {
  name?: string | undefined;
  rootPath?: string | undefined;
  retired?: boolean | undefined;
  proof?: ProofTimes | null | undefined;
}

/**
 * Names a drive anew, tells where it is mounted now, retires it or takes it back. Throws NOT_FOUND, DRIVE_DIFFERS for a place that holds
 * something else, and what AllowedRoots.checkedFolder throws.
 */
export async function updateDrive(app: AppContext, id: string, change: DriveChange): Promise<void> {
  const [drive] = await app.db.select().from(drives).where(eq(drives.id, id));
  if (!drive) throw new AppError('NOT_FOUND', 'There is no such drive.');
  const moved = change.rootPath === undefined ? undefined : await checkedRoot(app, drive, change.rootPath);
  const set = {
    ...(change.name === undefined ? {} : { name: change.name }),
    ...(moved === undefined ? {} : { rootPath: moved }),
    ...(change.proof === undefined ? {} : { proof: change.proof }),
    ...(change.retired === undefined ? {} : { retiredAt: change.retired ? new Date() : null }),
  };
  if (Object.keys(set).length > 0) await app.db.update(drives).set(set).where(eq(drives.id, id));
}

/** The real path of a folder, when it shows the drive's marker or, without any marker, most of its files. */
async function checkedRoot(app: AppContext, drive: DriveRow, given: string): Promise<string> {
  const root = await app.roots.checkedFolder(given.trim());
  const marker = await readMarker(root);
  const isIt = marker === undefined ? await holdsFilesOf(app, drive, root) : drive.identity === `${BY_MARKER}${marker}`;
  if (!isIt) throw new AppError('DRIVE_DIFFERS', `${root} does not hold the drive “${drive.name}”.`);
  if (marker === undefined && drive.identity.startsWith(BY_MARKER))
    await writeMarker(root, drive.identity.slice(BY_MARKER.length));
  return root;
}

/** Copies that are looked at to tell whether a drive without its marker is the one that was here. */
const SAMPLE = 40;

/** The drive that was at a path, when somebody removed its marker: most of its files are still there with their sizes. */
async function driveThatLostItsMarker(app: Pick<AppContext, 'db'>, rootPath: string): Promise<DriveRow | undefined> {
  const there = await app.db.select().from(drives).where(eq(drives.rootPath, rootPath));
  for (const drive of there.filter(({ identity }) => identity.startsWith(BY_MARKER)))
    if (await holdsFilesOf(app, drive, rootPath)) return drive;
  return undefined;
}

/** Whether most of a drive's files stand below a folder, with their sizes; false for a drive of which no file is known. */
async function holdsFilesOf(app: Pick<AppContext, 'db'>, drive: DriveRow, root: string): Promise<boolean> {
  const files = new DriveFiles(root);
  const sample = await app.db
    .select({ folder: copies.folder, name: copies.name, sizeBytes: copies.sizeBytes })
    .from(copies)
    .where(and(eq(copies.driveId, drive.id), eq(copies.gone, false)))
    .orderBy(copies.id)
    .limit(SAMPLE);
  const same = await Promise.all(
    sample.map(({ folder, name, sizeBytes }) =>
      files.stampOf(folder, name).then(
        (stamp) => stamp.sizeBytes === sizeBytes,
        () => false,
      ),
    ),
  );
  return same.filter(Boolean).length * 2 > sample.length;
}

async function driveBy(app: Pick<AppContext, 'db'>, identity: string): Promise<DriveRow | undefined> {
  const [drive] = await app.db.select().from(drives).where(eq(drives.identity, identity));
  return drive;
}

async function insertDrive(app: Pick<AppContext, 'db'>, rootPath: string, identity: string): Promise<DriveRow> {
  await app.db
    .insert(drives)
    .values({ name: path.basename(rootPath) || rootPath, identity, rootPath })
    .onConflictDoNothing();
  const drive = await driveBy(app, identity);
  if (!drive) throw new AppError('INTERNAL', `The drive at ${rootPath} could not be recorded.`);
  return drive;
}

/** A retired drive on which a folder is read is in use again. */
async function takeBack(app: Pick<AppContext, 'db'>, drive: DriveRow): Promise<DriveRow> {
  await app.db.update(drives).set({ retiredAt: null }).where(eq(drives.id, drive.id));
  return { ...drive, retiredAt: null };
}

async function moveDrive(app: Pick<AppContext, 'db'>, drive: DriveRow, rootPath: string): Promise<DriveRow> {
  await app.db.update(drives).set({ rootPath }).where(eq(drives.id, drive.id));
  return { ...drive, rootPath };
}

/**
 * Finds drives again that are not where they were: looks for their markers, or their file systems, in the allowed roots and in the folders
 * directly below them.
 * Nothing is read again; their copies are simply there. Returns how many came back.
 */
export async function reconnectDrives(app: AppContext): Promise<number> {
  const missing: DriveRow[] = [];
  for (const drive of await app.db.select().from(drives))
    if (drive.retiredAt === null && !drive.identity.startsWith(BY_PATH) && !(await driveIsHere(drive)))
      missing.push(drive);
  if (missing.length === 0) return 0;
  let found = 0;
  for (const folder of await app.roots.likelyMounts()) {
    const marker = await markerSeen(folder);
    const shown = marker === undefined ? await fileSystemSeen(folder) : `${BY_MARKER}${marker}`;
    const drive = missing.find(({ identity }) => identity === shown);
    if (!drive) continue;
    await moveDrive(app, drive, folder);
    missing.splice(missing.indexOf(drive), 1);
    found += 1;
  }
  return found;
}

/** Whether this process sees the drives that lanes of jobs name (with their ids at the end) and may use them. */
export async function seesDrives(app: Pick<AppContext, 'db' | 'roots'>, lanes: readonly string[]): Promise<boolean> {
  const ids = new Set(lanes.map((lane) => lane.slice(lane.lastIndexOf(' ') + 1)));
  const concerned = (await app.db.select().from(drives)).filter(({ id }) => ids.has(id));
  const here = await Promise.all(
    concerned.map(async (drive) => app.roots.rootOf(drive.rootPath) !== undefined && (await driveIsHere(drive))),
  );
  return here.every(Boolean);
}

/** The files of a drive. Throws PATH_OUTSIDE_ROOTS when its root is not among those allowed at this start. */
export function filesOf(app: Pick<AppContext, 'roots'>, drive: Pick<DriveRow, 'rootPath' | 'name'>): DriveFiles {
  if (app.roots.rootOf(drive.rootPath) === undefined) {
    throw new AppError(
      'PATH_OUTSIDE_ROOTS',
      `The drive “${drive.name}” at ${drive.rootPath} is not among the roots allowed at this start.`,
    );
  }
  return new DriveFiles(drive.rootPath);
}

/** The drives that hold something that is seen, with their state now and what of them is seen; those that came back elsewhere are found first. */
export async function listDrives(app: AppContext, sight: Sight): Promise<Drive[]> {
  await reconnectDrives(app);
  const { rows } = await app.db.execute<{
    id: string;
    name: string;
    root_path: string;
    identity: string;
    last_indexed_at: Date | null;
    retired: boolean;
    copies: number;
    size: number;
    proof: ProofTimes | null;
  }>(sql`
    select d.id, d.name, d.root_path, d.identity, d.last_indexed_at, d.retired_at is not null as retired, d.proof, count(c.id) as copies, coalesce(sum(c.size_bytes), 0)::bigint as size
    from drives d left join copies c on c.drive_id = d.id and not c.gone and ${copyIsSeen(sight)}
    where ${driveIsSeen(sight, sql`d.id`)} group by d.id order by d.name`);
  return Promise.all(
    rows.map(async (row) => {
      const files = new DriveFiles(row.root_path);
      const here = await driveIsHere({ rootPath: row.root_path, identity: row.identity });
      const space = here ? await files.space() : undefined;
      return {
        id: row.id,
        name: row.name,
        rootPath: row.root_path,
        state: !here ? ('away' as const) : (await files.isWritable()) ? ('here' as const) : ('readOnly' as const),
        copies: row.copies,
        knownBy: knownBy(row.identity),
        capacityBytes: space?.capacityBytes ?? null,
        freeBytes: space?.freeBytes ?? null,
        sizeBytes: row.size,
        retired: row.retired,
        proof: row.proof,
        lastIndexedAt: row.last_indexed_at ? new Date(row.last_indexed_at).toISOString() : null,
      };
    }),
  );
}
