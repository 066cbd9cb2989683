import { DIGEST_VERSION } from '@flagstone/core/audio/digest';
import type { FOUND } from '@flagstone/contract/selection';
import { differingFields, filledFields, type SoundRecord } from '@flagstone/core/record/fields';
import { recordFromFile } from '@flagstone/core/record/from-file';
import { fieldsNotCarried } from '@flagstone/core/record/in-step';
import { and, eq, inArray, sql } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import type { Transaction } from '../db/connect.ts';
import { bulkInsert } from '../db/bulk-insert.ts';
import { batchItems, copies, drives, records, sounds, unreadable } from '../db/schema.ts';
import type { DriveFiles } from '../drives/drive-files.ts';
import type { HeaderResult } from '../drives/header-worker.ts';
import { walk, type WalkEntry } from '../drives/walk.ts';
import { driveIsHere, filesOf } from '../services/drives.ts';
import { patternsFor } from '../services/read-folders.ts';
import { idList, refreshSearch } from '../services/search.ts';
import { AppError } from '@flagstone/core/errors';
import type { JobRun } from './job-queue.ts';
import { IdSet } from './id-set.ts';
import { InFlight } from './in-flight.ts';
import { measureNewSounds } from './measure-job.ts';
import { newestCopyId, recogniseMoves } from './moved-copies.ts';

type FoundFile = Extract<WalkEntry, { kind: 'file' }>;
type Fault = Extract<WalkEntry, { kind: 'fault' }>;
type CopyRow = typeof copies.$inferSelect;
type RevisedRecord = SoundRecord & { revision: number };
type ReadFile = FoundFile & { header: Extract<HeaderResult, { ok: true }>; soundId: number };

/** What a file that is read again replaces in its row. */
const COPY_COLUMNS = [
  'sound_id',
  'size_bytes',
  'mtime_ms',
  'inode',
  'container',
  'gone',
  'cleared_at',
  'carries_revision',
  'changed_outside',
  'in_file',
  'issues',
  'disagreeing',
  'full_digest',
  'indexed_at',
];
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

/** What a reading finds a file to be; one that moved is known only at the end, see moved-copies.ts. */
type Found = Exclude<(typeof FOUND)[number], 'moved'>;
interface BatchItem {
  id: number;
  found: Found;
}

const pathOf = ({ folder, name }: { folder: string; name: string }): string =>
  folder === '' ? name : `${folder}/${name}`;

/** Counts of a scan, kept with the job. */
const emptyResult = { new: 0, moved: 0, changedOutside: 0, same: 0, alreadyHeld: 0, unreadable: 0, gone: 0 };

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
  const newestBefore = await newestCopyId(app);
  const result = { ...emptyResult };
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
      reading.push(readChunk(app, files, payload, chunk, run, result, seen));
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
  await app.db.update(drives).set({ lastIndexedAt: new Date() }).where(eq(drives.id, drive.id));
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
  payload: Payload,
  chunk: WalkEntry[],
  run: JobRun,
  result: typeof emptyResult,
  seen: IdSet,
): Promise<() => Promise<void>> {
  const found = chunk.filter((entry) => entry.kind === 'file');
  const faults = chunk.filter((entry) => entry.kind === 'fault');
  const known = await knownCopies(app, payload, found);
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
    const good: (FoundFile & { header: Extract<HeaderResult, { ok: true }> })[] = [];
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
      if (payload.onlyNew && copy?.filed && !copy.gone && copy.found === null) return false;
      return copy?.gone !== false || copy.found !== 'same';
    });
    if (good.length + toNote.length + faults.length > 0)
      await app.db.transaction((tx) =>
        writeChunk(app, tx, payload, { good, same: toNote, faults, known, personId: run.job.personId }, result),
      );
    for (const { folder, name, error } of faults) run.note(error, folder === '' ? name : `${folder}/${name}`);
    await run.advance({ done: good.length + same.length, failed: faults.length });
  };
}

/** What tells whether a file is the same, and how it stands in the batch. */
interface KnownCopy {
  id: number;
  sizeBytes: number;
  mtimeMs: number;
  inode: string;
  gone: boolean;
  filed: boolean;
  found: string | null;
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

interface ChunkToWrite {
  good: (FoundFile & { header: Extract<HeaderResult, { ok: true }> })[];
  same: FoundFile[];
  faults: Fault[];
  known: Map<string, KnownCopy>;
  personId: number;
}

async function writeChunk(
  app: AppContext,
  tx: Transaction,
  payload: Payload,
  chunk: ChunkToWrite,
  result: typeof emptyResult,
): Promise<void> {
  const { good, same, faults, known } = chunk;
  const { files: readFiles, newRecords } = await findSounds(app, tx, good, chunk.personId);
  const soundIds = [...new Set(readFiles.map((file) => file.soundId))];
  const heldIds = soundIds.filter((id) => !newRecords.has(id));
  const recordRows =
    heldIds.length === 0 ? [] : await tx.select().from(records).where(inArray(records.soundId, heldIds));
  const recordOf = new Map<number, RevisedRecord>([
    ...newRecords,
    ...recordRows.map((row) => [row.soundId, row] as const),
  ]);
  const earlierIds = readFiles.flatMap((file) => known.get(pathOf(file))?.id ?? []);
  const earlierRows =
    earlierIds.length === 0
      ? []
      : await tx
          .select()
          .from(copies)
          .where(sql`${copies.id} = any(${idList(earlierIds)})`);
  const earlierAt = new Map(earlierRows.map((row) => [pathOf(row), row]));
  const copyRows = readFiles.flatMap((file) => {
    const record = recordOf.get(file.soundId);
    const earlier = earlierAt.get(pathOf(file));
    return record ? [copyRow(payload, file, record, earlier)] : [];
  });
  result.unreadable += faults.length;
  const met = new Set<number>();
  const foundOf = (file: ReadFile): Found => {
    const isFirst = newRecords.has(file.soundId) && !met.has(file.soundId);
    met.add(file.soundId);
    if (known.has(pathOf(file))) return 'changedOutside';
    return isFirst ? 'new' : 'alreadyHeld';
  };
  const found = new Map<string, Found>(readFiles.map((file) => [pathOf(file), foundOf(file)]));
  for (const each of found.values()) result[each] += 1;

  const items = same.flatMap((file): BatchItem[] => {
    const id = known.get(pathOf(file))?.id;
    return id === undefined ? [] : [{ id, found: 'same' }];
  });
  if (copyRows.length > 0) {
    const updated = COPY_COLUMNS.map((column) => sql.raw(`"${column}" = excluded."${column}"`));
    const written = await tx.execute<{ id: number; folder: string; name: string }>(sql`
      ${bulkInsert(copies, copyRows)} on conflict on constraint copies_path do update set ${sql.join(updated, sql`, `)}
      returning id, folder, name`);
    items.push(...written.rows.map((row) => ({ id: row.id, found: found.get(pathOf(row)) ?? 'same' })));
    await refreshSearch(tx, heldIds);
  }
  if (same.length > 0)
    await tx
      .update(copies)
      .set({ gone: false, clearedAt: null })
      .where(sql`${copies.id} = any(${idList(items.map(({ id }) => id))})`);
  if (items.length > 0)
    await tx.execute(sql`
      insert into batch_items (batch_id, copy_id, found)
      select ${payload.batchId}::int, i.id, i.found from jsonb_to_recordset(${JSON.stringify(items)}::jsonb) as i(id bigint, found text)
      on conflict (batch_id, copy_id) do update set found = excluded.found where batch_items.found <> excluded.found`);
  await writeFaults(tx, payload, [...good, ...same], faults);
}

/** The sound of each file by its audio digest; sounds that are new get a record made from this file. */
async function findSounds(
  app: AppContext,
  tx: Transaction,
  good: ChunkToWrite['good'],
  personId: number,
): Promise<{ files: ReadFile[]; newRecords: Map<number, RevisedRecord> }> {
  if (good.length === 0) return { files: [], newRecords: new Map() };
  const firstByDigest = new Map(good.map((file) => [file.header.quickDigest, file] as const).reverse());
  // In the order of their digests: two chunks that bring the same sounds then wait for each other, and never both.
  const firsts = [...firstByDigest.values()].sort((a, b) => (a.header.quickDigest < b.header.quickDigest ? -1 : 1));
  const soundRows = firsts.map(({ header: { file, quickDigest } }) => ({
    quickDigest,
    digestVersion: DIGEST_VERSION,
    codec: file.facts.codec,
    sampleFormat: file.facts.sampleFormat,
    sampleRateHz: file.facts.sampleRateHz,
    bitDepth: file.facts.bitDepth,
    channels: file.facts.channels,
    channelMask: file.facts.channelMask ?? null,
    frames: file.facts.frames,
    durationSeconds: file.facts.durationSeconds,
    addedBy: personId,
    createdAt: new Date(),
  }));
  const { rows: made } = await tx.execute<{ id: number; quick_digest: string }>(
    sql`${bulkInsert(sounds, soundRows)} on conflict do nothing returning id, quick_digest`,
  );
  const idOf = new Map(made.map((row) => [row.quick_digest, row.id]));
  const held = [...firstByDigest.keys()].filter((digest) => !idOf.has(digest));
  if (held.length > 0) {
    const rows = await tx
      .select({ id: sounds.id, quickDigest: sounds.quickDigest })
      .from(sounds)
      .where(inArray(sounds.quickDigest, held));
    for (const row of rows) idOf.set(row.quickDigest, row.id);
  }
  const newRecords = made.flatMap(({ id, quick_digest: quickDigest }) => {
    const first = firstByDigest.get(quickDigest);
    return first
      ? [
          {
            soundId: id,
            revision: 1,
            ...recordFromFile(first.header.file.record, first.name, app.categories),
            updatedAt: new Date(),
          },
        ]
      : [];
  });
  const read = good.flatMap((file) => {
    const soundId = idOf.get(file.header.quickDigest);
    return soundId === undefined ? [] : [{ ...file, soundId }];
  });
  if (newRecords.length > 0) {
    const paths: Record<number, string> = {};
    for (const { soundId, folder, name } of read) paths[soundId] = `${paths[soundId] ?? ''} ${folder}/${name}`;
    const search = sql`flagstone_search(n, ${JSON.stringify(paths)}::jsonb ->> n.sound_id::text)`;
    await tx.execute(bulkInsert(records, newRecords, { search }));
  }
  return { files: read, newRecords: new Map(newRecords.map((record) => [record.soundId, record])) };
}

/** A copy's row: whether it carries the record follows from comparing what it says with the record and with what it said before. */
function copyRow(
  payload: Payload,
  file: ReadFile,
  record: RevisedRecord,
  earlier: CopyRow | undefined,
): typeof copies.$inferInsert {
  const inFile = filledFields(file.header.file.record);
  const carries = fieldsNotCarried(record, inFile).length === 0;
  const saysOther =
    earlier !== undefined && earlier.soundId === file.soundId && differingFields(earlier.inFile, inFile).length > 0;
  return {
    soundId: file.soundId,
    driveId: payload.driveId,
    folder: file.folder,
    name: file.name,
    sizeBytes: file.stamp.sizeBytes,
    mtimeMs: file.stamp.mtimeMs,
    inode: file.stamp.inode,
    container: file.header.file.facts.container,
    gone: false,
    clearedAt: null,
    carriesRevision: carries ? record.revision : saysOther ? (earlier?.carriesRevision ?? 0) : 0,
    changedOutside: !carries && (saysOther || earlier?.changedOutside === true),
    inFile,
    issues: file.header.file.issues,
    disagreeing: file.header.file.disagreeing,
    fullDigest: null,
    indexedAt: new Date(),
  };
}

async function writeFaults(tx: Transaction, payload: Payload, readable: FoundFile[], faults: Fault[]): Promise<void> {
  if (readable.length > 0) {
    const names = readable.map((file) => file.name);
    const folders = [...new Set(readable.map((file) => file.folder))];
    await tx
      .delete(unreadable)
      .where(
        and(
          eq(unreadable.driveId, payload.driveId),
          inArray(unreadable.folder, folders),
          inArray(unreadable.name, names),
        ),
      );
  }
  if (faults.length === 0) return;
  await forgetUnreadable(tx, payload, faults);
  await tx
    .insert(unreadable)
    .values(
      faults.map(({ folder, name, error }) => ({
        driveId: payload.driveId,
        folder,
        name,
        batchId: payload.batchId,
        code: error.code,
        message: error.message,
      })),
    )
    .onConflictDoUpdate({
      target: [unreadable.driveId, unreadable.folder, unreadable.name],
      set: { batchId: payload.batchId, code: sql`excluded.code`, message: sql`excluded.message`, seenAt: new Date() },
    });
}

/** A file that could be read once and cannot now stands among the unreadable of its batch, not beside them; its copy and its record stay known. */
async function forgetUnreadable(tx: Transaction, { driveId, batchId }: Payload, faults: Fault[]): Promise<void> {
  const paths = faults.map(({ folder, name }) => `${folder}/${name}`);
  await tx.execute(sql`
    delete from batch_items b using copies c where b.batch_id = ${batchId} and c.id = b.copy_id and c.drive_id = ${driveId}
    and c.folder || '/' || c.name = any(${sql.param(paths)})`);
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
