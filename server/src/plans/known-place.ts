import { AppError } from '@flagstone/core/errors';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { copies } from '../db/schema.ts';
import { lockRecords } from '../records/search-conditions.ts';

/** Where a copy stands, or is to. */
export interface CopyPlace {
  driveId: string;
  folder: string;
  name: string;
}

const othersAt = (copyId: number, { driveId, folder, name }: CopyPlace): SQL =>
  sql`${copies.driveId} = ${driveId} and ${copies.folder} = ${folder} and ${copies.name} = ${name} and ${copies.id} <> ${copyId}`;

/**
 * Refuses a place at which another copy is known, there or lost: what is said of that one would be said of the file that comes there. To be asked before a file is touched. Throws CONFLICT; one that was
 * cleared away makes room.
 */
export async function refuseKnownPlace(app: AppContext, copyId: number, place: CopyPlace): Promise<void> {
  const known = await app.db.$count(copies, sql`${othersAt(copyId, place)} and ${copies.clearedAt} is null`);
  if (known === 0) return;
  const shown = place.folder === '' ? place.name : `${place.folder}/${place.name}`;
  throw new AppError(
    'CONFLICT',
    `${shown} is known already as a copy of its own. If that one is lost, settle it among the lost files first.`,
  );
}

/**
 * Makes room at a place for a copy: one that was cleared away from there lies nowhere any more. Locks the records of both sounds, in their order; returns the sounds whose search rows are to be made anew
 * once the copy says its new place.
 */
export async function takePlace(
  tx: Queryable,
  copy: { id: number; soundId: number },
  place: CopyPlace,
): Promise<number[]> {
  const cleared = sql`${othersAt(copy.id, place)} and ${copies.clearedAt} is not null`;
  const others = await tx.select({ soundId: copies.soundId }).from(copies).where(cleared);
  const soundIds = [copy.soundId, ...others.map(({ soundId }) => soundId)];
  await lockRecords(tx, soundIds);
  if (others.length > 0)
    await tx
      .update(copies)
      .set({ folder: sql`'.flagstone-cleared/' || ${copies.id}` })
      .where(cleared);
  return soundIds;
}
