import type { ItemState } from '@flagstone/contract/plans';
import { AppError } from '@flagstone/core/errors';
import { windowedSource, type ByteSource } from '@flagstone/core/formats/byte-source';
import { planWrite } from '@flagstone/core/formats/plan-write';
import type { WritePlan } from '@flagstone/core/formats/write-plan';
import type { SoundRecord } from '@flagstone/core/record/fields';
import { fieldsNotCarried } from '@flagstone/core/record/in-step';
import { and, eq } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { copies, drives, journal, records, type JournalProblem } from '../db/schema.ts';
import type { DriveFiles } from '../disk/drive-files.ts';
import type { FileStamp } from '../disk/file-stamp.ts';
import { readAudio } from '../disk/read-audio.ts';
import { rewriteFile } from '../disk/rewrite-file.ts';
import { JobTaken, type Fence } from '../jobs/fence.ts';
import { filesOf } from '../drives/drives.ts';
import { lockRecords, refreshSearch } from '../records/search-conditions.ts';
import { saidByFile, saysOtherwise } from '../records/said-by-file.ts';

export type JournalRow = typeof journal.$inferSelect;
type CopyRow = typeof copies.$inferSelect;

/** Most bytes of headers and metadata that the journal keeps of one file, so that a write can be undone exactly. */
const MAX_KEPT_BYTES = 64 * 1024 * 1024;

/** A journal item with the copy it is about and the files of its drive. */
interface Subject {
  item: JournalRow;
  copy: CopyRow;
  files: DriveFiles;
}

/** Loads what an item is about. Throws NOT_FOUND or PATH_OUTSIDE_ROOTS. */
export async function subjectOf(app: AppContext, item: JournalRow): Promise<Subject> {
  const [row] = await app.db
    .select()
    .from(copies)
    .innerJoin(drives, eq(drives.id, copies.driveId))
    .where(eq(copies.id, item.copyId));
  if (!row) throw new AppError('NOT_FOUND', `Copy ${item.copyId} is not known any more.`);
  return { item, copy: row.copies, files: filesOf(app, row.drives) };
}

/** Moves an item to another state, before the disk is touched or after. */
export async function setState(
  db: Queryable,
  item: JournalRow,
  state: ItemState,
  more: Partial<JournalRow> = {},
): Promise<void> {
  await db
    .update(journal)
    .set({ state, changedAt: new Date(), ...more })
    .where(eq(journal.id, item.id));
}

/** Marks an item as under way, just before its file is touched. Throws JobTaken when another process took the job over. */
export async function beginItem(
  db: Queryable,
  item: JournalRow,
  state: 'started' | 'undoing',
  fence: Fence,
  more: Partial<JournalRow> = {},
): Promise<void> {
  const begun = await db
    .update(journal)
    .set({ state, changedAt: new Date(), ...more })
    .where(and(eq(journal.id, item.id), fence.holds))
    .returning({ id: journal.id });
  if (begun.length === 0) throw new JobTaken('taken up by another process while it ran here');
}

/** Marks an item failed with its error, keeping the problems it had. */
export async function setFailed(
  app: AppContext,
  item: JournalRow,
  error: AppError,
  state: ItemState = 'failed',
): Promise<void> {
  const problem: JournalProblem = { code: error.code, severity: 'error', message: error.message, remedy: error.remedy };
  await setState(app.db, item, state, { problems: [...item.problems, problem] });
}

/** Writes the record into the file of an item. The bytes around the audio go into the journal first. */
export async function performWrite(app: AppContext, item: JournalRow, fence: Fence): Promise<void> {
  const { copy, files } = await subjectOf(app, item);
  const [record] = await app.db.select().from(records).where(eq(records.soundId, copy.soundId));
  if (!record) throw new AppError('NOT_FOUND', 'The sound has no record any more.');
  if (record.revision !== item.after['revision'])
    throw new AppError('CONFLICT', 'The record was changed after this plan was made.');
  const prepared = await files.withSource(copy.folder, copy.name, async (source, stamp) => {
    const expected = await files.expected(copy, stamp, copy.name);
    const { plan } = await planWrite(windowedSource(source), record);
    return plan ? { plan, expected, ...(await bytesAroundAudio(source)) } : undefined;
  });
  if (!prepared) {
    await app.db.transaction(async (tx) => {
      await lockRecords(tx, [copy.soundId]);
      await tx
        .update(copies)
        .set({ carriesRevision: record.revision, changedOutside: false })
        .where(eq(copies.id, copy.id));
      await setState(tx, item, 'unchanged');
    });
    return;
  }
  const { headBytes, tailBytes, plan, expected } = prepared;
  await beginItem(app.db, item, 'started', fence, { headBytes, tailBytes });
  const { stamp } = await rewriteFile(files, copy.folder, copy.name, expected, plan, {
    beforeTouching: fence.check,
  });
  await recordContents(app, item, { copy, files, stamp, record }, 'done');
}

async function bytesAroundAudio(source: ByteSource): Promise<{ headBytes: Buffer; tailBytes: Buffer }> {
  const { facts } = await readAudio(source);
  const end = facts.audioOffset + facts.audioBytes;
  if (facts.audioOffset + source.sizeBytes - end > MAX_KEPT_BYTES) {
    throw new AppError('CHUNK_TOO_LARGE', 'The metadata of the file is larger than the journal can keep.');
  }
  return {
    headBytes: Buffer.from(await source.read(0, facts.audioOffset)),
    tailBytes: Buffer.from(await source.read(end, source.sizeBytes - end)),
  };
}

/** Gives a file back the very bytes that it had around its audio before it was written. */
export async function undoWrite(app: AppContext, item: JournalRow, fence: Fence): Promise<void> {
  const { copy, files } = await subjectOf(app, item);
  const { headBytes, tailBytes } = item;
  if (!headBytes || !tailBytes) throw new AppError('NOT_UNDOABLE', 'The journal holds no bytes to put back.');
  const [record] = await app.db.select().from(records).where(eq(records.soundId, copy.soundId));
  if (!record) throw new AppError('NOT_FOUND', 'The sound has no record any more.');
  const { plan, expected } = await files.withSource(copy.folder, copy.name, async (source, stamp) => {
    const { facts } = await readAudio(source);
    const back: WritePlan = {
      segments: [
        { kind: 'bytes', bytes: headBytes },
        { kind: 'keep', offset: facts.audioOffset, length: facts.audioBytes },
        { kind: 'bytes', bytes: tailBytes },
      ],
      audioOffset: headBytes.length,
      audioBytes: facts.audioBytes,
      sizeBytes: headBytes.length + facts.audioBytes + tailBytes.length,
    };
    return { plan: back, expected: await files.expected(copy, stamp, copy.name) };
  });
  await beginItem(app.db, item, 'undoing', fence);
  const { stamp } = await rewriteFile(files, copy.folder, copy.name, expected, plan, {
    beforeTouching: fence.check,
  });
  await recordContents(app, item, { copy, files, stamp, record }, 'undone');
}

interface Written {
  copy: CopyRow;
  files: DriveFiles;
  stamp: FileStamp;
  record: SoundRecord & { revision: number };
}

/** Reads the file back and records what it says now; that is what decides whether the copy is in step. */
async function recordContents(
  app: AppContext,
  item: JournalRow,
  { copy, files, stamp, record }: Written,
  state: ItemState,
): Promise<void> {
  const file = await files.withSource(copy.folder, copy.name, (source) => readAudio(source, copy.name));
  const said = saidByFile(file);
  const carries = fieldsNotCarried(record, said.inFile).length === 0;
  await app.db.transaction(async (tx) => {
    await lockRecords(tx, [copy.soundId]);
    await tx
      .update(copies)
      .set({
        ...stamp,
        ...said,
        carriesRevision: carries ? record.revision : 0,
        changedOutside: false,
      })
      .where(eq(copies.id, copy.id));
    if (saysOtherwise(copy, said)) await refreshSearch(tx, [copy.soundId]);
    await setState(tx, item, state);
  });
}

/**
 * Settles a write that was under way when the server stopped: looks at the disk and records what happened there. One that did not happen goes
 * back to where it was before.
 */
export async function settleInterruptedWrite(app: AppContext, item: JournalRow): Promise<void> {
  const undoing = item.state === 'undoing';
  const { copy, files } = await subjectOf(app, item);
  const stamp = await files.stampOf(copy.folder, copy.name);
  const untouched = await files.expected(copy, stamp, copy.name).then(
    () => true,
    () => false,
  );
  if (untouched) return setState(app.db, item, undoing ? 'done' : 'planned');
  const [record] = await app.db.select().from(records).where(eq(records.soundId, copy.soundId));
  if (record) await recordContents(app, item, { copy, files, stamp, record }, undoing ? 'undone' : 'done');
}
