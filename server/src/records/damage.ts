import type { AppError } from '@flagstone/core/errors';
import { eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { copies } from '../db/schema.ts';
import { lockRecords } from './search-conditions.ts';

/**
 * Notes that a file does not hold its audio any more: `digest` is what it holds, null where that cannot be read. Its sound and its record stay as they are, and so does when
 * it was last proved.
 */
export async function keepDamage(
  app: AppContext,
  copy: { id: number; soundId: number },
  digest: string | null,
  damage: AppError,
): Promise<void> {
  await app.db.transaction(async (tx) => {
    await lockRecords(tx, [copy.soundId]);
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
