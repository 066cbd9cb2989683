import { AppError } from '@flagstone/core/errors';
import { FIELD_NAMES, type FieldName, type SoundRecord } from '@flagstone/core/record/fields';
import { threeWays } from '@flagstone/core/record/three-way';
import type { ThreeWays } from '@flagstone/contract/contents';
import { eq, sql } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { copies, records } from '../db/schema.ts';
import { changedSince } from './record-history.ts';

/** How the record of a copy and its file, as it was last read, stand to what both last agreed on. Throws NOT_FOUND. */
export async function threeWaysOf(db: Queryable, copyId: number): Promise<ThreeWays> {
  const [row] = await db
    .select({ copy: copies, record: records })
    .from(copies)
    .innerJoin(records, eq(records.soundId, copies.soundId))
    .where(eq(copies.id, copyId));
  if (!row) throw new AppError('NOT_FOUND', `There is no copy ${copyId}.`);
  const { copy, record } = row;
  const { soundId, carriesRevision: agreedRevision } = copy;
  const now = Object.fromEntries(FIELD_NAMES.map((name) => [name, record[name]])) as unknown as SoundRecord;
  const agreed = agreedRevision > 0 ? { ...now, ...(await changedSince(db, soundId, agreedRevision)) } : undefined;
  const changedBy = await lastChangesOf(db, soundId, agreedRevision);
  return {
    copyId,
    soundId,
    revision: record.revision,
    agreedRevision: agreedRevision > 0 ? agreedRevision : null,
    indexedAt: copy.indexedAt.toISOString(),
    fields: threeWays(now, copy.inFile, agreed).map((each) => ({
      ...each,
      changedBy: changedBy.get(each.field) ?? null,
    })),
  };
}

/** Who changed each field of a record last since a revision, and when. */
async function lastChangesOf(
  db: Queryable,
  soundId: number,
  revision: number,
): Promise<Map<FieldName, { person: string; at: string }>> {
  const { rows } = await db.execute<{ field: FieldName; person: string; at: string }>(sql`
    select distinct on (k.field) k.field, p.name as person, to_json(c.created_at) #>> '{}' as at
    from record_revisions v join changes c on c.id = v.change_id join people p on p.id = c.person_id, jsonb_object_keys(v.after) k(field)
    where v.sound_id = ${soundId} and v.revision > ${revision} order by k.field, v.revision desc`);
  return new Map(rows.map(({ field, person, at }) => [field, { person, at }]));
}
