import { AppError } from '@flagstone/core/errors';
import { MOST_USES } from '@flagstone/contract/pull-lists';
import type {
  newPullEntrySchema,
  newPullListSchema,
  PullEntry,
  pullEntryChangeSchema,
  PullList,
  pullListChangeSchema,
  SoundUse,
} from '@flagstone/contract/pull-lists';
import { and, asc, eq, sql } from 'drizzle-orm';
import type { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import { pullListIsSeen, soundIsSeen, type SeenSelection } from '../rights/seen.ts';
import type { Queryable, Transaction } from '../db/connect.ts';
import { people, pullEntries, pullLists, sounds } from '../db/schema.ts';
import { pullRows, recordRows } from '../records/act-rows.ts';
import { appendEntry } from '../records/append-entry.ts';
import { allOf, idList } from '../db/sql-parts.ts';
import { rowsInOrder, selectionParts } from '../records/sound-rows.ts';

/** The pull lists that somebody sees, the newest first: their own, those that hold a sound which they see, and empty ones; of these they see the entries with such sounds. */
export async function listPullLists(app: AppContext, personId: number, sight: Sight): Promise<PullList[]> {
  const { rows } = await app.db.execute<PullList & Record<string, unknown>>(sql`
    select l.id, l.name, l.show, l.scene, l.notes, p.name as person,
      (select count(*)::int from pull_entries e where e.list_id = l.id and ${soundIsSeen(sight, sql`e.sound_id`)}) as entries
    from pull_lists l join people p on p.id = l.person_id where ${pullListIsSeen(sight, personId)} order by l.id desc`);
  return rows;
}

/**
 * Runs a change of pull lists as an act of a person that can be taken back. `work` returns the lists that it made, or put something into, beside those that
 * are named.
 */
async function asAct(
  app: AppContext,
  { personId, listIds, summary }: { personId: number; listIds: readonly number[]; summary: string },
  work: (tx: Transaction) => Promise<number[]>,
): Promise<number[]> {
  const lists = await app.db.transaction(async (tx) => {
    // One at a time in each list, and in the order of their numbers, so that two who change several wait for each other and never both.
    await tx.execute(
      sql`select from pull_lists where id = any(${sql.param([...listIds])}::int[]) order by id for update`,
    );
    const before = await pullRows(tx, listIds);
    const further = await work(tx);
    const after = await pullRows(tx, [...new Set([...listIds, ...further])]);
    await recordRows(tx, { personId, kind: 'pull', summary }, before, after);
    return further;
  });
  await app.live.publish(app.db, { type: 'pullLists' });
  return lists;
}

export async function makePullList(
  app: AppContext,
  list: z.infer<typeof newPullListSchema>,
  personId: number,
  sight: Sight,
): Promise<PullList[]> {
  await asAct(app, { personId, listIds: [], summary: `Pull list “${list.name}” begun` }, async (tx) => {
    const made = await tx
      .insert(pullLists)
      .values({ ...list, personId })
      .returning({ id: pullLists.id });
    return made.map(({ id }) => id);
  });
  return listPullLists(app, personId, sight);
}

/** Changes what is given of a list, and leaves the rest as it is. */
export async function updatePullList(
  app: AppContext,
  id: number,
  changes: z.infer<typeof pullListChangeSchema>,
  personId: number,
  sight: Sight,
): Promise<PullList[]> {
  const { name } = await pullList(app, id);
  await asAct(app, { personId, listIds: [id], summary: `Pull list “${name}” changed` }, async (tx) => {
    if (Object.keys(changes).length > 0) await tx.update(pullLists).set(changes).where(eq(pullLists.id, id));
    return [];
  });
  return listPullLists(app, personId, sight);
}

export async function removePullList(app: AppContext, id: number, personId: number, sight: Sight): Promise<PullList[]> {
  const { name } = await pullList(app, id);
  await asAct(app, { personId, listIds: [id], summary: `Pull list “${name}” removed` }, async (tx) => {
    await tx.delete(pullLists).where(eq(pullLists.id, id));
    return [];
  });
  return listPullLists(app, personId, sight);
}

/** One list. Throws NOT_FOUND. */
export async function pullList(app: AppContext, id: number): Promise<typeof pullLists.$inferSelect> {
  const [list] = await app.db.select().from(pullLists).where(eq(pullLists.id, id));
  if (!list) throw new AppError('NOT_FOUND', `There is no pull list ${id}.`);
  return list;
}

/** The entries of a list in their order, those of sounds that are seen. */
export async function entriesOf(app: AppContext, listId: number, sight: Sight): Promise<PullEntry[]> {
  const rows = await app.db
    .select({ entry: pullEntries, person: people.name })
    .from(pullEntries)
    .innerJoin(people, eq(people.id, pullEntries.addedBy))
    .where(eq(pullEntries.listId, listId))
    .orderBy(asc(pullEntries.place), asc(pullEntries.id));
  const sounds = await rowsInOrder(app.db, 'sounds', [...new Set(rows.map(({ entry }) => entry.soundId))], sight);
  const rowOf = new Map(sounds.map((row) => [row.soundId, row]));
  return rows.flatMap(({ entry, person }) => {
    const row = rowOf.get(entry.soundId);
    const { fromFrame, toFrame } = entry;
    const part = fromFrame === null || toFrame === null ? null : { from: fromFrame, to: toFrame };
    return row ? [{ id: entry.id, row, part, tryOut: entry.tryOut, comment: entry.comment, addedBy: person }] : [];
  });
}

/** Puts a sound, or a part of it, at the end of a list. Throws NOT_FOUND. */
export async function addEntry(
  app: AppContext,
  listId: number,
  { soundId, part, tryOut, comment }: z.infer<typeof newPullEntrySchema>,
  personId: number,
  sight: Sight,
): Promise<PullEntry[]> {
  const [list, [sound]] = await Promise.all([
    pullList(app, listId),
    app.db
      .select()
      .from(sounds)
      .where(and(eq(sounds.id, soundId), soundIsSeen(sight, sql`${sounds.id}`))),
  ]);
  if (!sound) throw new AppError('NOT_FOUND', `There is no sound ${soundId}.`);
  await asAct(app, { personId, listIds: [listId], summary: `Pulled onto “${list.name}”` }, async (tx) => {
    await appendEntry(tx, { listId, soundId, part, tryOut, comment, addedBy: personId });
    return [];
  });
  return entriesOf(app, listId, sight);
}

/** So many sounds are put into a list at once; who chose more chose by mistake. */
const MOST_AT_ONCE = 2000;

/** Puts all sounds of a selection, whole, at the end of a list in the order of their names. Returns how many. Throws NOT_FOUND and BAD_REQUEST. */
export async function addSounds(
  app: AppContext,
  listId: number,
  selection: SeenSelection,
  personId: number,
): Promise<{ added: number }> {
  const { name } = await pullList(app, listId);
  const { tables, conditions } = selectionParts(selection);
  let added = 0;
  await asAct(app, { personId, listIds: [listId], summary: `Pulled onto “${name}”` }, async (tx) => {
    const { rowCount } = await tx.execute(sql`
      insert into pull_entries (list_id, place, sound_id, comment, added_by)
      select ${listId}::int, last.place + row_number() over (order by chosen.name, chosen.id), chosen.id, '', ${personId}::int
      from (select s.id, min(lower(c.name)) as name from ${tables} where ${allOf(conditions)} group by s.id limit ${MOST_AT_ONCE + 1}) chosen,
        (select coalesce(max(place), 0) as place from pull_entries where list_id = ${listId}) last`);
    if ((rowCount ?? 0) > MOST_AT_ONCE)
      throw new AppError(
        'BAD_REQUEST',
        `More than ${MOST_AT_ONCE.toLocaleString('en')} sounds cannot be pulled at once.`,
      );
    added = rowCount ?? 0;
    return [];
  });
  return { added };
}

/** Throws NOT_FOUND. */
async function entryOf(db: Queryable, id: number): Promise<typeof pullEntries.$inferSelect> {
  const [entry] = await db.select().from(pullEntries).where(eq(pullEntries.id, id));
  if (!entry) throw new AppError('NOT_FOUND', `There is no entry ${id} in a pull list any more.`);
  return entry;
}

/** Comments on an entry, or gives it another setting. Returns the entries of its list. */
export async function updateEntry(
  app: AppContext,
  id: number,
  values: z.infer<typeof pullEntryChangeSchema>,
  personId: number,
  sight: Sight,
): Promise<PullEntry[]> {
  const { listId } = await entryOf(app.db, id);
  const { name } = await pullList(app, listId);
  await asAct(app, { personId, listIds: [listId], summary: `Entry of “${name}” changed` }, async (tx) => {
    if (Object.keys(values).length > 0) await tx.update(pullEntries).set(values).where(eq(pullEntries.id, id));
    return [];
  });
  return entriesOf(app, listId, sight);
}

/**
 * Takes entries, of this list and of others, into a list in the order in which they stand, list by list. Those that somebody removed meanwhile are left out. Throws NOT_FOUND when all were, or stand in lists
 * that are not seen, and BAD_REQUEST for a place that is no place of the list. Returns the entries of the list.
 */
export async function takeEntries(
  app: AppContext,
  listId: number,
  { entryIds, before }: { entryIds: readonly number[]; before: number | null },
  personId: number,
  sight: Sight,
): Promise<PullEntry[]> {
  const { name } = await pullList(app, listId);
  const { rows } = await app.db.execute<{ list_id: number }>(sql`
    select distinct e.list_id from pull_entries e join pull_lists l on l.id = e.list_id where e.id = any(${idList(entryIds)}) and ${pullListIsSeen(sight, personId)}`);
  const sources = rows.map(({ list_id: id }) => id);
  const act = {
    personId,
    listIds: [...new Set([...sources, listId])],
    summary: `${entryIds.length === 1 ? 'Entry' : 'Entries'} of “${name}” moved`,
  };
  await asAct(app, act, async (tx) => {
    const { rows: found } = await tx.execute<{ id: number }>(sql`
      select e.id from pull_entries e where e.id = any(${idList(entryIds)}) and e.list_id = any(${idList(sources)}) and ${soundIsSeen(sight, sql`e.sound_id`)}
      order by e.list_id <> ${listId}, e.list_id, e.place, e.id`);
    const ids = found.map(({ id }) => id);
    if (ids.length === 0) throw new AppError('NOT_FOUND', 'None of these entries is in a pull list any more.');
    const places = await placesBefore(tx, listId, before, ids);
    await tx.execute(sql`
      update pull_entries e set list_id = ${listId}, place = n.place
      from unnest(${idList(ids)}, ${sql.param(places)}::float8[]) n(id, place) where n.id = e.id`);
    return [];
  });
  return entriesOf(app, listId, sight);
}

/**
 * Numbers between an entry and the one above it, for as many that come there; behind all for null. When no numbers are left between them, all are numbered anew. Throws BAD_REQUEST for an entry of another
 * list, and for one of those that come.
 */
async function placesBefore(
  db: Queryable,
  listId: number,
  before: number | null,
  comingIds: readonly number[],
): Promise<number[]> {
  if (before !== null && comingIds.includes(before))
    throw new AppError('BAD_REQUEST', 'An entry cannot stand before itself.');
  const read = async (): Promise<{ above: number | null; at: number | null }> => {
    const other = before === null ? undefined : await entryOf(db, before);
    if (other && other.listId !== listId) throw new AppError('BAD_REQUEST', 'Both entries have to stand in one list.');
    const bound = other ? sql`and place < ${other.place}` : sql``;
    const { rows } = await db.execute<{ above: number | null }>(
      sql`select max(place) as above from pull_entries where list_id = ${listId} and not id = any(${idList(comingIds)}) ${bound}`,
    );
    return { above: rows[0]?.above ?? null, at: other?.place ?? null };
  };
  let { above, at } = await read();
  const between = (): number[] => {
    const [low, high] = [above ?? (at ?? 1) - 1, at ?? (above ?? 0) + 1];
    return comingIds.map((_, nth) => low + ((high - low) * (nth + 1)) / (comingIds.length + 1));
  };
  const areApart = (places: number[]): boolean =>
    [above ?? -Infinity, ...places, at ?? Infinity].every(
      (place, nth, all) => nth === 0 || place > (all[nth - 1] as number),
    );
  if (!areApart(between())) {
    await db.execute(sql`
      update pull_entries e set place = n.place from (select id, row_number() over (order by place, id) as place from pull_entries where list_id = ${listId}) n
      where n.id = e.id`);
    ({ above, at } = await read());
  }
  return between();
}

/** Takes entries off a list; those that stand in another one by now stay there. */
export async function removeEntries(
  app: AppContext,
  listId: number,
  entryIds: readonly number[],
  personId: number,
  sight: Sight,
): Promise<PullEntry[]> {
  const { name } = await pullList(app, listId);
  const summary = `${entryIds.length === 1 ? 'Entry' : 'Entries'} of “${name}” removed`;
  await asAct(app, { personId, listIds: [listId], summary }, async (tx) => {
    await tx.execute(sql`
      delete from pull_entries e where e.list_id = ${listId} and e.id = any(${idList(entryIds)}) and ${soundIsSeen(sight, sql`e.sound_id`)}`);
    return [];
  });
  return entriesOf(app, listId, sight);
}

/** A list's entry, for its export. Throws NOT_FOUND. */
export function pullEntry(app: AppContext, id: number): Promise<typeof pullEntries.$inferSelect> {
  return entryOf(app.db, id);
}

/** Where, when and by whom a sound was used, the latest first: pulled onto lists that are seen, or copied out. */
export async function usesOf(app: AppContext, soundId: number, personId: number, sight: Sight): Promise<SoundUse[]> {
  const { rows } = await app.db.execute<SoundUse & Record<string, unknown>>(sql`
    select to_json(u.at) #>> '{}' as at, p.name as person, u.list, u.folder, u.delivery from (
      select o.copied_at as at, o.person_id, null::jsonb as list, o.folder, o.delivery from copies_out o where o.sound_id = ${soundId}
      union all
      select e.added_at, e.added_by, jsonb_build_object('id', l.id, 'name', l.name, 'show', l.show, 'scene', l.scene), '', ''
      from pull_entries e join pull_lists l on l.id = e.list_id where e.sound_id = ${soundId} and ${pullListIsSeen(sight, personId)}) u
    join people p on p.id = u.person_id order by u.at desc limit ${MOST_USES}`);
  return rows;
}
