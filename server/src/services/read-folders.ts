import { AppError } from '@flagstone/core/errors';
import type { ReadFolder } from '@flagstone/contract/api';
import type { Job } from '@flagstone/contract/jobs';
import { and, eq, inArray, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { copies, drives, folders } from '../db/schema.ts';
import { excludedBy } from '../drives/exclusions.ts';
import { walk, type WalkEntry } from '../drives/walk.ts';
import type { NewJob } from '../jobs/job-queue.ts';
import { batchOfFolder } from './batches.ts';
import { filesOf } from './drives.ts';

/** The folders that were read, by drive and path. */
export async function listReadFolders(app: AppContext, id?: number): Promise<ReadFolder[]> {
  const { rows } = await app.db.execute<{
    id: number;
    drive_id: string;
    drive_name: string;
    path: string;
    files: number;
    watched: boolean;
    exclude: string[];
  }>(sql`
    select f.id, f.drive_id, d.name as drive_name, f.path, f.watched, f.exclude, (
      select count(*) from copies c where c.drive_id = f.drive_id and not c.gone
      and (f.path = '' or c.folder = f.path or starts_with(c.folder, f.path || '/'))) as files
    from folders f join drives d on d.id = f.drive_id
    where d.retired_at is null and ${id === undefined ? sql`true` : sql`f.id = ${id}`} order by d.name, f.path`);
  return rows.map((row) => ({
    id: row.id,
    driveId: row.drive_id,
    driveName: row.drive_name,
    path: row.path,
    files: row.files,
    watched: row.watched,
    exclude: row.exclude,
  }));
}

/** Has a folder watched or not, and sets what is left out of it. Throws NOT_FOUND. */
export async function updateReadFolder(
  app: AppContext,
  id: number,
  change: { watched?: boolean | undefined; exclude?: string[] | undefined },
): Promise<ReadFolder> {
  const set = {
    ...(change.watched === undefined ? {} : { watched: change.watched }),
    ...(change.exclude === undefined ? {} : { exclude: change.exclude }),
  };
  if (Object.keys(set).length > 0) await app.db.update(folders).set(set).where(eq(folders.id, id));
  const [folder] = await listReadFolders(app, id);
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
  };
  return app.jobs.add(job, personId);
}

const CHUNK = 1000;

/** What reading a folder would find, by names, sizes and times alone; nothing is recorded. */
export async function countIntake(app: AppContext, given: string) {
  const real = await app.roots.checkedFolder(given.trim());
  const known = (await app.db.select().from(drives)).find(
    (drive) => real === drive.rootPath || real.startsWith(`${drive.rootPath}/`),
  );
  const root = known?.rootPath ?? real;
  const folder = real === root ? '' : real.slice(root.length + 1);
  const files = filesOf(app, { rootPath: root, name: known?.name ?? root });
  const patterns = known ? await patternsFor(app, known.id, folder) : () => false;
  const counts = { files: 0, sizeBytes: 0, same: 0, newOrChanged: 0, faults: 0 };
  let chunk: Extract<WalkEntry, { kind: 'file' }>[] = [];
  const compare = async (): Promise<void> => {
    const same = known ? await countSame(app, known.id, chunk) : 0;
    counts.same += same;
    counts.newOrChanged += chunk.length - same;
    chunk = [];
  };
  for await (const entry of walk(files.root, folder, patterns)) {
    if (entry.kind === 'fault') {
      counts.faults += 1;
      continue;
    }
    counts.files += 1;
    counts.sizeBytes += entry.stamp.sizeBytes;
    chunk.push(entry);
    if (chunk.length >= CHUNK) await compare();
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
    return copy?.sizeBytes === stamp.sizeBytes && copy.mtimeMs === stamp.mtimeMs;
  }).length;
}

/** What is left out of a folder: the patterns of every read folder at or above it. */
export async function patternsFor(
  app: AppContext,
  driveId: string,
  folder: string,
): Promise<(path: string) => boolean> {
  const rows = await app.db.select().from(folders).where(eq(folders.driveId, driveId));
  const tests = rows
    .filter(
      ({ path, exclude }) => exclude.length > 0 && (path === '' || path === folder || folder.startsWith(`${path}/`)),
    )
    .map(({ path, exclude }) => excludedBy(path, exclude));
  return (path) => tests.some((test) => test(path));
}
