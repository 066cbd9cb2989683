import { AppError } from '@flagstone/core/errors';
import type { Batch, BatchSplit, SplitPart } from '@flagstone/contract/intake';
import { eq, sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable, Transaction } from '../db/connect.ts';
import { allOf } from '../db/sql-parts.ts';
import { batches } from '../db/schema.ts';
import { selectionParts } from '../records/sound-rows.ts';
import type { Sight } from '../rights/rights.ts';
import { collectionIsSeen, type SeenSelection } from '../rights/seen.ts';
import { getBatch } from './batches.ts';

/** Most parts of one splitting: more are told, and none is made. */
const MOST_PARTS = 100;
/** Ends of the lengths by which a batch is split, s: single events, takes, longer ones, beds (common practice). */
const LENGTHS = [
  { below: 2, name: 'under 2 s' },
  { below: 10, name: '2 to 10 s' },
  { below: 60, name: '10 to 60 s' },
];
const LONGEST = 'from 60 s';

/** The rows of a batch, each with the group that it falls into. The first group by its order stays in the batch. */
function groupsOf(batchId: number, { by, size }: BatchSplit): SQL {
  const rows = sql`from batch_items i join copies c on c.id = i.copy_id join sounds s on s.id = c.sound_id where i.batch_id = ${batchId}`;
  if (by === 'number')
    return sql`select copy_id, ((n - 1) / ${size}::int)::int as place, ((n - 1) / ${size}::int + 1)::text as name
      from (select i.copy_id, row_number() over (order by c.folder, lower(c.name), c.id) as n ${rows}) o`;
  if (by === 'length') {
    const cases = LENGTHS.map(({ below }, at) => sql`when s.duration_seconds < ${below}::float8 then ${at}::int`);
    const names = [...LENGTHS.map(({ name }) => name), LONGEST];
    return sql`select copy_id, place, (${sql.param(names)}::text[])[place + 1] as name
      from (select i.copy_id, case ${sql.join(cases, sql` `)} else ${LENGTHS.length}::int end as place ${rows}) o`;
  }
  if (by === 'type')
    return sql`select copy_id, dense_rank() over (order by lower(kind)) - 1 as place, lower(kind) as name
      from (select i.copy_id, coalesce(substring(c.name from '\\.[^.]+$'), 'without extension') as kind ${rows}) o`;
  // By the first folder below the one that holds all of them; files in that one itself come first.
  return sql`select copy_id, dense_rank() over (order by name) - 1 as place, name from (
    select copy_id, case when parts[1:depth] = parts then '' else parts[depth + 1] end as name from (
      select i.copy_id, string_to_array(c.folder, '/') as parts, (${commonDepth(batchId)}) as depth ${rows}) p) o`;
}

/** How many folders deep all files of a batch lie in the same ones. */
const commonDepth = (batchId: number): SQL => sql`
  select coalesce(max(depth), 0) from (
    select d.depth from (select string_to_array(c.folder, '/') as parts from batch_items i join copies c on c.id = i.copy_id where i.batch_id = ${batchId}) f
    cross join lateral generate_subscripts(f.parts, 1) d(depth) group by d.depth
    having count(distinct f.parts[1:d.depth]) = 1 and count(*) = (select count(*) from batch_items i where i.batch_id = ${batchId})) same`;

/** Lists of batches, and pages of one, are asked for anew. */
const tellEverybody = (app: AppContext): Promise<void> => app.live.publish(app.db, { type: 'records', soundIds: [] });

/** What splitting a batch would give, in its order; the first part is what stays. Throws NOT_FOUND, TOO_LARGE. */
export async function previewSplit(app: AppContext, id: number, split: BatchSplit, sight: Sight): Promise<SplitPart[]> {
  const batch = await getBatch(app, id, sight);
  return partsOf(app.db, batch, split);
}

async function partsOf(db: Queryable, { id, name }: Batch, split: BatchSplit): Promise<SplitPart[]> {
  const { rows } = await db.execute<{ place: number; name: string; files: number }>(sql`
    select place::int as place, name, count(*)::int as files from (${groupsOf(id, split)}) g group by place, name order by place limit ${MOST_PARTS + 1}`);
  if (rows.length > MOST_PARTS)
    throw new AppError('TOO_LARGE', `That would make more than ${MOST_PARTS} batches: split it another way.`);
  return rows.map((row) => ({
    place: row.place,
    name: row.place === 0 ? name : `${name} · ${row.name || 'loose files'}`,
    files: row.files,
  }));
}

/** Splits a batch: its first part stays in it, and each of the others becomes a batch that can be folded back. Throws what previewSplit throws, NOTHING_SELECTED where it is one part. */
export async function splitBatch(
  app: AppContext,
  id: number,
  split: BatchSplit,
  personId: number,
  sight: Sight,
): Promise<Batch[]> {
  const batch = await getBatch(app, id, sight);
  const made = await app.db.transaction(async (tx) => {
    const root = await lockOpen(tx, id);
    const parts = await partsOf(tx, batch, split);
    if (parts.length < 2) throw new AppError('NOTHING_SELECTED', 'All of it falls into one part.');
    await tx.execute(sql`create temporary table split_rows on commit drop as ${groupsOf(id, split)}`);
    const ids: number[] = [];
    for (const part of parts.slice(1)) {
      const partId = await makePart(tx, part.name, { ...root, personId });
      await tx.execute(sql`
        update batch_items i set batch_id = ${partId}, is_moved = true from split_rows g
        where i.batch_id = ${id} and i.copy_id = g.copy_id and g.place = ${part.place}`);
      ids.push(partId);
    }
    return ids;
  });
  await tellEverybody(app);
  return Promise.all([id, ...made].map((each) => getBatch(app, each, sight)));
}

/** A batch that is not filed, held so that nobody files or folds it meanwhile. Throws NOT_FOUND, CONFLICT. */
async function lockOpen(
  tx: Transaction,
  id: number,
): Promise<{ folderId: number; rootId: number; filedAt: Date | null }> {
  const [row] = await tx.select().from(batches).where(eq(batches.id, id)).for('update');
  if (!row) throw new AppError('NOT_FOUND', `There is no batch ${id}.`);
  if (row.filedAt) throw new AppError('CONFLICT', `“${row.name}” is filed: its sounds are in the catalogue.`);
  return { folderId: row.folderId, rootId: row.partOf ?? row.id, filedAt: row.filedAt };
}

async function makePart(
  tx: Transaction,
  name: string,
  { folderId, rootId, personId }: { folderId: number; rootId: number; personId: number },
): Promise<number> {
  const [row] = await tx
    .insert(batches)
    .values({ name, folderId, createdBy: personId, partOf: rootId })
    .returning({ id: batches.id });
  if (!row) throw new AppError('INTERNAL', 'The batch could not be recorded.');
  return row.id;
}

/** Where rows are moved: to a batch that is open, or to a new one. */
export type MoveTarget = { batchId: number } | { name: string };

/** Moves selected rows of a batch to another one of the same collection; returns how many. Throws NOT_FOUND, CONFLICT for one that is filed or of another collection, NOTHING_SELECTED. */
export async function moveRows(
  app: AppContext,
  id: number,
  selection: SeenSelection,
  to: MoveTarget,
  personId: number,
  sight: Sight,
): Promise<{ moved: number; batch: Batch }> {
  await getBatch(app, id, sight);
  if ('batchId' in to) await getBatch(app, to.batchId, sight);
  const { tables, conditions } = selectionParts(selection);
  const outcome = await app.db.transaction(async (tx) => {
    // In the order of their numbers, so that two who move to and fro never wait for each other.
    const ids = 'batchId' in to ? [id, to.batchId].sort((a, b) => a - b) : [id];
    const locked = new Map<number, Awaited<ReturnType<typeof lockOpen>>>();
    for (const each of ids) locked.set(each, await lockOpen(tx, each));
    const own = locked.get(id);
    if (!own) throw new AppError('NOT_FOUND', `There is no batch ${id}.`);
    const target = 'batchId' in to ? to.batchId : await makePart(tx, to.name, { ...own, personId });
    if (!(await haveOneCollection(tx, id, target)))
      throw new AppError('CONFLICT', 'The other batch is of another collection.');
    const { rows } = await tx.execute<{ moved: number }>(sql`
      with chosen as (select c.id from ${tables} where ${allOf(conditions)}),
      gone as (delete from batch_items i using chosen where i.batch_id = ${id} and i.copy_id = chosen.id returning i.copy_id, i.found, i.scan_id),
      come as (insert into batch_items (batch_id, copy_id, found, scan_id, is_moved) select ${target}::int, copy_id, found, scan_id, true from gone
        on conflict (batch_id, copy_id) do update set is_moved = true returning copy_id)
      select count(*)::int as moved from come`);
    const moved = rows[0]?.moved ?? 0;
    if (moved === 0) throw new AppError('NOTHING_SELECTED', 'None of the selected rows is in this batch any more.');
    return { moved, target };
  });
  await tellEverybody(app);
  return { moved: outcome.moved, batch: await getBatch(app, outcome.target, sight) };
}

async function haveOneCollection(tx: Transaction, one: number, other: number): Promise<boolean> {
  const { rows } = await tx.execute<{ collections: number }>(sql`
    select count(distinct f.collection_id)::int as collections from batches b join folders f on f.id = b.folder_id where b.id in (${one}, ${other})`);
  return rows[0]?.collections === 1;
}

/** Folds a part back into the batch that it was split off from; it is listed no more. Throws NOT_FOUND, CONFLICT for one that is no part, or where either is filed. */
export async function foldBack(app: AppContext, id: number, sight: Sight): Promise<Batch> {
  await getBatch(app, id, sight);
  const rootId = await app.db.transaction(async (tx) => {
    const [row] = await tx.select().from(batches).where(eq(batches.id, id));
    if (!row || row.partOf === null) throw new AppError('CONFLICT', 'This batch was not split off from another one.');
    for (const each of [id, row.partOf].sort((a, b) => a - b)) await lockOpen(tx, each);
    await tx.execute(sql`
      with gone as (delete from batch_items where batch_id = ${id} returning copy_id, found, scan_id)
      insert into batch_items (batch_id, copy_id, found, scan_id) select ${row.partOf}::int, copy_id, found, scan_id from gone
      on conflict (batch_id, copy_id) do update set is_moved = false`);
    return row.partOf;
  });
  await tellEverybody(app);
  return getBatch(app, rootId, sight);
}

/** Names a batch anew, or gives it to somebody of its collection to prepare; null for whoever comes. Throws NOT_FOUND. */
export async function updateBatch(
  app: AppContext,
  id: number,
  { name, givenTo }: { name?: string | undefined; givenTo?: number | null | undefined },
  sight: Sight,
): Promise<Batch> {
  await getBatch(app, id, sight);
  if (typeof givenTo === 'number') {
    const { rows } = await app.db.execute(sql`
      select from people p where p.id = ${givenTo} and p.ended_at is null and (p.is_administrator or exists (
        select from collection_people m join folders f on f.collection_id = m.collection_id join batches b on b.folder_id = f.id
        where b.id = ${id} and m.person_id = p.id and m.role in ('assistant', 'librarian') and ${collectionIsSeen(sight, sql`m.collection_id`)}))`);
    if (rows.length === 0) throw new AppError('NOT_FOUND', 'Nobody of that number prepares sounds of this collection.');
  }
  const set = { ...(name === undefined ? {} : { name }), ...(givenTo === undefined ? {} : { givenTo }) };
  if (Object.keys(set).length > 0) {
    await app.db.update(batches).set(set).where(eq(batches.id, id));
    await tellEverybody(app);
  }
  return getBatch(app, id, sight);
}
