import { and, eq, inArray, sql } from 'drizzle-orm';
import { z } from 'zod';
import { AppError } from '@flagstone/core/errors';
import type { AppContext } from '../app-context.ts';
import { batchItems, copies, drives, folders, sounds } from '../db/schema.ts';
import type { DriveFiles } from '../drives/drive-files.ts';
import { walkFolders, type WalkEntry } from '../drives/walk.ts';
import { driveIsHere, filesOf } from '../services/drives.ts';
import { describeArrivals } from '../services/path-rules.ts';
import { patternsFor, readFolderFinder } from '../services/read-folders.ts';
import { idList, isBelow } from '../services/search.ts';
import { keepStamps, noteSame, stampsBelow, type FolderStamp } from './folder-stamps.ts';
import type { JobRun } from './job-queue.ts';
import { IdSet } from './id-set.ts';
import { InFlight } from './in-flight.ts';
import {
  emptyCounts,
  pathOf,
  writeChunk,
  type ChunkTarget,
  type FoundCounts,
  type FoundFile,
  type GoodFile,
  type KnownCopy,
} from './index-writer.ts';
import { measureNewSounds } from './measure-job.ts';
import { newestCopyId, recogniseMoves } from './moved-copies.ts';

const CHUNK = 256;
/** Chunks that are being read while others are being written. */
const READ_AHEAD = 3;
const GONE_PAGE = 10_000;
/** Unchanged folders that are noted together. */
const SAME_FOLDERS = 200;
/** Chunks that are written at once, so that the database works while the next one is made ready. */
const WRITERS = 2;

const payloadSchema = z.object({
  batchId: z.number(),
  driveId: z.string(),
  folder: z.string(),
  /** What is filed already and the same does not come into the batch. */
  onlyNew: z.boolean().default(false),
});
type Payload = z.infer<typeof payloadSchema>;

/**
 * Reads a folder of a drive into its batch: walks, passes over folders that are as they were, skips files whose size, time and inode are
 * known, reads the headers of the others in worker threads, and writes in chunks, each committed as it goes. Repeating it changes nothing, so
 * it can be cut short anywhere.
 */
export async function indexJob(app: AppContext, run: JobRun): Promise<void> {
  const payload = payloadSchema.parse(run.job.payload);
  const [drive] = await app.db.select().from(drives).where(eq(drives.id, payload.driveId));
  if (!drive) throw new AppError('NOT_FOUND', 'The drive of this batch is not known any more.');
  const files = filesOf(app, drive);
  if (!(await driveIsHere(drive)))
    throw new AppError('PATH_NOT_FOUND', `The drive “${drive.name}” is not mounted at ${drive.rootPath}.`);

  const seen = new IdSet();
  const { isExcluded, seed } = await patternsFor(app, drive.id, payload.folder);
  const known = await stampsBelow(app, drive.id, payload.folder);
  const newestBefore = await newestCopyId(app);
  const result = emptyCounts();
  run.setResult(result);
  let total = 0;
  let faults = 0;
  let chunk: WalkEntry[] = [];
  const unchanged = new Set<string>();
  const changed = new Map<string, FolderStamp>();
  const target = {
    ...payload,
    readFolderOf: await readFolderFinder(app, drive.id),
    // It is tried again at the next scan.
    onUnreadable: (folder: string) => changed.delete(folder),
  };
  const reading: Promise<() => Promise<void>>[] = [];
  const writing = new InFlight(WRITERS);
  const writeNext = async (): Promise<void> => {
    const write = await reading.shift();
    if (write) await writing.add(write());
  };
  const readNext = async (): Promise<void> => {
    await run.setTotal(total);
    reading.push(readChunk(app, files, target, chunk, run, result, seen));
    chunk = [];
    if (reading.length >= READ_AHEAD) await writeNext();
  };
  let same: string[] = [];
  const passSame = async (): Promise<void> => {
    await run.setTotal(total);
    const count = same.reduce((sum, folder) => sum + (known.get(folder)?.files ?? 0), 0);
    await noteSame(app.db, payload, same);
    result.same += count;
    same = [];
    await run.advance({ done: count });
  };
  const walked = walkFolders(files.root, payload.folder, {
    isExcluded,
    seed,
    stampOf: (folder) => known.get(folder)?.stamp,
    list: (tasks) => app.workers.listFolders(tasks),
  });
  try {
    for await (const { folder, stamp, isSame, entries } of walked) {
      if (isSame) {
        total += known.get(folder)?.files ?? 0;
        unchanged.add(folder);
        if (same.push(folder) >= SAME_FOLDERS) await passSame();
        continue;
      }
      total += entries.length;
      faults += entries.filter((entry) => entry.kind === 'fault').length;
      if (stamp !== '') changed.set(folder, { stamp, files: entries.length });
      for (const entry of entries) if (chunk.push(entry) >= CHUNK) await readNext();
    }
    if (chunk.length > 0) await readNext();
    if (same.length > 0) await passSame();
    while (reading.length > 0) await writeNext();
    await writing.done();
  } finally {
    await writing.settled();
    await Promise.allSettled(reading);
  }
  result.moved = await recogniseMoves(app, files, drive.id, newestBefore, () => driveIsHere(drive), seen);
  result.alreadyHeld -= result.moved;
  if (faults === 0 && (await driveIsHere(drive))) {
    const isKept = (copy: { id: number; folder: string; name: string }): boolean =>
      seen.has(copy.id) || isExcluded(pathOf(copy));
    result.gone = await markGone(app, payload, newestBefore, unchanged, isKept);
  }
  await keepStamps(app, drive.id, changed);
  const lastIndexedAt = new Date();
  await app.db.update(drives).set({ lastIndexedAt }).where(eq(drives.id, drive.id));
  const wasRead = and(eq(folders.driveId, drive.id), eq(folders.path, payload.folder));
  await app.db.update(folders).set({ lastReadAt: lastIndexedAt }).where(wasRead);
  const folderId = target.readFolderOf(payload.folder);
  if (result.new > 0)
    await describeArrivals(app, { batchId: payload.batchId, folderId }, run.job.personId).catch((error: unknown) => {
      // The files are read all the same; what went wrong stands with the job.
      if (!(error instanceof AppError)) throw error;
      run.note(error, payload.folder || drive.name);
    });
  await measureNewSounds(app);
}

/** Reads what is new or changed in a chunk; the returned function writes it, so that writing stays in order while reading runs ahead. */
async function readChunk(
  app: AppContext,
  files: DriveFiles,
  target: Payload & ChunkTarget & { onUnreadable: (folder: string) => unknown },
  chunk: WalkEntry[],
  run: JobRun,
  result: FoundCounts,
  seen: IdSet,
): Promise<() => Promise<void>> {
  const found = chunk.filter((entry) => entry.kind === 'file');
  const faults = chunk.filter((entry) => entry.kind === 'fault');
  const known = await knownCopies(app, target, found);
  for (const file of found) {
    const id = known.get(pathOf(file))?.id;
    if (id !== undefined) seen.add(id);
  }
  const isSame = (file: FoundFile): boolean => {
    const copy = known.get(pathOf(file));
    return (
      copy !== undefined &&
      copy.sizeBytes === file.stamp.sizeBytes &&
      copy.mtimeMs === file.stamp.mtimeMs &&
      copy.inode === file.stamp.inode
    );
  };
  const toRead = found.filter((file) => !isSame(file));
  const same = found.filter(isSame);
  const headers =
    toRead.length === 0
      ? []
      : await app.workers.readHeaders(toRead.map((file) => files.absolute(file.folder, file.name)));
  return async () => {
    const good: GoodFile[] = [];
    headers.forEach((header, index) => {
      const file = toRead[index];
      if (!file) return;
      if (header.ok) good.push({ ...file, header });
      else
        faults.push({
          kind: 'fault',
          folder: file.folder,
          name: file.name,
          error: new AppError(header.code, header.message),
        });
    });
    result.same += same.length;
    // Of files that are the same, only those are written of which the database says otherwise.
    const toNote = same.filter((file) => {
      const copy = known.get(pathOf(file));
      if (target.onlyNew && copy?.filed && !copy.gone && copy.found === null) return false;
      return copy?.gone !== false || copy.found !== 'same';
    });
    if (good.length + toNote.length + faults.length > 0)
      await app.db.transaction((tx) =>
        writeChunk(app, tx, target, { good, same: toNote, faults, known, personId: run.job.personId }, result),
      );
    for (const { folder, name, error } of faults) {
      target.onUnreadable(folder);
      run.note(error, folder === '' ? name : `${folder}/${name}`);
    }
    await run.advance({ done: good.length + same.length, failed: faults.length });
  };
}

async function knownCopies(app: AppContext, payload: Payload, found: FoundFile[]): Promise<Map<string, KnownCopy>> {
  if (found.length === 0) return new Map();
  const names = [...new Set(found.map((file) => file.name))];
  const folders = [...new Set(found.map((file) => file.folder))];
  const { id, folder, name, sizeBytes, mtimeMs, inode, gone } = copies;
  const filed = sql<boolean>`${sounds.filedAt} is not null`;
  const rows = await app.db
    .select({ id, folder, name, sizeBytes, mtimeMs, inode, gone, filed, found: batchItems.found })
    .from(copies)
    .innerJoin(sounds, eq(sounds.id, copies.soundId))
    .leftJoin(batchItems, and(eq(batchItems.copyId, copies.id), eq(batchItems.batchId, payload.batchId)))
    .where(and(eq(copies.driveId, payload.driveId), inArray(folder, folders), inArray(name, names)));
  return new Map(rows.map((row) => [pathOf(row), row]));
}

/**
 * Copies of the folder that were known before this scan and that it did not meet are gone: the drive is here, the file is not. Nothing is
 * removed. Returns how many.
 */
async function markGone(
  app: AppContext,
  { driveId, folder }: Payload,
  newestBefore: number,
  unchanged: ReadonlySet<string>,
  isKept: (copy: { id: number; folder: string; name: string }) => boolean,
): Promise<number> {
  let gone = 0;
  for (let after = 0; ;) {
    const { rows } = await app.db.execute<{ id: number; folder: string; name: string }>(sql`
      select id, folder, name from copies where drive_id = ${driveId} and id > ${after} and id <= ${newestBefore} and not gone
      and ${isBelow(sql`folder`, folder)} and folder <> all(${sql.param([...unchanged])}::text[]) order by id limit ${GONE_PAGE}`);
    const missing = rows.filter((copy) => !isKept(copy)).map(({ id }) => id);
    if (missing.length > 0)
      await app.db
        .update(copies)
        .set({ gone: true })
        .where(sql`${copies.id} = any(${idList(missing)})`);
    gone += missing.length;
    const last = rows.at(-1);
    if (!last || rows.length < GONE_PAGE) return gone;
    after = last.id;
  }
}
