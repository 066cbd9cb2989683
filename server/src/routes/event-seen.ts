import type { LiveEvent } from '@flagstone/contract/jobs';
import { sql } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { idList } from '../db/sql-parts.ts';
import { sees, type Sight } from '../rights/rights.ts';
import { soundIsSeen } from '../rights/seen.ts';

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
  // Without numbers it says that any may have changed.
  if (event.type !== 'records' || event.soundIds.length === 0) return event;
  const { rows } = await db.execute<{ id: number }>(sql`
    select i.id from unnest(${idList(event.soundIds)}) i(id) where ${soundIsSeen(sight, sql`i.id`)}`);
  return rows.length === 0 ? undefined : { ...event, soundIds: rows.map(({ id }) => id) };
}
