import { AppError } from '@flagstone/core/errors';
import type { RemovalPreview, RemovedSound } from '@flagstone/contract/removals';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { allOf, idList } from '../db/sql-parts.ts';
import { removals } from '../db/schema.ts';
import type { Sight } from '../rights/rights.ts';
import { collectionIsSeen, soundIsSeen, type SeenSelection } from '../rights/seen.ts';
import { recordRows, type Rows } from './act-rows.ts';
import { lockRecords } from './search-conditions.ts';
import { selectionParts } from './sound-rows.ts';

/** Whether somebody is a librarian of everything that holds a sound: it goes from the catalogue for all. */
function isWhollyTheirs(sight: Sight, soundId: SQL): SQL {
  if (sight === 'all') return sql`true`;
  return sql`not exists (select from copies o left join folders w on w.id = o.read_folder_id
    where o.sound_id = ${soundId} and not o.gone and not coalesce(${collectionIsSeen(sight, sql`w.collection_id`)}, false))`;
}

/** The filed sounds of a selection, each once; `s` is the sound, and `theirs` says whether they may be taken out. */
function chosenSounds(selection: SeenSelection, sight: Sight): SQL {
  const { tables, conditions } = selectionParts(selection);
  return sql`select s.id, s.filed_at, ${isWhollyTheirs(sight, sql`s.id`)} as theirs from sounds s
    where s.filed_at is not null and s.id in (select c.sound_id from ${tables} where ${allOf(conditions)})`;
}

/** What taking a selection out of the catalogue would concern. Changes nothing. */
export async function previewRemoval(app: AppContext, selection: SeenSelection, sight: Sight): Promise<RemovalPreview> {
  const { rows } = await app.db.execute<Record<keyof RemovalPreview, number>>(sql`
    with chosen as materialized (${chosenSounds(selection, sight)}), theirs as (select id from chosen where theirs)
    select (select count(*) from theirs) as sounds, (select count(*) from chosen where not theirs) as kept,
      (select count(*) from copies c where not c.gone and c.sound_id in (select id from theirs)) as files,
      (select count(distinct e.sound_id) from pull_entries e where e.sound_id in (select id from theirs)) as "inLists",
      (select count(distinct o.sound_id) from copies_out o where o.sound_id in (select id from theirs)) as used`);
  const [row] = rows;
  const count = (key: keyof RemovalPreview): number => Number(row?.[key] ?? 0);
  return {
    sounds: count('sounds'),
    files: count('files'),
    inLists: count('inLists'),
    used: count('used'),
    kept: count('kept'),
  };
}

/**
 * Takes the filed sounds of a selection out of the catalogue, for a reason; files, records and all that was said of them stay. Those that are also in a collection outside of `sight` stay. It is one act,
 * which can be undone. Throws NOTHING_SELECTED.
 */
export async function removeSounds(
  app: AppContext,
  selection: SeenSelection,
  reason: string,
  personId: number,
  sight: Sight,
): Promise<{ removed: number; kept: number }> {
  const outcome = await app.db.transaction(async (tx) => {
    await tx.execute(sql`create temporary table taken_out on commit drop as ${chosenSounds(selection, sight)}`);
    const { rows: counts } = await tx.execute<{ removed: number; kept: number }>(
      sql`select count(*) filter (where theirs)::int as removed, count(*) filter (where not theirs)::int as kept from taken_out`,
    );
    const { removed = 0, kept = 0 } = counts[0] ?? {};
    if (removed === 0)
      throw new AppError(
        'NOTHING_SELECTED',
        kept > 0
          ? 'All of these sounds are also in collections in which you are no librarian.'
          : 'None of these sounds is in the catalogue.',
      );
    // Made as if it were taken back already, then done: undoing and doing again are one and the same way.
    const [row] = await tx
      .insert(removals)
      .values({ personId, reason, undoneAt: sql`now()` })
      .returning({ id: removals.id });
    if (!row) throw new AppError('INTERNAL', 'The removal could not be recorded.');
    await tx.execute(
      sql`insert into removed_sounds (removal_id, sound_id, filed_at) select ${row.id}::int, id, filed_at from taken_out where theirs`,
    );
    const before = await removalRow(tx, row.id);
    await turnRemoval(tx, row.id, sql`true`, null);
    const summary = `Took ${removed} ${removed === 1 ? 'sound' : 'sounds'} out of the catalogue`;
    await recordRows(tx, { personId, kind: 'file', summary }, before, await removalRow(tx, row.id));
    return { removed, kept };
  });
  await app.live.publish(app.db, { type: 'records', soundIds: [] });
  return outcome;
}

async function removalRow(tx: Queryable, id: number): Promise<Rows> {
  const { rows } = await tx.execute<{ row: Record<string, unknown> }>(
    sql`select to_jsonb(m) as row from removals m where id = ${id}`,
  );
  return new Map(rows.map(({ row }) => [`removals ${id}`, row]));
}

/** Takes the sounds of a removal out of the catalogue, or, with the time at which it was taken back, files them again as they were; false where the removal is not as expected any more. */
export async function turnRemoval(
  tx: Queryable,
  id: number,
  isAsExpected: SQL,
  undoneAt: string | null,
): Promise<boolean> {
  const isOut = undoneAt === null;
  const { rows } = await tx.execute(sql`select from removals where id = ${id} and ${isAsExpected} for update`);
  if (rows.length === 0) return false;
  const ofRemoval = sql`select sound_id from removed_sounds where removal_id = ${id}`;
  await lockRecords(tx, ofRemoval);
  await tx.execute(
    isOut
      ? sql`update sounds set filed_at = null where filed_at is not null and id in (${ofRemoval})`
      : sql`update sounds s set filed_at = x.filed_at from removed_sounds x where x.removal_id = ${id} and x.sound_id = s.id and s.filed_at is null`,
  );
  await tx.execute(sql`update removals set undone_at = ${undoneAt}::timestamptz where id = ${id}`);
  return true;
}

const PAGE = 200;

/** The sounds that are out of the catalogue, those taken out last first; with words, those whose name, folder or reason holds them. */
export async function listRemoved(
  app: AppContext,
  { q, after }: { q: string; after: string },
  sight: Sight,
): Promise<{ sounds: RemovedSound[]; next: string | null; total: number }> {
  const [at = '', soundId = ''] = after.split(' ');
  const isLater =
    after === '' ? sql`true` : sql`(m.removed_at, x.sound_id) < (${at}::timestamptz, ${Number(soundId) || 0}::bigint)`;
  const words = `%${q.trim().replaceAll(/[\\%_]/g, (sign) => `\\${sign}`)}%`;
  const from = sql`removed_sounds x join removals m on m.id = x.removal_id and m.undone_at is null join people p on p.id = m.person_id
    left join lateral (select c.name, c.folder, d.name as drive from copies c join drives d on d.id = c.drive_id where c.sound_id = x.sound_id order by c.gone, c.id limit 1) c on true
    where ${soundIsSeen(sight, sql`x.sound_id`)} and (c.name ilike ${words} or c.folder ilike ${words} or m.reason ilike ${words})`;
  const { rows } = await app.db.execute<{
    sound_id: number;
    name: string | null;
    folder: string | null;
    drive: string | null;
    reason: string;
    person: string;
    at: string;
  }>(sql`
    select x.sound_id, c.name, c.folder, c.drive, m.reason, p.name as person, m.removed_at::text as at from ${from} and ${isLater} order by m.removed_at desc, x.sound_id desc limit ${PAGE + 1}`);
  const { rows: counted } = await app.db.execute<{ total: number }>(sql`select count(*)::int as total from ${from}`);
  const last = rows.length > PAGE ? rows[PAGE - 1] : undefined;
  return {
    sounds: rows.slice(0, PAGE).map((row) => ({
      soundId: Number(row.sound_id),
      name: row.name ?? '(its files are gone)',
      folder: row.folder ?? '',
      driveName: row.drive ?? '',
      reason: row.reason,
      person: row.person,
      removedAt: new Date(row.at).toISOString(),
    })),
    next: last ? `${last.at.replace(' ', 'T')} ${last.sound_id}` : null,
    total: counted[0]?.total ?? 0,
  };
}

/** Files sounds again that were taken out, as they were filed before; returns how many. Those of collections outside of `sight` stay out. */
export async function bringSoundsBack(app: AppContext, soundIds: readonly number[], sight: Sight): Promise<number> {
  const broughtBack = await app.db.transaction(async (tx) => {
    await lockRecords(tx, [...soundIds]);
    const { rows } = await tx.execute<{ count: number }>(sql`
      with back as (
        delete from removed_sounds x using removals m where m.id = x.removal_id and m.undone_at is null and x.sound_id = any(${idList(soundIds)})
          and ${isWhollyTheirs(sight, sql`x.sound_id`)} returning x.sound_id, x.filed_at),
      filed as (update sounds s set filed_at = b.filed_at from back b where s.id = b.sound_id and s.filed_at is null returning s.id)
      select count(*)::int as count from back`);
    return rows[0]?.count ?? 0;
  });
  await app.live.publish(app.db, { type: 'records', soundIds: [] });
  return broughtBack;
}
