import { stat } from 'node:fs/promises';
import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import type { Drive } from '@flagstone/contract/api';
import { eq, sql } from 'drizzle-orm';
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
  const drive = deepest ?? (await addDrive(app, await fileSystemRoot(app, realPath)));
  return { drive, folder: path.relative(drive.rootPath, realPath).split(path.sep).join('/') };
}

async function fileSystemRoot(app: AppContext, realPath: string): Promise<string> {
  const allowed = app.roots.rootOf(realPath) ?? realPath;
  const device = (await stat(realPath)).dev;
  let root = realPath;
  while (root !== allowed) {
    const parent = path.dirname(root);
    if (!isWithin(allowed, parent) || (await stat(parent)).dev !== device) break;
    root = parent;
  }
  return root;
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
  const rows = await app.db.select().from(folders).where(eq(folders.driveId, drive.id));
  const row = rows.find((candidate) => candidate.path === folder);
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
