import { DRIFT_STATES, type Drift, type DriftCounts, type DriftDay, type DriftFolder } from '@flagstone/contract/drift';
import { NOT_IN_STEP } from '@flagstone/core/record/copy-states';
import { sql } from 'drizzle-orm';
import type { Database, Queryable } from '../db/connect.ts';
import type { Sight } from '../rights/rights.ts';
import { collectionIsSeen, copyIsSeen } from '../rights/seen.ts';

/** Days of which the counts are kept. */
const KEPT_DAYS = 400;

/**
 * How copies stand to their records, by drive and folder that was read: from sums that are kept, so that a million copies take no longer than a thousand. Whether a drive
 * is away is what the server saw last, unless somebody who has just looked says so.
 */
export async function driftOf(db: Queryable, sight: Sight, isAwayNow?: (driveId: string) => boolean): Promise<Drift> {
  const { rows } = await db.execute<{
    drive_id: string;
    folder_id: number | null;
    folder: string | null;
    collection_id: number | null;
    last_read_at: string | null;
    counts: Record<string, number>;
  }>(sql`
    with counted as (
      select c.drive_id, c.read_folder_id as folder_id, c.state, sum(c.copies)::int as copies from drift_counts c where ${copyIsSeen(sight)} group by 1, 2, 3
      union all
      select u.drive_id, b.folder_id, 'unreadable', count(*)::int from unreadable u join batches b on b.id = u.batch_id
      where ${copyIsSeen(sight, sql`b.folder_id`)} group by 1, 2)
    select c.drive_id, c.folder_id, w.path as folder, w.collection_id, to_json(w.last_read_at) #>> '{}' as last_read_at, jsonb_object_agg(c.state, c.copies) as counts
    from counted c left join folders w on w.id = c.folder_id where c.copies > 0
    group by c.drive_id, c.folder_id, w.path, w.collection_id, w.last_read_at order by c.drive_id, w.path nulls last`);
  const known = await drivesWith(db, [...new Set(rows.map(({ drive_id: id }) => id))]);
  const drives = known.map((drive) => ({ ...drive, isAway: isAwayNow?.(drive.id) ?? drive.isAway }));
  const away = new Set(drives.filter(({ isAway }) => isAway).map(({ id }) => id));
  const folders = rows.map((row): DriftFolder => {
    const { drive_id: driveId } = row;
    const { stands, prepared } = countsIn(row.counts);
    const notInStep = NOT_IN_STEP.reduce((sum, state) => sum + stands[state], 0);
    const isAway = away.has(driveId);
    return {
      driveId,
      readFolderId: row.folder_id,
      folder: row.folder ?? '',
      collectionId: row.collection_id,
      lastReadAt: row.last_read_at,
      counts: isAway ? asAway(stands) : stands,
      prepared,
      notInStepWhenLastHere: isAway ? notInStep : 0,
    };
  });
  return { drives, folders };
}

const STANDINGS = ['inStep', 'behind', 'ahead', 'split', 'gone', 'damaged', 'unproved'] as const;

/** Counts by state as they are kept, those of sounds in preparation apart. */
function countsIn(kept: Record<string, number>): { stands: DriftCounts; prepared: DriftFolder['prepared'] } {
  const prepared = Object.fromEntries(
    STANDINGS.map((state) => [state, kept[`preparing ${state}`] ?? 0]),
  ) as DriftFolder['prepared'];
  const { gone: _g, damaged: _d, unproved: _u, ...there } = prepared;
  const preparing = Object.values(there).reduce((sum, count) => sum + count, 0);
  const stands = Object.fromEntries(DRIFT_STATES.map((state) => [state, kept[state] ?? 0])) as DriftCounts;
  return { stands: { ...stands, preparing }, prepared };
}

/** What is on a drive that is away is Away: what it was is known of when it was last here. */
function asAway(counts: DriftCounts): DriftCounts {
  const { inStep, behind, ahead, split } = counts;
  return { ...counts, inStep: 0, behind: 0, ahead: 0, split: 0, away: inStep + behind + ahead + split };
}

async function drivesWith(db: Queryable, ids: readonly string[]): Promise<Drift['drives']> {
  const { rows } = await db.execute<{
    id: string;
    name: string;
    away: boolean;
    retired: boolean;
    oldest: string | null;
    proof: Drift['drives'][number]['proof'];
  }>(sql`
    select d.id, d.name, d.away, d.proof, d.retired_at is not null as retired,
      (select to_json(c.proved_at) #>> '{}' from copies c where c.drive_id = d.id and not c.gone and c.proved_at is not null order by c.proved_at nulls first, c.id limit 1) as oldest
    from drives d where d.id = any(${`{${ids.join(',')}}`}::uuid[]) order by lower(d.name), d.id`);
  return rows.map(({ id, name, away, retired, oldest, proof }) => ({
    id,
    name,
    isAway: away,
    isRetired: retired,
    oldestProofAt: oldest,
    proof,
  }));
}

/** The counts of copies that do not carry their record at the end of each of the last days, the earliest first; of today as they are now. */
export async function driftByDay(db: Queryable, days: number, sight: Sight): Promise<DriftDay[]> {
  const of = (state: string) =>
    sql`coalesce(sum(k.copies) filter (where k.state = ${state}), 0)::int as ${sql.identifier(state)}`;
  const { rows } = await db.execute<DriftDay & Record<string, unknown>>(sql`
    select to_char(k.day, 'YYYY-MM-DD') as day, ${sql.join(['behind', 'ahead', 'split', 'gone'].map(of), sql`, `)} from (
      select d.day, d.collection_id, d.state, d.copies from drift_days d where d.day < current_date and d.day > current_date - ${days}::int
      union all
      select current_date, coalesce(w.collection_id, 0), c.state, c.copies from drift_counts c left join folders w on w.id = c.read_folder_id) k
    where ${collectionIsSeen(sight, sql`k.collection_id`)} group by k.day order by k.day`);
  return rows;
}

/** How many copies of filed sounds, and of those in preparation, are in each state, whether their drives are here or not. */
export async function driftTotals(
  db: Queryable,
  sight: Sight,
): Promise<{ stands: DriftCounts; prepared: DriftFolder['prepared'] }> {
  const { rows } = await db.execute<{ state: string; copies: number }>(sql`
    select c.state, sum(c.copies)::int as copies from drift_counts c where ${copyIsSeen(sight)} group by 1`);
  return countsIn(Object.fromEntries(rows.map(({ state, copies }) => [state, copies])));
}

/** Adds up what triggers noted, where that leaves less to sum, and keeps what is so today. Two processes do it one after the other, or the second one leaves it. */
export async function keepDrift(db: Database): Promise<void> {
  await db.transaction(async (tx) => {
    const { rows } = await tx.execute<{ mine: boolean }>(
      sql`select pg_try_advisory_xact_lock(hashtext('flagstone drift')) as mine`,
    );
    if (!rows[0]?.mine) return;
    await tx.execute(sql`
      with noted as (
        delete from drift_counts where exists (select from drift_counts group by drive_id, read_folder_id, state having count(*) > 1 or sum(copies) = 0)
        returning drive_id, read_folder_id, state, copies)
      insert into drift_counts (drive_id, read_folder_id, state, copies)
      select drive_id, read_folder_id, state, sum(copies) from noted group by 1, 2, 3 having sum(copies) <> 0`);
    await tx.execute(sql`delete from drift_days where day < current_date - ${KEPT_DAYS}::int`);
    await tx.execute(sql`
      with today as (
        select coalesce(w.collection_id, 0) as collection_id, c.state, sum(c.copies) as copies from drift_counts c
        left join folders w on w.id = c.read_folder_id group by 1, 2),
      over as (
        delete from drift_days d where d.day = current_date and not exists (
          select from today t where t.collection_id = d.collection_id and t.state = d.state and t.copies <> 0))
      insert into drift_days (day, collection_id, state, copies) select current_date, collection_id, state, copies from today where copies <> 0
      on conflict (day, collection_id, state) do update set copies = excluded.copies where drift_days.copies <> excluded.copies`);
  });
}
