import { AppError } from '@flagstone/core/errors';
import { parseTemplate, STANDARD_PATTERN, type NamingPattern } from '@flagstone/core/naming/naming-pattern';
import type { Collection, CollectionChange } from '@flagstone/contract/collections';
import type { Role } from '@flagstone/contract/roles';
import { eq, sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import type { Transaction } from '../db/connect.ts';
import { arrivals } from '../db/arrivals-schema.ts';
import { collections, folders } from '../db/schema.ts';
import { idList } from '../db/sql-parts.ts';
import { collectionIsSeen } from '../rights/seen.ts';

/** The collections that somebody sees by name, retired ones last. */
export async function listCollections(app: Pick<AppContext, 'db'>, sight: Sight): Promise<Collection[]> {
  const { rows } = await app.db.execute<{
    id: number;
    name: string;
    pattern: NamingPattern | null;
    asksReview: boolean;
    retired: boolean;
    landingPath: string | null;
    shelfPath: string | null;
    shelfTemplate: string;
    folders: number;
    files: number;
    people: { personId: number; role: Role }[];
  }>(sql`
    with held as (select read_folder_id, count(*) as files from copies where not gone group by read_folder_id)
    select o.id, o.name, o.pattern, o.asks_review as "asksReview", o.retired_at is not null as retired,
      ${pathOf(sql`l.root_path`, sql`o.landing_folder`)} as "landingPath", ${pathOf(sql`t.root_path`, sql`o.shelf_folder`)} as "shelfPath", o.shelf_template as "shelfTemplate", count(f.id) as folders, coalesce(sum(h.files), 0)::bigint as files,
      coalesce((select jsonb_agg(jsonb_build_object('personId', m.person_id, 'role', m.role) order by m.person_id)
        from collection_people m where m.collection_id = o.id), '[]') as people
    from collections o left join folders f on f.collection_id = o.id left join held h on h.read_folder_id = f.id
      left join drives l on l.id = o.landing_drive_id left join drives t on t.id = o.shelf_drive_id
    where ${collectionIsSeen(sight, sql`o.id`)} group by o.id, l.id, t.id order by retired, lower(o.name)`);
  return rows;
}

/** An absolute path of a drive and a folder of it; null where there is no drive. */
const pathOf = (root: SQL, folder: SQL): SQL =>
  sql`${root} || case when ${folder} = '' then '' else '/' || ${folder} end`;

/** Makes a collection; throws CONFLICT when the name is taken. */
export async function makeCollection(app: AppContext, name: string, sight: Sight): Promise<Collection[]> {
  await app.db.transaction(async (tx) => {
    await refuseTaken(tx, name);
    await tx.insert(collections).values({ name });
  });
  return listCollections(app, sight);
}

/** Names a collection anew, sets its pattern, has it ask for review, retires it or takes it back. Throws NOT_FOUND, CONFLICT, PATTERN_INVALID. */
export async function updateCollection(app: AppContext, id: number, change: CollectionChange): Promise<void> {
  if (change.pattern?.kind === 'free') parseTemplate(change.pattern.template);
  await app.db.transaction(async (tx) => {
    await lockCollection(tx, id);
    if (change.name !== undefined) await refuseTaken(tx, change.name, id);
    const set = {
      ...(change.name === undefined ? {} : { name: change.name }),
      ...(change.pattern === undefined ? {} : { pattern: change.pattern }),
      ...(change.asksReview === undefined ? {} : { asksReview: change.asksReview }),
      ...(change.retired === undefined ? {} : { retiredAt: change.retired ? new Date() : null }),
    };
    if (Object.keys(set).length > 0) await tx.update(collections).set(set).where(eq(collections.id, id));
    if (change.retired) await keepOneOpen(tx);
  });
}

/** Puts the folders, the people and what was learned of a collection into another one and removes it. No record changes. Throws NOT_FOUND, BAD_REQUEST. */
export async function mergeCollection(
  app: AppContext,
  id: number,
  intoId: number,
  sight: Sight,
): Promise<Collection[]> {
  if (id === intoId) throw new AppError('BAD_REQUEST', 'A collection cannot be merged into itself.');
  await app.db.transaction(async (tx) => {
    for (const each of [id, intoId].sort((a, b) => a - b)) await lockCollection(tx, each);
    // The sets that hold it hold the other one: then no sound has to be looked at again.
    await tx.execute(sql`
      update collection_sets set collection_ids = array(select distinct case when held = ${id} then ${intoId}::int else held end from unnest(collection_ids) held order by 1)
      where ${id} = any(collection_ids)`);
    await tx.update(folders).set({ collectionId: intoId }).where(eq(folders.collectionId, id));
    await tx.update(arrivals).set({ collectionId: intoId }).where(eq(arrivals.collectionId, id));
    // Who has a role there already keeps that: a merge gives nobody more of it.
    await tx.execute(sql`
      insert into collection_people (collection_id, person_id, role)
      select ${intoId}::int, person_id, role from collection_people where collection_id = ${id} on conflict do nothing`);
    await tx.execute(sql`
      insert into learned_words (collection_id, word, cat_id, times)
      select ${intoId}::int, word, cat_id, times from learned_words where collection_id = ${id}
      on conflict (collection_id, word, cat_id) do update set times = learned_words.times + excluded.times`);
    await tx.delete(collections).where(eq(collections.id, id));
    await keepOneOpen(tx);
    await app.live.publish(tx, { type: 'people' });
  });
  return listCollections(app, sight);
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
