import { DIGEST_VERSION } from '@flagstone/core/audio/digest';
import { differingFields, type SoundRecord } from '@flagstone/core/record/fields';
import { recordFromFile } from '@flagstone/core/formats/record-from-file';
import { fieldsNotCarried } from '@flagstone/core/record/in-step';
import type { FOUND } from '@flagstone/contract/selection';
import { and, eq, getTableColumns, inArray, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Transaction } from '../db/connect.ts';
import { bulkInsert } from '../db/bulk-insert.ts';
import { copies, records, sounds, unreadable } from '../db/schema.ts';
import type { HeaderResult } from '../workers/header-worker.ts';
import type { WalkEntry } from '../disk/walk.ts';
import { idList } from '../db/sql-parts.ts';
import { belongsInto } from './belongs-into.ts';
import { lockRecords, refreshSearch } from '../records/search-conditions.ts';
import { saidByFile } from '../records/said-by-file.ts';

export type FoundFile = Extract<WalkEntry, { kind: 'file' }>;
type Fault = Extract<WalkEntry, { kind: 'fault' }>;
type CopyRow = typeof copies.$inferSelect;
type RevisedRecord = SoundRecord & { revision: number };
/** A file whose headers were read. */
export type GoodFile = FoundFile & { header: Extract<HeaderResult, { ok: true }> };
type ReadFile = GoodFile & { soundId: number };

/** What a file that is read again replaces in its row. */
const COPY_COLUMNS = Object.values(getTableColumns(copies))
  .map(({ name }) => name)
  .filter((name) => !['id', 'drive_id', 'folder', 'name'].includes(name));
/** What a reading finds a file to be; one that moved is known only at the end, see moved-copies.ts. */
type Found = Exclude<(typeof FOUND)[number], 'moved'>;
interface BatchItem {
  id: number;
  found: Found;
}

export const pathOf = ({ folder, name }: { folder: string; name: string }): string =>
  folder === '' ? name : `${folder}/${name}`;

/** Counts of a scan, kept with the job. */
export type FoundCounts = Record<Found | 'moved' | 'unreadable' | 'gone', number>;

export function emptyCounts(): FoundCounts {
  return { new: 0, moved: 0, changedOutside: 0, same: 0, alreadyHeld: 0, unreadable: 0, gone: 0 };
}

/** Where a chunk belongs. */
export interface ChunkTarget {
  /** Null for what belongs into no batch. */
  batchId: number | null;
  driveId: string;
  /** The reading of the folder that this is a part of, through all its interruptions. */
  scanId?: string;
  /** The read folder that a place of the drive belongs to. */
  readFolderOf: (folder: string) => number | null;
}

/** What tells whether a file is the same, and how it stands in the batch. */
export interface KnownCopy {
  id: number;
  sizeBytes: number;
  mtimeMs: number;
  inode: string;
  gone: boolean;
  filed: boolean;
  found: string | null;
  scanId: string | null;
}

interface ChunkToWrite {
  good: GoodFile[];
  same: FoundFile[];
  faults: Fault[];
  known: Map<string, KnownCopy>;
  personId: number;
}

/**
 * Writes what a chunk of files was found to be, in one transaction: new sounds by quick digest with their first records, copies, items of the
 * batch, unreadable files. Adds to the counts.
 */
export async function writeChunk(
  app: AppContext,
  tx: Transaction,
  target: ChunkTarget,
  chunk: ChunkToWrite,
  result: FoundCounts,
): Promise<void> {
  const { good, same, faults, known } = chunk;
  const { files: readFiles, newRecords } = await soundsByDigest(app, tx, good, chunk.personId);
  const soundIds = [...new Set(readFiles.map((file) => file.soundId))];
  const earlierRows = await copiesAt(tx, target.driveId, readFiles);
  // A file that holds another sound now leaves that of before with one copy less.
  const touchedIds = [...new Set([...soundIds, ...earlierRows.map(({ soundId }) => soundId)])];
  const sameIds = same.flatMap((file) => known.get(pathOf(file))?.id ?? []);
  await lockRecords(
    tx,
    sql`select unnest(${idList(touchedIds)}) union select c.sound_id from copies c where c.id = any(${idList(sameIds)}) and (c.gone or c.cleared_at is not null)`,
  );
  const heldIds = soundIds.filter((id) => !newRecords.has(id));
  const recordRows =
    heldIds.length === 0 ? [] : await tx.select().from(records).where(inArray(records.soundId, heldIds));
  const recordOf = new Map<number, RevisedRecord>([
    ...newRecords,
    ...recordRows.map((row) => [row.soundId, row] as const),
  ]);
  const earlierAt = new Map(earlierRows.map((row) => [pathOf(row), row]));
  const copyRows = readFiles.flatMap((file) => {
    const record = recordOf.get(file.soundId);
    const earlier = earlierAt.get(pathOf(file));
    return record ? [copyRow(target, file, record, earlier)] : [];
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
    await refreshSearch(tx, touchedIds);
  }
  if (sameIds.length > 0)
    await tx
      .update(copies)
      .set({ gone: false, clearedAt: null })
      .where(sql`${copies.id} = any(${idList(sameIds)}) and (gone or cleared_at is not null)`);
  if (items.length > 0 && target.batchId !== null)
    await tx.execute(sql`
      insert into batch_items (batch_id, copy_id, found, scan_id)
      select ${target.batchId}::int, i.id, i.found, ${target.scanId ?? null}::uuid from jsonb_to_recordset(${JSON.stringify(items)}::jsonb) as i(id bigint, found text)
      join copies c on c.id = i.id where ${belongsInto(target.batchId)}
      on conflict (batch_id, copy_id) do update set found = excluded.found, scan_id = excluded.scan_id
      where (batch_items.found, batch_items.scan_id) is distinct from (excluded.found, excluded.scan_id)`);
  await writeFaults(tx, target, [...good, ...same], faults);
}

/** The copies that stand at the places of files, also those that are gone: asked for here, since another process may have changed them after `known` was read. */
async function copiesAt(tx: Transaction, driveId: string, files: readonly ReadFile[]): Promise<CopyRow[]> {
  if (files.length === 0) return [];
  const folders = [...new Set(files.map(({ folder }) => folder))];
  const names = [...new Set(files.map(({ name }) => name))];
  const rows = await tx
    .select()
    .from(copies)
    .where(and(eq(copies.driveId, driveId), inArray(copies.folder, folders), inArray(copies.name, names)));
  const places = new Set(files.map(pathOf));
  return rows.filter((row) => places.has(pathOf(row)));
}

/** The sound of each file by its audio digest; sounds that are new get a record made from this file. */
async function soundsByDigest(
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
    isCutShort: file.facts.isCutShort ?? false,
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
            ...recordFromFile(first.header.file.record, first.name, app.categories, first.header.file.unread),
            updatedAt: new Date(),
          },
        ]
      : [];
  });
  const read = good.flatMap((file) => {
    const soundId = idOf.get(file.header.quickDigest);
    return soundId === undefined ? [] : [{ ...file, soundId }];
  });
  if (newRecords.length > 0) await tx.execute(bulkInsert(records, newRecords));
  return { files: read, newRecords: new Map(newRecords.map((record) => [record.soundId, record])) };
}

/** A copy's row: whether it carries the record follows from comparing what it says with the record and with what it said before. */
function copyRow(
  target: ChunkTarget,
  file: ReadFile,
  record: RevisedRecord,
  earlier: CopyRow | undefined,
): typeof copies.$inferInsert {
  const said = saidByFile(file.header.file);
  const { inFile } = said;
  const carries = fieldsNotCarried(record, inFile).length === 0;
  const before = earlier?.soundId === file.soundId ? earlier : undefined;
  const saysOther = before !== undefined && differingFields(before.inFile, inFile).length > 0;
  const damaged = before?.damagedAt ? before : undefined;
  return {
    soundId: file.soundId,
    driveId: target.driveId,
    folder: file.folder,
    name: file.name,
    readFolderId: target.readFolderOf(file.folder),
    sizeBytes: file.stamp.sizeBytes,
    mtimeMs: file.stamp.mtimeMs,
    inode: file.stamp.inode,
    container: file.header.file.facts.container,
    trackNames: file.header.file.facts.trackNames ?? [],
    gone: false,
    clearedAt: null,
    // A file that says the same as before, with another time, is as far behind its record as it was.
    carriesRevision: carries ? record.revision : (before?.carriesRevision ?? 0),
    changedOutside: !carries && (saysOther || earlier?.changedOutside === true),
    ...said,
    fullDigest: null,
    // Another program that writes into a damaged file does not heal it: what it holds is measured anew, and held against what it held.
    provedAt: damaged?.provedAt ?? null,
    damagedAt: damaged?.damagedAt ?? null,
    damage: damaged?.damage ?? null,
    indexedAt: new Date(),
  };
}

async function writeFaults(
  tx: Transaction,
  target: ChunkTarget,
  readable: FoundFile[],
  faults: Fault[],
): Promise<void> {
  if (readable.length > 0) {
    const names = readable.map((file) => file.name);
    const folders = [...new Set(readable.map((file) => file.folder))];
    await tx
      .delete(unreadable)
      .where(
        and(
          eq(unreadable.driveId, target.driveId),
          inArray(unreadable.folder, folders),
          inArray(unreadable.name, names),
        ),
      );
  }
  const { batchId } = target;
  if (faults.length === 0 || batchId === null) return;
  await forgetUnreadable(tx, target.driveId, batchId, faults);
  await tx
    .insert(unreadable)
    .values(
      faults.map(({ folder, name, error }) => ({
        driveId: target.driveId,
        folder,
        name,
        batchId,
        code: error.code,
        message: error.message,
      })),
    )
    .onConflictDoUpdate({
      target: [unreadable.driveId, unreadable.folder, unreadable.name],
      set: { batchId, code: sql`excluded.code`, message: sql`excluded.message`, seenAt: new Date() },
    });
}

/** A file that could be read once and cannot now stands among the unreadable of its batch, not beside them; its copy and its record stay known. */
async function forgetUnreadable(tx: Transaction, driveId: string, batchId: number, faults: Fault[]): Promise<void> {
  const paths = faults.map(({ folder, name }) => `${folder}/${name}`);
  await tx.execute(sql`
    delete from batch_items b using copies c where b.batch_id = ${batchId} and c.id = b.copy_id and c.drive_id = ${driveId}
    and c.folder || '/' || c.name = any(${sql.param(paths)})`);
}
