import { AppError } from '@flagstone/core/errors';
import { FIELD_NAMES, type FieldName, type SoundRecord } from '@flagstone/core/record/fields';
import { threeWays, type FieldThreeWays } from '@flagstone/core/record/three-way';
import type { ThreeWays } from '@flagstone/contract/contents';
import { eq, inArray, sql } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { idList } from '../db/sql-parts.ts';
import { copies, records } from '../db/schema.ts';

/** Who made the record say what it says, and when. */
interface LastChange {
  person: string;
  at: string;
}

/** How the record of a copy and its file, as it was last read, stand to what both last agreed on. */
export interface CopyThreeWays {
  copy: typeof copies.$inferSelect;
  record: SoundRecord & { revision: number };
  fields: (FieldThreeWays & { changedBy: LastChange | null })[];
}

/** The comparison for one copy. Throws NOT_FOUND. */
export async function threeWaysOf(db: Queryable, copyId: number): Promise<ThreeWays> {
  const found = (await threeWaysOfCopies(db, [copyId])).get(copyId);
  if (!found) throw new AppError('NOT_FOUND', `There is no copy ${copyId}.`);
  const { copy, record, fields } = found;
  return {
    copyId,
    soundId: copy.soundId,
    revision: record.revision,
    agreedRevision: copy.carriesRevision > 0 ? copy.carriesRevision : null,
    indexedAt: copy.indexedAt.toISOString(),
    fields,
    otherTexts: copy.otherTexts && Object.entries(copy.otherTexts).map(([place, text]) => ({ place, text })),
  };
}

/** The comparison for some copies at once, by their ids; those that are not there are left out. */
export async function threeWaysOfCopies(
  db: Queryable,
  copyIds: readonly number[],
): Promise<Map<number, CopyThreeWays>> {
  if (copyIds.length === 0) return new Map();
  const rows = await db
    .select({ copy: copies, record: records })
    .from(copies)
    .innerJoin(records, eq(records.soundId, copies.soundId))
    .where(inArray(copies.id, [...copyIds]));
  const later = await laterRevisions(db, copyIds);
  return new Map(
    rows.map(({ copy, record }) => {
      const now = Object.fromEntries(FIELD_NAMES.map((name) => [name, record[name]])) as unknown as SoundRecord;
      const since = later.get(copy.id) ?? [];
      const then: Partial<SoundRecord> = {};
      const changedBy = new Map<FieldName, LastChange>();
      for (const { before, person, at } of since) {
        Object.assign(then, before);
        for (const field of Object.keys(before) as FieldName[])
          if (!changedBy.has(field)) changedBy.set(field, { person, at });
      }
      const agreed = copy.carriesRevision > 0 ? { ...now, ...then } : undefined;
      const fields = threeWays(now, copy.inFile, agreed).map((each) => ({
        ...each,
        changedBy: changedBy.get(each.field) ?? null,
      }));
      return [copy.id, { copy, record: { ...now, revision: record.revision }, fields }];
    }),
  );
}

interface LaterRevision extends LastChange {
  before: Partial<SoundRecord>;
}

/** The revisions of the records of copies since the one that each file carried, the newest first. */
async function laterRevisions(db: Queryable, copyIds: readonly number[]): Promise<Map<number, LaterRevision[]>> {
  const { rows } = await db.execute<LaterRevision & { copy_id: number } & Record<string, unknown>>(sql`
    select k.id as copy_id, v.before, p.name as person, to_json(c.created_at) #>> '{}' as at
    from copies k join record_revisions v on v.sound_id = k.sound_id and v.revision > k.carries_revision
    join changes c on c.id = v.change_id join people p on p.id = c.person_id
    where k.id = any(${idList(copyIds)}) order by k.id, v.revision desc`);
  const found = new Map<number, LaterRevision[]>();
  for (const { copy_id: copyId, ...revision } of rows) {
    const known = found.get(copyId);
    if (known) known.push(revision);
    else found.set(copyId, [revision]);
  }
  return found;
}
