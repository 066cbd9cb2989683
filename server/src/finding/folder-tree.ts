import type { FolderLevel } from '@flagstone/contract/facets';
import { valueInLine } from '@flagstone/core/query/begun-term';
import { withoutField } from '@flagstone/core/query/toggle-term';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import type { Sight } from '../rights/rights.ts';
import { copyIsSeen, driveIsSeen, type SeenFilter } from '../rights/seen.ts';
import { sampleOf, type Sample } from './search-plan.ts';
import { belowFolder, DRIVE_PART, drivePlace } from '../records/query-conditions.ts';
import { allOf } from '../db/sql-parts.ts';
import { catalogueTables } from '../records/search-conditions.ts';

/** So many folders of one level are listed. */
const MOST_FOLDERS = 500;

/**
 * The folders directly below a place, `Drive/folder`, or the drives, with how many of the found sounds have a copy in or below each. What the search line
 * says of folders is left out, so that others can be chosen. Counted in a sample beyond some thousand sounds, which the answer says; folders without any
 * are left out where the counts are exact.
 */
export async function folderLevel(app: AppContext, filter: SeenFilter, below: string): Promise<FolderLevel> {
  const { seenBy } = filter;
  const q = withoutField(filter.q, 'in');
  const sample = await sampleOf(app, q === undefined ? filter : { ...filter, q: `${q} ` });
  const { found, counts } =
    below === ''
      ? await drivesFound(app.db, sample, seenBy)
      : await foldersFound(app.db, sample, drivePlace(below), seenBy);
  const isApproximate = sample.factor !== 1;
  const folders = found.flatMap(({ name, isParent }) => {
    const count = counts.get(name) ?? 0;
    if (count === 0 && !isApproximate) return [];
    const path = below === '' ? name : `${below}/${name}`;
    return [
      {
        name,
        path,
        term: `in:${valueInLine(path)}`,
        count: count === 0 ? null : Math.round(count * sample.factor),
        isParent,
      },
    ];
  });
  return { isApproximate, more: folders.length > MOST_FOLDERS, folders: folders.slice(0, MOST_FOLDERS) };
}

const FOLDER_OF_K = sql`k.read_folder_id`;

interface Level {
  found: { name: string; isParent: boolean }[];
  counts: Map<string, number>;
}

async function drivesFound(db: Queryable, sample: Sample, sight: Sight): Promise<Level> {
  const [names, counts] = await Promise.all([
    db.execute<{ name: string; is_parent: boolean }>(sql`
      select ${DRIVE_PART} as name, bool_or(exists (select from copies k where k.drive_id = v.id and k.folder > '' and ${copyIsSeen(sight, FOLDER_OF_K)})) as is_parent
      from drives v where ${driveIsSeen(sight, sql`v.id`)} group by 1 order by 1`),
    countBy(db, sample, DRIVE_PART, copyIsSeen(sight, FOLDER_OF_K)),
  ]);
  return { found: names.rows.map((row) => ({ name: row.name, isParent: row.is_parent })), counts };
}

async function foldersFound(
  db: Queryable,
  sample: Sample,
  { drive, folder }: { drive: string; folder: string },
  sight: Sight,
): Promise<Level> {
  const isHere = sql`${DRIVE_PART} = ${drive} and ${belowFolder(sql`k.folder`, folder)}`;
  const start = folder === '' ? 0 : [...folder].length + 1;
  const child = sql`split_part(substr(k.folder, ${start + 1}::int), '/', 1)`;
  const [found, counts] = await Promise.all([
    childrenOf(db, drive, folder, sight),
    countBy(db, sample, child, sql`${isHere} and k.folder <> ${folder} and ${copyIsSeen(sight, FOLDER_OF_K)}`),
  ]);
  return { found, counts };
}

/** Different sounds of a sample with a copy for which a condition holds, by an expression over copies `k` and drives `v`. */
async function countBy(db: Queryable, sample: Sample, by: SQL, condition: SQL): Promise<Map<string, number>> {
  const { rows } = await db.execute<{ name: string; count: number }>(sql`
    with hit as materialized (select f.sound_id from ${catalogueTables()} where ${allOf(sample.conditions)})
    select ${by} as name, count(distinct k.sound_id) as count from hit join copies k on k.sound_id = hit.sound_id and k.cleared_at is null
    join drives v on v.id = k.drive_id where ${condition} group by 1`);
  return new Map(rows.map(({ name, count }) => [name, count]));
}

/**
 * The folders directly below one, by a loose index scan over paths that skips what lies below each: as many steps as there are folders,
 * however many files they hold.
 */
async function childrenOf(db: Queryable, drive: string, folder: string, sight: Sight): Promise<Level['found']> {
  const prefix = folder === '' ? '' : `${folder}/`;
  const end = folder === '' ? sql`true` : sql`k.folder < ${`${folder}0`}`;
  const next = (beyond: SQL): SQL => sql`(
    select k.folder from copies k where k.drive_id = w.drive_id and ${beyond} and ${end} and ${copyIsSeen(sight, FOLDER_OF_K)} order by k.folder limit 1)`;
  const own = sql`${prefix}::text || split_part(substr(w.folder, ${[...prefix].length + 1}::int), '/', 1)`;
  const { rows } = await db.execute<{ name: string; is_parent: boolean }>(sql`
    with recursive walk(drive_id, folder, steps) as (
      select w.drive_id, ${next(sql`k.folder > ${prefix}`)}, 1 from (select v.id as drive_id from drives v where ${DRIVE_PART} = ${drive}) w
      union all
      select w.drive_id, case when w.folder = ${own}
        then ${next(sql`k.folder > w.folder`)} else ${next(sql`k.folder >= ${own} || '0'`)} end, w.steps + 1
      from walk w where w.folder is not null and w.steps <= ${2 * (MOST_FOLDERS + 1)})
    select split_part(substr(folder, ${[...prefix].length + 1}::int), '/', 1) as name, bool_or(folder <> ${prefix}::text || split_part(substr(folder, ${[...prefix].length + 1}::int), '/', 1)) as is_parent
    from walk where folder is not null group by 1 order by 1`);
  return rows.map((row) => ({ name: row.name, isParent: row.is_parent }));
}
