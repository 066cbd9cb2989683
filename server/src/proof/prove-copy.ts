import { AppError, type ErrorCode } from '@flagstone/core/errors';
import { fieldsNotCarried } from '@flagstone/core/record/in-step';
import type { ProvedAs } from '@flagstone/contract/proof';
import { eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { copies, records, sounds } from '../db/schema.ts';
import { itemError } from '../disk/disk-errors.ts';
import type { DriveFiles } from '../disk/drive-files.ts';
import { isUnchanged, type FileStamp } from '../disk/file-stamp.ts';
import type { HeaderResult } from '../workers/header-worker.ts';
import { keepDamage } from '../records/damage.ts';
import { lockRecords, refreshSearch } from '../records/search-conditions.ts';
import { isSame, saidByFile, saysOtherwise } from '../records/said-by-file.ts';

/** A copy that was proved once, and is to be proved again. */
export interface ProvableCopy {
  id: number;
  soundId: number;
  folder: string;
  name: string;
}

/** What a file of the same size and time cannot come to say by itself: it decayed, or its disk did. */
const OF_DECAY: readonly ErrorCode[] = [
  'FORMAT_DAMAGED',
  'FORMAT_UNKNOWN',
  'FORMAT_NOT_SUPPORTED',
  'CHUNK_TOO_LARGE',
  'FILE_EMPTY',
  'IO_FAILED',
];

type GoodHeader = Extract<HeaderResult, { ok: true }>;

/**
 * Reads a file as a whole and holds it against what it is known to be: `same`; `retold` where its metadata were changed without another size or time; `damaged` where its
 * audio is not what it was, read twice; `repaired` where it was damaged before and is not any more. Throws FILE_CHANGED for a file that was changed since it was read into
 * the catalogue, and what the disk says of one that is not there.
 */
export async function proveAgain(app: AppContext, files: DriveFiles, copy: ProvableCopy): Promise<ProvedAs> {
  const path = await files.existing(copy.folder, copy.name);
  await refuseChanged(app, files, copy);
  const found = await readAsWhole(app, path);
  const expected = await expectedDigest(app, copy);
  if ('header' in found && found.digest === expected) return keepProof(app, files, copy, found.header, found.digest);
  // A cable or a memory may have failed, not the file: only what is read so twice is said of it.
  const again = await readAsWhole(app, path);
  const stamp = await refuseChanged(app, files, copy);
  const isSteady =
    'header' in found
      ? 'header' in again && again.digest === found.digest
      : !('header' in again) && again.error.code === found.error.code;
  if (!isSteady)
    throw new AppError(
      'IO_FAILED',
      `${path} was read twice, and differently. The disk, its cable or the memory is at fault.`,
    );
  if ('error' in found && !OF_DECAY.includes(found.error.code)) throw found.error;
  const damage =
    'header' in found
      ? new AppError(
          'AUDIO_DAMAGED',
          'Its audio is not what it was when it was proved, though its size and its time are the same.',
        )
      : new AppError(
          'AUDIO_DAMAGED',
          `It cannot be read any more, though its size and its time are the same: ${found.error.message}`,
        );
  await keepDamage(app, { ...copy, ...stamp }, 'header' in found ? found.digest : null, damage);
  return 'damaged';
}

async function readAsWhole(
  app: AppContext,
  path: string,
): Promise<{ header: GoodHeader; digest: string } | { error: AppError }> {
  try {
    const { audioDigest } = await app.workers.digest(path);
    const [header] = await app.workers.readHeaders([path]);
    if (header?.ok !== true)
      throw new AppError(header?.code ?? 'IO_FAILED', header?.message ?? `${path} cannot be read.`);
    return { header, digest: audioDigest };
  } catch (error) {
    return { error: itemError(error, path) };
  }
}

/** Throws FILE_CHANGED when a file has not the size and time that it had when it was read, or its row is another one by now. */
async function refuseChanged(app: AppContext, files: DriveFiles, copy: ProvableCopy): Promise<FileStamp> {
  const stamp = await files.stampOf(copy.folder, copy.name);
  const [row] = await app.db.select().from(copies).where(eq(copies.id, copy.id));
  if (row?.soundId !== copy.soundId || row.folder !== copy.folder || row.name !== copy.name || !isUnchanged(row, stamp))
    throw new AppError('FILE_CHANGED', `${copy.name} was changed since it was read into the catalogue.`);
  return stamp;
}

async function expectedDigest(app: AppContext, { soundId }: ProvableCopy): Promise<string | null> {
  const [sound] = await app.db.select({ digest: sounds.fullDigest }).from(sounds).where(eq(sounds.id, soundId));
  return sound?.digest ?? null;
}

/** Keeps that a file holds its audio, and what it says where that is not what it said. */
async function keepProof(
  app: AppContext,
  files: DriveFiles,
  copy: ProvableCopy,
  { file }: GoodHeader,
  digest: string,
): Promise<ProvedAs> {
  const stamp = await files.stampOf(copy.folder, copy.name);
  const { provedAs, isNews } = await app.db.transaction(async (tx) => {
    await lockRecords(tx, [copy.soundId]);
    const [row] = await tx.select().from(copies).where(eq(copies.id, copy.id)).for('no key update');
    const [record] = await tx.select().from(records).where(eq(records.soundId, copy.soundId));
    if (row?.soundId !== copy.soundId || !record || !isUnchanged(row, stamp))
      throw new AppError('FILE_CHANGED', `${copy.name} was changed while it was proved.`);
    const said = saidByFile(file);
    const { inFile, otherTexts } = said;
    const isRetold = !isSame(row.inFile, inFile);
    const carries = fieldsNotCarried(record, inFile).length === 0;
    const proof = { otherTexts, fullDigest: digest, provedAt: sql`now()`, damagedAt: null, damage: null };
    const told = {
      ...said,
      carriesRevision: carries ? record.revision : row.carriesRevision,
      changedOutside: !carries,
    };
    await tx
      .update(copies)
      .set({ ...proof, ...(isRetold ? told : {}) })
      .where(eq(copies.id, copy.id));
    if (saysOtherwise(row, said)) await refreshSearch(tx, [copy.soundId]);
    const wasDamaged = row.damagedAt !== null;
    return {
      provedAs: wasDamaged ? 'repaired' : isRetold ? 'retold' : 'same',
      isNews: wasDamaged || isRetold,
    } as const;
  });
  if (isNews) await app.live.publish(app.db, { type: 'records', soundIds: [copy.soundId] });
  return provedAs;
}
