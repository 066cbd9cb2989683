import type { ListFilter, ListQuery, Selection } from '@flagstone/contract/selection';
import { sql, type SQL } from 'drizzle-orm';
import { jobs } from '../db/schema.ts';
import type { Sight } from './rights.ts';

/** For whom something is looked for. What they do not see is as if it were not there. */
export interface Seen {
  seenBy: Sight;
  /** Whose favourites and ratings `is:favourite` and `mine:` mean; nobody's where no person asks. */
  person?: number;
}
export type SeenFilter = ListFilter & Seen;
export type SeenQuery = ListQuery & Seen;
export type SeenSelection = Selection & Seen;

/** For whom a selection or filter is looked for, without what it asks. */
export const seenOf = ({ seenBy, person }: Seen): Seen => ({ seenBy, ...(person === undefined ? {} : { person }) });

const numbers = (sight: readonly number[]): SQL => sql`${`{${sight.join(',')}}`}::int[]`;

/** Whether copies (by the column with their read folder) lie in collections that somebody sees. */
export function copyIsSeen(sight: Sight, readFolderId: SQL = sql`c.read_folder_id`): SQL {
  if (sight === 'all') return sql`true`;
  return sql`${readFolderId} = any(array(select w.id from folders w where w.collection_id = any(${numbers(sight)})))`;
}

/** Whether sounds have a copy in a collection that somebody sees, by what is known of them for searches. */
export function soundIsSeen(sight: Sight, soundId: SQL): SQL {
  if (sight === 'all') return sql`true`;
  return sql`exists (select from search_rows seen where seen.sound_id = ${soundId} and ${setIsSeen(sight, sql`seen.collection_set`)})`;
}

/** Whether of sets of collections, by the column with their numbers, one collection is seen. */
export function setIsSeen(sight: Sight, set: SQL): SQL {
  if (sight === 'all') return sql`true`;
  return sql`${set} = any(array(select s.id from collection_sets s where s.collection_ids && ${numbers(sight)}))`;
}

/** Whether a collection, by the column with its number, is seen. */
export function collectionIsSeen(sight: Sight, collectionId: SQL): SQL {
  return sight === 'all' ? sql`true` : sql`${collectionId} = any(${numbers(sight)})`;
}

/** Whether a folder of a drive that was read belongs to a collection that is seen. */
export function driveIsSeen(sight: Sight, driveId: SQL): SQL {
  if (sight === 'all') return sql`true`;
  return sql`exists (select from folders w where w.drive_id = ${driveId} and ${collectionIsSeen(sight, sql`w.collection_id`)})`;
}

/** Whether somebody made a pull list `l`, or sees a sound in it; one in which nothing stands yet is everybody's to fill. */
export function pullListIsSeen(sight: Sight, personId: number): SQL {
  if (sight === 'all') return sql`true`;
  return sql`(l.person_id = ${personId} or not exists (select from pull_entries e where e.list_id = l.id) or exists (
    select from pull_entries e where e.list_id = l.id and ${soundIsSeen(sight, sql`e.sound_id`)}))`;
}

/** Whether somebody asked for a job, or sees all collections whose files it works on. */
export function jobIsSeen(sight: Sight, personId: number): SQL {
  if (sight === 'all') return sql`true`;
  return sql`(${jobs.personId} = ${personId} or (${jobs.collectionIds} <> '{}' and ${jobs.collectionIds} <@ ${numbers(sight)}))`;
}
