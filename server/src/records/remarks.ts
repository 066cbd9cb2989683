import { AppError } from '@flagstone/core/errors';
import { mentionsIn } from '@flagstone/core/remarks/mentions';
import { REMARKS_AT_ONCE, type Remark } from '@flagstone/contract/remarks';
import { and, eq, isNull, sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { remarkMentions, remarks } from '../db/remarks-schema.ts';
import { people } from '../db/schema.ts';
import type { Sight } from '../rights/rights.ts';
import { copyIsSeen, soundIsSeen } from '../rights/seen.ts';
import { recordRows, type Rows } from './act-rows.ts';

/** The columns of a remark `k` of a person `p`, as they are told. */
export const REMARK_COLUMNS: SQL = sql`k.id, k.sound_id as "soundId", k.person_id as "personId", p.name as person, k.text, to_json(k.created_at) #>> '{}' as at,
  (select coalesce(jsonb_agg(jsonb_build_object('personId', m.person_id, 'name', n.name, 'isDone', m.done_at is not null) order by m.id), '[]')
    from remark_mentions m join people n on n.id = m.person_id where m.remark_id = k.id) as mentioned`;

/** The remarks on a sound, the newest first, those before one that is named. */
export async function remarksOn(
  db: Queryable,
  soundId: number,
  before?: number,
): Promise<{ remarks: Remark[]; next: number | null }> {
  const earlier = before === undefined ? sql`true` : sql`k.id < ${before}`;
  const { rows } = await db.execute<Remark & Record<string, unknown>>(sql`
    select ${REMARK_COLUMNS} from remarks k join people p on p.id = k.person_id
    where k.sound_id = ${soundId} and k.removed_at is null and ${earlier} order by k.id desc limit ${REMARKS_AT_ONCE + 1}`);
  const shown = rows.slice(0, REMARKS_AT_ONCE);
  return { remarks: shown, next: rows.length > REMARKS_AT_ONCE ? (shown.at(-1)?.id ?? null) : null };
}

/** Adds a remark, which waits for those whom it names. Returns it, and the names of those of them who do not see the sound. */
export async function addRemark(
  app: AppContext,
  soundId: number,
  text: string,
  personId: number,
  sight: Sight,
): Promise<{ remark: Remark; unseen: string[] }> {
  const added = await app.db.transaction(async (tx) => {
    const known = await tx.select({ id: people.id, name: people.name }).from(people).where(isNull(people.endedAt));
    const found = mentionsIn(
      text,
      known.map(({ name }) => name),
    );
    const names = new Set(found.map(({ name }) => name));
    const [made] = await tx.insert(remarks).values({ soundId, personId, text }).returning({ id: remarks.id });
    if (!made) throw new AppError('INTERNAL', 'The remark could not be recorded.');
    const mentioned = known
      .filter(({ name }) => names.has(name))
      .map(({ id }) => ({ remarkId: made.id, personId: id }));
    if (mentioned.length > 0) await tx.insert(remarkMentions).values(mentioned);
    const after = await rowOf(tx, 'remarks', made.id);
    const isRemoved = (row: Rows): Rows =>
      new Map([...row].map(([key, each]) => [key, { ...each, removed_at: each?.['created_at'] }]));
    const summary = `Remark on “${await nameOf(tx, soundId, sight)}”`;
    await recordRows(tx, { personId, kind: 'remark', summary }, isRemoved(after), after);
    return made.id;
  });
  await app.live.publish(app.db, { type: 'records', soundIds: [soundId] });
  const [remark] = (await remarksOn(app.db, soundId, added + 1)).remarks;
  if (remark?.id !== added) throw new AppError('NOT_FOUND', 'The remark was taken away in the same moment.');
  return { remark, unseen: await unseenBy(app.db, added) };
}

/** Those whom a remark names and who see its sound in no collection. */
async function unseenBy(db: Queryable, remarkId: number): Promise<string[]> {
  const { rows } = await db.execute<{ name: string }>(sql`
    select p.name from remark_mentions m join remarks k on k.id = m.remark_id join people p on p.id = m.person_id
    where k.id = ${remarkId} and not p.is_administrator and not exists (
      select from search_rows f join collection_sets s on s.id = f.collection_set
      join collection_people c on c.person_id = p.id and c.collection_id = any(s.collection_ids) where f.sound_id = k.sound_id)
    order by p.name`);
  return rows.map(({ name }) => name);
}

/** Takes away a remark of one's own on a sound that one sees. Throws NOT_FOUND. */
export async function removeRemark(
  app: AppContext,
  id: number,
  personId: number,
  sight: Sight,
): Promise<Record<string, never>> {
  const soundId = await app.db.transaction(async (tx) => {
    const before = await rowOf(tx, 'remarks', id);
    const [removed] = await tx
      .update(remarks)
      .set({ removedAt: sql`now()` })
      .where(
        and(
          eq(remarks.id, id),
          eq(remarks.personId, personId),
          isNull(remarks.removedAt),
          soundIsSeen(sight, sql`${remarks.soundId}`),
        ),
      )
      .returning({ soundId: remarks.soundId });
    if (!removed) throw new AppError('NOT_FOUND', 'There is no such remark of yours.');
    const summary = `Remark on “${await nameOf(tx, removed.soundId, sight)}” taken away`;
    await recordRows(tx, { personId, kind: 'remark', summary }, before, await rowOf(tx, 'remarks', id));
    return removed.soundId;
  });
  await app.live.publish(app.db, { type: 'records', soundIds: [soundId] });
  return {};
}

/** Settles a remark that names a person, or has it wait for them again. Throws NOT_FOUND for one that does not name them, or that they do not see. */
export async function settleRemark(
  app: AppContext,
  remarkId: number,
  isDone: boolean,
  personId: number,
  sight: Sight,
): Promise<Record<string, never>> {
  const soundId = await app.db.transaction(async (tx) => {
    const [mention] = await tx
      .select({ id: remarkMentions.id, soundId: remarks.soundId })
      .from(remarkMentions)
      .innerJoin(remarks, eq(remarks.id, remarkMentions.remarkId))
      .where(
        and(
          eq(remarkMentions.remarkId, remarkId),
          eq(remarkMentions.personId, personId),
          isNull(remarks.removedAt),
          soundIsSeen(sight, sql`${remarks.soundId}`),
        ),
      )
      .for('update');
    if (!mention) throw new AppError('NOT_FOUND', 'No remark that names you has this number.');
    const before = await rowOf(tx, 'remark_mentions', mention.id);
    // What is settled already keeps its time, so that there is nothing to take back.
    const doneAt = isDone ? sql`coalesce(done_at, now())` : sql`null`;
    await tx.update(remarkMentions).set({ doneAt }).where(eq(remarkMentions.id, mention.id));
    const on = `the remark on “${await nameOf(tx, mention.soundId, sight)}”`;
    const summary = isDone ? `Settled ${on}` : `Waits again: ${on}`;
    await recordRows(tx, { personId, kind: 'remark', summary }, before, await rowOf(tx, 'remark_mentions', mention.id));
    return mention.soundId;
  });
  await app.live.publish(app.db, { type: 'records', soundIds: [soundId] });
  return {};
}

/** A row as it is now, for taking back what is done to it. */
async function rowOf(tx: Queryable, table: 'remarks' | 'remark_mentions', id: number): Promise<Rows> {
  const { rows } = await tx.execute<{ row: Record<string, unknown> }>(
    sql`select to_jsonb(t) as row from ${sql.identifier(table)} t where id = ${id}`,
  );
  return new Map(rows.map(({ row }) => [`${table} ${id}`, row]));
}

/** What the first file of a sound is called, of those that somebody sees. */
async function nameOf(tx: Queryable, soundId: number, sight: Sight): Promise<string> {
  const { rows } = await tx.execute<{ name: string }>(
    sql`select name from copies c where sound_id = ${soundId} and ${copyIsSeen(sight)} order by gone, id limit 1`,
  );
  return rows[0]?.name ?? 'a sound';
}

/** Remarks that name a person and that they did not settle, the oldest first, on sounds that they see. */
export const waitsFor = (
  personId: number,
  sight: Sight,
): SQL => sql`remark_mentions w join remarks k on k.id = w.remark_id
  join people p on p.id = k.person_id join sounds s on s.id = k.sound_id
  join lateral (select c.name from copies c where c.sound_id = s.id and ${copyIsSeen(sight)} order by c.gone, c.id limit 1) f on true
  where w.person_id = ${personId} and w.done_at is null and k.removed_at is null`;
