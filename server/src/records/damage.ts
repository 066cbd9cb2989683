import { AppError } from '@flagstone/core/errors';
import { eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { copies } from '../db/schema.ts';
import { lockRecords } from './search-conditions.ts';

/**
 * Notes that a file does not hold its audio any more: `digest` is what it holds, null where that cannot be read. Its sound and its record stay as they are, and so does when
 * it was last proved. Throws FILE_CHANGED when its row says another size, time or sound by now.
 */
export async function keepDamage(
  app: AppContext,
  copy: { id: number; soundId: number; sizeBytes: number; mtimeMs: number },
  digest: string | null,
  damage: AppError,
): Promise<void> {
  await app.db.transaction(async (tx) => {
    await lockRecords(tx, [copy.soundId]);
    // What was written or renamed since it was read is not what was read.
    const [row] = await tx.select().from(copies).where(eq(copies.id, copy.id)).for('no key update');
    if (row?.soundId !== copy.soundId || row.sizeBytes !== copy.sizeBytes || row.mtimeMs !== copy.mtimeMs)
      throw new AppError('FILE_CHANGED', 'The file was changed while it was proved.');
    await noteDamage(tx, copy.id, digest, damage);
  });
  await app.live.publish(app.db, { type: 'records', soundIds: [copy.soundId] });
}

/** The same within a transaction that holds the record. When it was first found is kept. */
export async function noteDamage(
  tx: Queryable,
  copyId: number,
  digest: string | null,
  { code, message }: AppError,
): Promise<void> {
  await tx
    .update(copies)
    .set({
      damagedAt: sql`coalesce(${copies.damagedAt}, now())`,
      damage: { code, message },
      ...(digest === null ? {} : { fullDigest: digest }),
    })
    .where(eq(copies.id, copyId));
}
