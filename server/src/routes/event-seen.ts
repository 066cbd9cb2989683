import type { LiveEvent } from '@flagstone/contract/jobs';
import type { Whereabouts } from '@flagstone/contract/presence';
import { sql } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { idList } from '../db/sql-parts.ts';
import { sees, type Sight } from '../rights/rights.ts';
import { collectionIsSeen, soundIsSeen } from '../rights/seen.ts';

/** What of a live event somebody may know: the sounds that they see, their own jobs and those of collections that they see; undefined for nothing. */
export async function eventSeen(
  db: Queryable,
  event: LiveEvent,
  personId: number,
  sight: Sight,
): Promise<LiveEvent | undefined> {
  if (sight === 'all') return event;
  if (event.type === 'job') {
    const { personId: owner, collectionIds } = event.job;
    const isSeen = owner === personId || (collectionIds.length > 0 && collectionIds.every((id) => sees(sight, id)));
    return isSeen ? event : undefined;
  }
  if (event.type === 'presence') return { ...event, presence: await whereaboutsSeen(db, event.presence, sight) };
  // Without numbers it says that any may have changed.
  if (event.type !== 'records' || event.soundIds.length === 0) return event;
  const { rows } = await db.execute<{ id: number }>(sql`
    select i.id from unnest(${idList(event.soundIds)}) i(id) where ${soundIsSeen(sight, sql`i.id`)}`);
  return rows.length === 0 ? undefined : { ...event, soundIds: rows.map(({ id }) => id) };
}

/** Who is where, without what is not seen: that somebody is here is no secret. */
export async function whereaboutsSeen<Where extends Whereabouts>(
  db: Queryable,
  where: Where,
  sight: Sight,
): Promise<Where> {
  const { batchId, soundId } = where;
  if (sight === 'all' || (batchId === null && soundId === null)) return where;
  const { rows } = await db.execute<{ batch: boolean; sound: boolean }>(sql`
    select exists (select from batches b join folders w on w.id = b.folder_id
        where b.id = ${batchId ?? 0} and ${collectionIsSeen(sight, sql`w.collection_id`)}) as batch,
      ${soundIsSeen(sight, sql`${soundId ?? 0}::bigint`)} as sound`);
  const [seen] = rows;
  return { ...where, batchId: seen?.batch ? batchId : null, soundId: seen?.sound ? soundId : null };
}
