import { AppError } from '@flagstone/core/errors';
import { fieldsNotCarried } from '@flagstone/core/record/in-step';
import { eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Transaction } from '../db/connect.ts';
import { copies, drives, records, sounds } from '../db/schema.ts';
import type { DriveFiles } from '../disk/drive-files.ts';
import type { FileStamp } from '../disk/file-stamp.ts';
import { driveIsHere, filesOf } from '../drives/drives.ts';
import type { HeaderResult } from '../workers/header-worker.ts';
import { saidByFile } from '../records/said-by-file.ts';

export type CopyRow = typeof copies.$inferSelect;

/** A file that was just made of another one, as it reads. */
export interface MadeFile {
  stamp: FileStamp;
  header: Extract<HeaderResult, { ok: true }>;
  /** The full audio digest. */
  digest: string;
}

/** Reads a file that was made as a whole. Throws AUDIO_CHANGED when it does not hold a sound's audio, and what reading throws. */
export async function readMade(
  app: AppContext,
  files: DriveFiles,
  place: { folder: string; name: string },
  soundId: number,
): Promise<MadeFile> {
  const path = await files.existing(place.folder, place.name);
  const { audioDigest: digest } = await app.workers.digest(path);
  const [header] = await app.workers.readHeaders([path]);
  if (header?.ok !== true) throw new AppError('IO_FAILED', `${path} cannot be read: ${header?.message ?? ''}`);
  const expected = await digestOfSound(app, soundId);
  if (expected !== null && expected !== digest)
    throw new AppError('AUDIO_CHANGED', `${path} does not hold the audio that it was to hold.`);
  return { stamp: await files.stampOf(place.folder, place.name), header, digest };
}

async function digestOfSound(app: AppContext, soundId: number): Promise<string | null> {
  const [sound] = await app.db.select({ digest: sounds.fullDigest }).from(sounds).where(eq(sounds.id, soundId));
  return sound?.digest ?? null;
}

/**
 * A copy whose file is to be copied: its checked path, once the file is the one that was read, and read as a whole holds its sound's audio. Throws FILE_CHANGED, AUDIO_DAMAGED,
 * and what the disk says.
 */
export async function provedSource(
  app: AppContext,
  copyId: number,
  soundId: number,
): Promise<{ path: string; copy: CopyRow }> {
  const [row] = await app.db
    .select()
    .from(copies)
    .innerJoin(drives, eq(drives.id, copies.driveId))
    .where(eq(copies.id, copyId));
  if (!row || row.copies.soundId !== soundId || row.copies.gone)
    throw new AppError(
      'FILE_VANISHED',
      'The copy that was to be copied is not known any more, or holds another sound.',
    );
  const { copies: copy, drives: drive } = row;
  if (!(await driveIsHere(drive))) throw new AppError('PATH_NOT_FOUND', `The drive “${drive.name}” is not mounted.`);
  const files = filesOf(app, drive);
  await files.expected(copy, await files.stampOf(copy.folder, copy.name), copy.name);
  const path = await files.existing(copy.folder, copy.name);
  const expected = await digestOfSound(app, soundId);
  if (expected !== null && (await app.workers.digest(path)).audioDigest !== expected)
    throw new AppError(
      'AUDIO_DAMAGED',
      `${path} does not hold its audio any more: prove the files of “${drive.name}”.`,
    );
  return { path, copy };
}

/** What a copy's row says of a file that was made: proved, and In step where it carries the record. */
export async function columnsOfMade(tx: Transaction, soundId: number, { stamp, header: { file }, digest }: MadeFile) {
  const [record] = await tx.select().from(records).where(eq(records.soundId, soundId));
  if (!record) throw new AppError('NOT_FOUND', 'The sound has no record any more.');
  const said = saidByFile(file);
  return {
    ...stamp,
    container: file.facts.container,
    trackNames: file.facts.trackNames ?? [],
    ...said,
    carriesRevision: fieldsNotCarried(record, said.inFile).length === 0 ? record.revision : 0,
    changedOutside: false,
    gone: false,
    clearedAt: null,
    fullDigest: digest,
    // By the clock of the database.
    provedAt: sql`now()`,
    damagedAt: null,
    damage: null,
    indexedAt: new Date(),
  };
}
