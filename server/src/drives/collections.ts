import { AppError } from '@flagstone/core/errors';
import { parseTemplate, STANDARD_PATTERN, type NamingPattern } from '@flagstone/core/naming/naming-pattern';
import type { Collection, CollectionChange } from '@flagstone/contract/collections';
import { eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Transaction } from '../db/connect.ts';
import { collectionPeople, collections, folders } from '../db/schema.ts';
import { idList } from '../db/sql-parts.ts';

/** All collections by name, retired ones last. */
export async function listCollections(app: Pick<AppContext, 'db'>): Promise<Collection[]> {
  const { rows } = await app.db.execute<{
    id: number;
    name: string;
    pattern: NamingPattern | null;
    retired: boolean;
    folders: number;
    files: number;
    person_ids: number[];
  }>(sql`
    with held as (select read_folder_id, count(*) as files from copies where not gone group by read_folder_id)
    select o.id, o.name, o.pattern, o.retired_at is not null as retired, count(f.id) as folders, coalesce(sum(h.files), 0)::bigint as files,
      array(select person_id from collection_people p where p.collection_id = o.id order by person_id) as person_ids
    from collections o left join folders f on f.collection_id = o.id left join held h on h.read_folder_id = f.id
    group by o.id order by retired, lower(o.name)`);
  return rows.map(({ person_ids: personIds, ...row }) => ({ ...row, personIds }));
}

/** Makes a collection; throws CONFLICT when the name is taken. */
export async function makeCollection(app: AppContext, name: string): Promise<Collection[]> {
  await app.db.transaction(async (tx) => {
    await refuseTaken(tx, name);
    await tx.insert(collections).values({ name });
  });
  return listCollections(app);
}

/** Names a collection anew, sets its pattern and people, retires it or takes it back. Throws NOT_FOUND, CONFLICT, PATTERN_INVALID. */
export async function updateCollection(app: AppContext, id: number, change: CollectionChange): Promise<Collection[]> {
  if (change.pattern?.kind === 'free') parseTemplate(change.pattern.template);
  await app.db.transaction(async (tx) => {
    await lockCollection(tx, id);
    if (change.name !== undefined) await refuseTaken(tx, change.name, id);
    const set = {
      ...(change.name === undefined ? {} : { name: change.name }),
      ...(change.pattern === undefined ? {} : { pattern: change.pattern }),
      ...(change.retired === undefined ? {} : { retiredAt: change.retired ? new Date() : null }),
    };
    if (Object.keys(set).length > 0) await tx.update(collections).set(set).where(eq(collections.id, id));
    if (change.retired) await keepOneOpen(tx);
    if (change.personIds === undefined) return;
    await tx.delete(collectionPeople).where(eq(collectionPeople.collectionId, id));
    await addPeople(tx, id, change.personIds);
  });
  return listCollections(app);
}

/** Puts the folders, the people and what was learned of a collection into another one and removes it. No record changes. Throws NOT_FOUND, BAD_REQUEST. */
export async function mergeCollection(app: AppContext, id: number, intoId: number): Promise<Collection[]> {
  if (id === intoId) throw new AppError('BAD_REQUEST', 'A collection cannot be merged into itself.');
  await app.db.transaction(async (tx) => {
    for (const each of [id, intoId].sort((a, b) => a - b)) await lockCollection(tx, each);
    await tx.update(folders).set({ collectionId: intoId }).where(eq(folders.collectionId, id));
    const members = await tx.select().from(collectionPeople).where(eq(collectionPeople.collectionId, id));
    await addPeople(
      tx,
      intoId,
      members.map(({ personId }) => personId),
    );
    await tx.execute(sql`
      insert into learned_words (collection_id, word, cat_id, times)
      select ${intoId}::int, word, cat_id, times from learned_words where collection_id = ${id}
      on conflict (collection_id, word, cat_id) do update set times = learned_words.times + excluded.times`);
    await tx.delete(collections).where(eq(collections.id, id));
    await keepOneOpen(tx);
  });
  return listCollections(app);
}

async function lockCollection(tx: Transaction, id: number): Promise<void> {
  const found = await tx.select({ id: collections.id }).from(collections).where(eq(collections.id, id)).for('update');
  if (found.length === 0) throw new AppError('NOT_FOUND', 'There is no such collection.');
}

async function refuseTaken(tx: Transaction, name: string, own = 0): Promise<void> {
  const { rows } = await tx.execute(
    sql`select from collections where lower(name) = lower(${name}) and id <> ${own} for update`,
  );
  if (rows.length > 0) throw new AppError('CONFLICT', `There is a collection “${name}” already.`);
}

/** New folders need a collection to go to. */
async function keepOneOpen(tx: Transaction): Promise<void> {
  const { rows } = await tx.execute(sql`select from collections where retired_at is null limit 1`);
  if (rows.length === 0) throw new AppError('BAD_REQUEST', 'The last collection that is in use cannot be retired.');
}

async function addPeople(tx: Transaction, collectionId: number, personIds: readonly number[]): Promise<void> {
  await tx.execute(sql`
    insert into collection_people (collection_id, person_id) select ${collectionId}::int, id from people where id = any(${idList(personIds)})
    on conflict do nothing`);
}

/** The naming pattern of each copy, by the collection that it belongs to. */
export async function patternsOf(
  app: Pick<AppContext, 'db'>,
  copyIds: readonly number[],
): Promise<(copyId: number) => NamingPattern> {
  const { rows } = await app.db.execute<{ id: number; pattern: NamingPattern }>(sql`
    select c.id, o.pattern from copies c join folders f on f.id = c.read_folder_id join collections o on o.id = f.collection_id
    where c.id = any(${idList(copyIds)}) and o.pattern is not null`);
  const own = new Map(rows.map((row) => [row.id, row.pattern]));
  return (copyId) => own.get(copyId) ?? STANDARD_PATTERN;
}
