import { PEAKS_VERSION } from '@flagstone/core/audio/peaks';
import { AppError } from '@flagstone/core/errors';
import { eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { copies, drives, soundPeaks } from '../db/schema.ts';
import { filesOf } from './drives.ts';

type PeaksRow = typeof soundPeaks.$inferSelect;

const underWay = new Map<number, Promise<PeaksRow>>();

/** The peaks of a sound, computed once from any copy that is here and kept in the database. Throws FILE_VANISHED when none is. */
export async function peaksOf(app: AppContext, soundId: number): Promise<PeaksRow> {
  const [kept] = await app.db.select().from(soundPeaks).where(eq(soundPeaks.soundId, soundId));
  if (kept?.version === PEAKS_VERSION) return kept;
  const running = underWay.get(soundId) ?? computePeaks(app, soundId).finally(() => underWay.delete(soundId));
  underWay.set(soundId, running);
  return running;
}

async function computePeaks(app: AppContext, soundId: number): Promise<PeaksRow> {
  const { path } = await audioPathOf(app, sql`${copies.soundId} = ${soundId}`);
  const { values, ...facts } = await app.workers.gatherPeaks(path);
  const row = {
    ...facts,
    soundId,
    version: PEAKS_VERSION,
    values: Buffer.from(values.buffer, values.byteOffset, values.byteLength),
  };
  await app.db.insert(soundPeaks).values(row).onConflictDoUpdate({ target: soundPeaks.soundId, set: row });
  return row;
}

/** The checked absolute path of the first copy that is here and matches. Throws FILE_VANISHED when there is none. */
export async function audioPathOf(
  app: AppContext,
  condition: ReturnType<typeof sql>,
): Promise<{ path: string; copyId: number }> {
  const rows = await app.db
    .select()
    .from(copies)
    .innerJoin(drives, eq(drives.id, copies.driveId))
    .where(condition)
    .orderBy(copies.gone, copies.id);
  let lastError: AppError | undefined;
  for (const row of rows) {
    try {
      return {
        path: await filesOf(app, row.drives).existing(row.copies.folder, row.copies.name),
        copyId: row.copies.id,
      };
    } catch (error) {
      if (!(error instanceof AppError)) throw error;
      lastError = error;
    }
  }
  throw lastError ?? new AppError('FILE_VANISHED', 'No copy of this sound is known.');
}
