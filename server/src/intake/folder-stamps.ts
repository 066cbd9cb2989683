import { belongsInto } from './belongs-into.ts';
import { sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { folderStamps } from '../db/schema.ts';
import { isBelow } from '../db/sql-parts.ts';

/** A folder of which every audio file stands in the database as it is. */
export interface FolderStamp {
  stamp: string;
  files: number;
}

/** The stamps of the folders at and below a folder of a drive. */
export async function stampsBelow(
  app: Pick<AppContext, 'db'>,
  driveId: string,
  folder: string,
): Promise<Map<string, FolderStamp>> {
  const rows = await app.db
    .select({ folder: folderStamps.folder, stamp: folderStamps.stamp, files: folderStamps.files })
    .from(folderStamps)
    .where(sql`${folderStamps.driveId} = ${driveId} and ${isBelow(sql`${folderStamps.folder}`, folder)}`);
  return new Map(rows.map((row) => [row.folder, row]));
}

/** Keeps the stamps of folders, but only of those of which the database holds as many files as were met. */
export async function keepStamps(
  app: Pick<AppContext, 'db'>,
  driveId: string,
  stamps: ReadonlyMap<string, FolderStamp>,
): Promise<void> {
  const rows = [...stamps].map(([folder, { stamp, files }]) => ({ folder, stamp, files }));
  for (let at = 0; at < rows.length; at += 1000)
    await app.db.execute(sql`
      insert into folder_stamps (drive_id, folder, stamp, files)
      select ${driveId}::uuid, n.folder, n.stamp, n.files
      from jsonb_to_recordset(${JSON.stringify(rows.slice(at, at + 1000))}::jsonb) as n(folder text, stamp text, files int)
      where n.files = (select count(*) from copies c where c.drive_id = ${driveId}::uuid and c.folder = n.folder and not c.gone)
      on conflict (drive_id, folder) do update set stamp = excluded.stamp, files = excluded.files`);
}

/** Notes the files of unchanged folders as the same in a batch; with `onlyNew` not those that are filed and not in it yet. */
export async function noteSame(
  db: Queryable,
  { batchId, driveId, onlyNew, scanId }: { batchId: number; driveId: string; onlyNew: boolean; scanId: string },
  folders: readonly string[],
): Promise<void> {
  const isWanted = onlyNew
    ? sql`and (b.copy_id is not null or exists (select from sounds s where s.id = c.sound_id and s.filed_at is null))`
    : sql``;
  await db.execute(sql`
    insert into batch_items (batch_id, copy_id, found)
    select ${batchId}::int, c.id, 'same' from copies c left join batch_items b on b.batch_id = ${batchId} and b.copy_id = c.id
    where c.drive_id = ${driveId}::uuid and c.folder = any(${sql.param([...folders])}::text[]) and not c.gone
    and b.found is distinct from 'same' and b.scan_id is distinct from ${scanId}::uuid ${isWanted} and ${belongsInto(batchId)}
    on conflict (batch_id, copy_id) do update set found = excluded.found`);
}
