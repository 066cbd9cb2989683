import { sameValue, type FieldName, type SoundRecord } from '@flagstone/core/record/fields';
import type { AsOf, EditConflict } from '@flagstone/contract/record';
import { sql } from 'drizzle-orm';
import type { Queryable } from '../db/connect.ts';
import { idList } from '../db/sql-parts.ts';

type RecordRow = SoundRecord & { soundId: number; revision: number };

/** What an edit makes of a record, and which fields it decides; keywords that are added or taken away decide nothing: they go together with those of others. */
export interface Decided {
  row: RecordRow;
  after: SoundRecord;
  fields: readonly FieldName[];
}

/**
 * The fields of records that somebody else changed since an edit of them was decided, to something else than the edit does. The caller holds row locks on the records.
 */
export async function conflictsOf(
  db: Queryable,
  decided: readonly Decided[],
  { revisions, snapshot }: AsOf,
  personId: number,
): Promise<EditConflict[]> {
  const known = new Map(revisions.map((each) => [each.soundId, each.revision]));
  // A record that is as it was on show was changed by nobody; of those that were not, the database says whether its change was there already.
  const asked = decided.filter(({ row, fields }) => {
    const revision = known.get(row.soundId);
    return fields.length > 0 && (revision === undefined ? snapshot !== undefined : row.revision > revision);
  });
  if (asked.length === 0) return [];
  const { rows } = await db.execute<{
    sound_id: number;
    after: Partial<SoundRecord>;
    person: string;
    at: string;
  }>(sql`
    select v.sound_id, v.after, p.name as person, c.created_at as at
    from unnest(${idList(asked.map(({ row }) => row.soundId))}, ${idList(asked.map(({ row }) => known.get(row.soundId) ?? 0))}) i(id, seen)
    join record_revisions v on v.sound_id = i.id join changes c on c.id = v.change_id join people p on p.id = c.person_id
    where c.person_id <> ${personId} and case when i.seen > 0 then v.revision > i.seen
      else not pg_visible_in_snapshot(c.transaction, ${snapshot ?? '1:1:'}::pg_snapshot) end
    order by v.sound_id, v.revision desc`);
  return asked.flatMap(({ row, after, fields }) =>
    fields.flatMap((field): EditConflict[] => {
      const theirs = rows.find((each) => each.sound_id === row.soundId && each.after[field] !== undefined);
      if (!theirs || sameValue(row[field], after[field])) return [];
      const { person, at } = theirs;
      return [
        {
          soundId: row.soundId,
          revision: row.revision,
          field,
          theirs: row[field],
          mine: after[field],
          person,
          at: new Date(at).toISOString(),
        },
      ];
    }),
  );
}

/** The state of the database now, by which is told later what was changed since. */
export async function snapshotNow(db: Queryable): Promise<string> {
  const { rows } = await db.execute<{ snapshot: string }>(sql`select pg_current_snapshot()::text as snapshot`);
  return rows[0]?.snapshot ?? '';
}
