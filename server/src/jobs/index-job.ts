import { and, eq, inArray, sql } from 'drizzle-orm';
import { z } from 'zod';
import { AppError } from '@flagstone/core/errors';
import type { AppContext } from '../app-context.ts';
import { batchItems, copies, drives, folders, sounds } from '../db/schema.ts';
import type { DriveFiles } from '../drives/drive-files.ts';
import { walk, type WalkEntry } from '../drives/walk.ts';
import { driveIsHere, filesOf } from '../services/drives.ts';
import { patternsFor, readFolderFinder } from '../services/read-folders.ts';
import { idList } from '../services/search.ts';
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
 * Reads a folder of a drive into its batch: walks, skips files whose size, time and inode are known, reads the headers of the others in
 * worker threads, and writes in chunks, each committed as it goes. Repeating it changes nothing, so it can be cut short anywhere.
 */
export async function indexJob(app: AppContext, run: JobRun): Promise<void> {
  const payload = payloadSchema.parse(run.job.payload);
  const [drive] = await app.db.select().from(drives).where(eq(drives.id, payload.driveId));
  if (!drive) throw new AppError('NOT_FOUND', 'The drive of this batch is not known any more.');
  const files = filesOf(app, drive);
  if (!(await driveIsHere(drive)))
    throw new AppError('PATH_NOT_FOUND', `The drive “${drive.name}” is not mounted at ${drive.rootPath}.`);

  const seen = new IdSet();
  const isExcluded = await patternsFor(app, drive.id, payload.folder);
  const target = { ...payload, readFolderOf: await readFolderFinder(app, drive.id) };
  const newestBefore = await newestCopyId(app);
  const result = emptyCounts();
  run.setResult(result);
  let total = 0;
  let faults = 0;
  const reading: Promise<() => Promise<void>>[] = [];
  const writing = new InFlight(WRITERS);
  const writeNext = async (): Promise<void> => {
    const write = await reading.shift();
    if (write) await writing.add(write());
  };
  try {
    for await (const chunk of chunked(walk(files.root, payload.folder, isExcluded))) {
      total += chunk.length;
      faults += chunk.filter((entry) => entry.kind === 'fault').length;
      await run.setTotal(total);
      reading.push(readChunk(app, files, target, chunk, run, result, seen));
      if (reading.length >= READ_AHEAD) await writeNext();
    }
    while (reading.length > 0) await writeNext();
    await writing.done();
  } finally {
    await writing.settled();
    await Promise.allSettled(reading);
  }
  result.moved = await recogniseMoves(app, files, drive.id, newestBefore, () => driveIsHere(drive), seen);
  result.alreadyHeld -= result.moved;
  if (faults === 0 && (await driveIsHere(drive)))
    result.gone = await markGone(app, payload, newestBefore, (copy) => seen.has(copy.id) || isExcluded(pathOf(copy)));
  const lastIndexedAt = new Date();
  await app.db.update(drives).set({ lastIndexedAt }).where(eq(drives.id, drive.id));
  const wasRead = and(eq(folders.driveId, drive.id), eq(folders.path, payload.folder));
  await app.db.update(folders).set({ lastReadAt: lastIndexedAt }).where(wasRead);
  await measureNewSounds(app);
}

async function* chunked(entries: AsyncIterable<WalkEntry>): AsyncGenerator<WalkEntry[]> {
  let chunk: WalkEntry[] = [];
  for await (const entry of entries) {
    chunk.push(entry);
    if (chunk.length < CHUNK) continue;
    yield chunk;
    chunk = [];
  }
  if (chunk.length > 0) yield chunk;
}

/** Reads what is new or changed in a chunk; the returned function writes it, so that writing stays in order while reading runs ahead. */
async function readChunk(
  app: AppContext,
  files: DriveFiles,
  target: Payload & ChunkTarget,
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
    for (const { folder, name, error } of faults) run.note(error, folder === '' ? name : `${folder}/${name}`);
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
  isKept: (copy: { id: number; folder: string; name: string }) => boolean,
): Promise<number> {
  let gone = 0;
  for (let after = 0; ;) {
    const { rows } = await app.db.execute<{ id: number; folder: string; name: string }>(sql`
      select id, folder, name from copies where drive_id = ${driveId} and id > ${after} and id <= ${newestBefore} and not gone
      and (${folder} = '' or folder = ${folder} or starts_with(folder, ${folder} || '/')) order by id limit ${GONE_PAGE}`);
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
