import { sql, type SQL } from 'drizzle-orm';
import type { Database, Queryable } from '../db/connect.ts';
import { idList } from '../db/sql-parts.ts';

/** Sounds that are looked at in one transaction: their rows are held for as long. */
const PAGE = 2000;
const EXAMPLES = 5;

/** What is not as it should be. */
export interface Finding {
  what: string;
  count: number;
  /** The numbers of some sounds, or what else names it. */
  examples: string[];
  /** What becomes of it: it was mended, it can be, or what mends it. */
  remedy: string;
}

/** Thrown to take back what was only made anew to be looked at. */
class OnlyLooked extends Error {}

/**
 * Looks whether a database says the same in all the places in which it says something twice, while people work: rows of the search, counts of Drift, records of sounds, what was under way. With `repair` what
 * follows from other rows is made anew; nothing that people said is changed. `told` hears how many sounds were looked at.
 */
export async function checkConsistency(
  db: Database,
  repair: boolean,
  told: (looked: number) => void = () => undefined,
): Promise<Finding[]> {
  const mended = repair ? 'mended' : 'say --repair to have it made anew';
  const findings: Finding[] = [];
  const find = (what: string, found: readonly string[], remedy: string): void => {
    if (found.length > 0) findings.push({ what, count: found.length, examples: found.slice(0, EXAMPLES), remedy });
  };
  find('sounds without a record', await soundsWithoutRecord(db), 'restore a backup');
  find('rows of the search that do not say what they should', await staleSearchRows(db, repair, told), mended);
  find('counts of Drift that are not what is counted', await miscountedDrift(db, repair), mended);
  find(
    'changes of files that were cut short and that no job is at',
    await abandonedItems(db),
    'they are settled by what the disk says when Flagstone is started and their drive is here',
  );
  return findings;
}

async function soundsWithoutRecord(db: Queryable): Promise<string[]> {
  const { rows } = await db.execute<{ id: number }>(
    sql`select s.id from sounds s where not exists (select from records r where r.sound_id = s.id) order by s.id limit 1000`,
  );
  return rows.map(({ id }) => `sound ${id}`);
}

/** Of which sounds the row of the search is not what it would be if it were made anew, or is missing; page by page. */
async function staleSearchRows(db: Database, repair: boolean, told: (looked: number) => void): Promise<string[]> {
  const stale: string[] = [];
  let looked = 0;
  for (let after = 0; ;) {
    const { rows: page } = await db.execute<{ id: number }>(
      sql`select sound_id as id from records where sound_id > ${after} order by sound_id limit ${PAGE}`,
    );
    const last = page.at(-1);
    if (!last) return stale;
    after = last.id;
    const ids = page.map(({ id }) => id);
    const found = await staleOf(db, ids, repair);
    stale.push(...found.map((id) => `sound ${id}`));
    looked += ids.length;
    told(looked);
  }
}

async function staleOf(db: Database, ids: readonly number[], repair: boolean): Promise<number[]> {
  let stale: number[] = [];
  await db
    .transaction(async (tx) => {
      const ofPage = sql`sound_id = any(${idList(ids)})`;
      // In the order of their numbers, as everybody takes them.
      await tx.execute(sql`select from search_rows where ${ofPage} order by sound_id for update`);
      await tx.execute(sql`create temporary table told on commit drop as select * from search_rows where ${ofPage}`);
      await tx.execute(sql`select flagstone_refresh_search(${idList(ids)})`);
      const { rows } = await tx.execute<{ id: number }>(sql`
        select f.sound_id as id from search_rows f left join told t using (sound_id) where f.${ofPage} and (to_jsonb(f) - 'collection_set' is distinct from to_jsonb(t) - 'collection_set'
          or (select collection_ids from collection_sets where id = f.collection_set) is distinct from (select collection_ids from collection_sets where id = t.collection_set))
        order by 1`);
      stale = rows.map(({ id }) => id);
      if (!repair || stale.length === 0) throw new OnlyLooked();
    })
    .catch((error: unknown) => {
      if (!(error instanceof OnlyLooked)) throw error;
    });
  return stale;
}

/** What is kept of each drive, folder and state beside what is counted, where that differs. One statement: it sees one state of both. */
const DIFFERING: SQL = sql`
  with kept as (select drive_id, read_folder_id, state, sum(copies)::int as copies from drift_counts group by 1, 2, 3),
  counted as (
    select c.drive_id, c.read_folder_id, v.state, count(*)::int as copies from copies c join records r on r.sound_id = c.sound_id join sounds s on s.id = c.sound_id
    cross join lateral unnest(flagstone_drift_states(c.gone, c.cleared_at is not null, c.changed_outside, c.carries_revision, c.proved_at is null, c.damaged_at is not null,
      r.revision, s.filed_at is not null)) v(state) group by 1, 2, 3)
  select coalesce(c.drive_id, k.drive_id) as drive_id, coalesce(c.read_folder_id, k.read_folder_id) as read_folder_id, coalesce(c.state, k.state) as state,
    coalesce(c.copies, 0) - coalesce(k.copies, 0) as copies
  from counted c full join kept k on k.drive_id = c.drive_id and k.read_folder_id is not distinct from c.read_folder_id and k.state = c.state
  where coalesce(c.copies, 0) <> coalesce(k.copies, 0)`;

async function miscountedDrift(db: Database, repair: boolean): Promise<string[]> {
  return db.transaction(async (tx) => {
    // Whoever changes copies notes it in this table, and waits until what was missing is noted too.
    if (repair) await tx.execute(sql`lock table drift_counts in share row exclusive mode`);
    const { rows } = await tx.execute<{ state: string; drive: string; copies: number }>(sql`
      select d.state, v.name as drive, d.copies from (${DIFFERING}) d join drives v on v.id = d.drive_id order by 2, 1`);
    if (repair && rows.length > 0)
      await tx.execute(
        sql`insert into drift_counts (drive_id, read_folder_id, state, copies) select drive_id, read_folder_id, state, copies from (${DIFFERING}) d`,
      );
    return rows.map(({ state, drive, copies }) => `${state} on “${drive}”: ${copies > 0 ? '+' : ''}${copies}`);
  });
}

async function abandonedItems(db: Queryable): Promise<string[]> {
  const { rows } = await db.execute<{ plan: number; id: number }>(sql`
    select j.plan_id as plan, j.id from journal j where j.state in ('started', 'undoing')
    and not exists (select from jobs b where b.state in ('running', 'waiting') and b.payload ->> 'planId' = j.plan_id::text) order by j.id limit 1000`);
  return rows.map(({ plan, id }) => `item ${id} of plan ${plan}`);
}
