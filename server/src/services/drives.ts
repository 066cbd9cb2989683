import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import type { Drive } from '@flagstone/contract/api';
import { and, eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { drives, folders } from '../db/schema.ts';
import { DriveFiles } from '../drives/drive-files.ts';
import { isWithin } from '../drives/roots.ts';

type DriveRow = typeof drives.$inferSelect;

/** A folder on a drive, as a person's path is understood. */
export interface DriveFolder {
  drive: DriveRow;
  /** Below the drive's root, `/` between parts. */
  folder: string;
}

/**
 * The drive that holds a real path, made when there is none yet: its root is then the highest folder on the same file system that still
 * lies within an allowed root.
 */
export async function driveFolderOf(app: AppContext, realPath: string): Promise<DriveFolder> {
  const known = (await app.db.select().from(drives)).filter((drive) => isWithin(drive.rootPath, realPath));
  const deepest = known.sort((a, b) => b.rootPath.length - a.rootPath.length)[0];
  const drive = deepest ?? (await addDrive(app, await app.roots.fileSystemRoot(realPath)));
  return { drive, folder: path.relative(drive.rootPath, realPath).split(path.sep).join('/') };
}

/** Makes a drive known by its root folder; one with that root is returned as it is. */
export async function addDrive(app: Pick<AppContext, 'db'>, rootPath: string): Promise<DriveRow> {
  await app.db
    .insert(drives)
    .values({ name: path.basename(rootPath) || rootPath, identity: `path:${rootPath}`, rootPath })
    .onConflictDoNothing();
  const [drive] = await app.db
    .select()
    .from(drives)
    .where(eq(drives.identity, `path:${rootPath}`));
  if (!drive) throw new AppError('INTERNAL', `The drive at ${rootPath} could not be recorded.`);
  return drive;
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

/** The folder's row of its drive, made when it is new. */
export async function rememberFolder(
  app: AppContext,
  { drive, folder }: DriveFolder,
  personId: number,
): Promise<number> {
  await app.db
    .insert(folders)
    .values({ driveId: drive.id, path: folder, collectionId: 1, addedBy: personId })
    .onConflictDoNothing();
  const [row] = await app.db
    .select({ id: folders.id })
    .from(folders)
    .where(and(eq(folders.driveId, drive.id), eq(folders.path, folder)));
  if (!row) throw new AppError('INTERNAL', `The folder ${folder} could not be recorded.`);
  return row.id;
}

export async function listDrives(app: AppContext): Promise<Drive[]> {
  const { rows } = await app.db.execute<{
    id: string;
    name: string;
    root_path: string;
    last_indexed_at: Date | null;
    copies: number;
    size: number;
  }>(sql`
    select d.id, d.name, d.root_path, d.last_indexed_at, count(c.id) as copies, coalesce(sum(c.size_bytes), 0)::bigint as size
    from drives d left join copies c on c.drive_id = d.id and not c.gone group by d.id order by d.name`);
  return Promise.all(
    rows.map(async (row) => {
      const files = new DriveFiles(row.root_path);
      const here = await files.isHere();
      return {
        id: row.id,
        name: row.name,
        rootPath: row.root_path,
        state: !here ? ('away' as const) : (await files.isWritable()) ? ('here' as const) : ('readOnly' as const),
        copies: row.copies,
        sizeBytes: row.size,
        lastIndexedAt: row.last_indexed_at ? new Date(row.last_indexed_at).toISOString() : null,
      };
    }),
  );
}
