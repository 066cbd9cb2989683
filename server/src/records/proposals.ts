import type { FieldName, SoundRecord } from '@flagstone/core/record/fields';
import { eq, sql, type SQL } from 'drizzle-orm';
import { acts } from '../db/acts-schema.ts';
import type { Queryable } from '../db/connect.ts';
import { proposals } from '../db/review-schema.ts';
import { idList } from '../db/sql-parts.ts';

/** What a person would have fields of a record say. */
export interface Proposed {
  soundId: number;
  /** `before`: what the record says; with `isAsRecord` they want just that, and nothing waits any more. */
  fields: readonly { field: FieldName; before: unknown; value: unknown; isAsRecord: boolean }[];
}

/** Collections in which what a person changes waits for review. */
const assistsUnderReview = (personId: number): SQL => sql`
  select m.collection_id from collection_people m join collections o on o.id = m.collection_id and o.asks_review
  join people p on p.id = m.person_id and not p.is_administrator where m.person_id = ${personId} and m.role = 'assistant'`;

/** Whether anything that a person changes may have to wait for review. */
export async function isReviewed(db: Queryable, personId: number): Promise<boolean> {
  const { rows } = await db.execute<{ reviewed: boolean }>(
    sql`select exists (${assistsUnderReview(personId)}) as reviewed`,
  );
  return rows[0]?.reviewed === true;
}

/** Those of some sounds of which what a person changes waits: in none of the sound's collections may they change it themselves. */
export async function soundsUnderReview(
  db: Queryable,
  personId: number,
  soundIds: readonly number[],
): Promise<Set<number>> {
  const { rows } = await db.execute<{ sound_id: number }>(sql`
    select f.sound_id from search_rows f join collection_sets s on s.id = f.collection_set
    where f.sound_id = any(${idList(soundIds)}) and s.collection_ids && array(${assistsUnderReview(personId)})
      and not exists (select from collection_people m join collections o on o.id = m.collection_id
        where m.person_id = ${personId} and m.collection_id = any(s.collection_ids)
          and (m.role = 'librarian' or (m.role = 'assistant' and not o.asks_review)))`);
  return new Set(rows.map((row) => row.sound_id));
}

/** What a person has proposed of some sounds that still waits: on it their next edit builds. */
export async function waitingOf(
  db: Queryable,
  personId: number,
  soundIds: readonly number[],
): Promise<Map<number, Partial<SoundRecord>>> {
  const { rows } = await db.execute<{ sound_id: number; fields: Partial<SoundRecord> }>(sql`
    select sound_id, jsonb_object_agg(field, value) as fields from proposals
    where person_id = ${personId} and state = 'waiting' and sound_id = any(${idList(soundIds)}) group by sound_id`);
  return new Map(rows.map((row) => [row.sound_id, row.fields]));
}

/** An act of proposing, that can be taken back like any other. */
export async function beginProposing(tx: Queryable, personId: number, summary: string): Promise<number> {
  const [act] = await tx
    .insert(acts)
    .values({ personId, kind: 'propose', summary: `Proposed: ${summary}` })
    .returning({ id: acts.id });
  if (!act) throw new Error('the act could not be recorded');
  return act.id;
}

/** Puts proposals in the queue, each in place of the one that the person made of the same field before. The records are locked by the caller. */
export async function propose(tx: Queryable, personId: number, actId: number, all: readonly Proposed[]): Promise<void> {
  const each = all.flatMap(({ soundId, fields }) => fields.map((field) => ({ soundId, ...field })));
  if (each.length === 0) return;
  const given = sql`jsonb_to_recordset(${JSON.stringify(each)}::jsonb) g("soundId" bigint, field text, "isAsRecord" boolean)`;
  await tx.execute(sql`
    update proposals p set state = 'ended', ended_by = ${actId} from ${given}
    where p.state = 'waiting' and p.person_id = ${personId} and p.sound_id = g."soundId" and p.field = g.field`);
  // From JSON itself: null is a value of a field here, and none of the column.
  await tx.execute(sql`
    insert into proposals (sound_id, person_id, field, before, value, act_id)
    select (g ->> 'soundId')::bigint, ${personId}, g ->> 'field', g -> 'before', g -> 'value', ${actId}
    from jsonb_array_elements(${JSON.stringify(each)}::jsonb) g where not (g -> 'isAsRecord')::boolean`);
}

/** Whether something of an act of proposing, by the column with its number, can still be taken back: not all of it was decided. */
export const isStillOpen = (actId: SQL): SQL => sql`exists (select from proposals p
  where (p.act_id = ${actId} and p.state = 'waiting') or (p.ended_by = ${actId} and p.state = 'ended' and not exists (
    select from proposals d where d.act_id = ${actId} and d.sound_id = p.sound_id and d.field = p.field and d.state in ('accepted', 'returned'))))`;

/** Takes an act of proposing back, or does it again. What was decided since stays decided. */
export async function turnProposals(
  tx: Queryable,
  actId: number,
  isUndo: boolean,
): Promise<{ changed: number; kept: number }> {
  const made = eq(proposals.actId, actId);
  const ended = eq(proposals.endedBy, actId);
  const leave = (which: SQL) =>
    tx
      .update(proposals)
      .set({ state: 'ended' })
      .where(sql`${which} and ${proposals.state} = 'waiting'`)
      .returning({ id: proposals.id });
  const comeBack = (which: SQL) =>
    tx
      .update(proposals)
      .set({ state: 'waiting' })
      .where(
        sql`${which} and ${proposals.state} = 'ended' and not exists (select from proposals w
          where w.sound_id = ${proposals.soundId} and w.person_id = ${proposals.personId} and w.field = ${proposals.field}
            and (w.state = 'waiting' or (w.act_id = ${actId} and w.state in ('accepted', 'returned'))))`,
      )
      .returning({ id: proposals.id });
  // In the order in which they are decided, so that the two cannot deadlock.
  await tx.execute(
    sql`select from proposals where act_id = ${actId} or ended_by = ${actId} order by sound_id, id for update`,
  );
  const left = await leave(isUndo ? made : ended);
  const back = await comeBack(isUndo ? ended : sql`${made} and ${proposals.endedBy} is null`);
  const { rows } = await tx.execute<{ fields: number }>(sql`
    select count(distinct (sound_id, field))::int as fields from proposals where act_id = ${actId} or ended_by = ${actId}`);
  // One that took another's place is one field.
  const changed = Math.max(left.length, back.length);
  return { changed, kept: Math.max(0, (rows[0]?.fields ?? 0) - changed) };
}
