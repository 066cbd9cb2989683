import { AppError, ERROR_REMEDIES, type ErrorCode } from '@flagstone/core/errors';
import { otherAudioByName } from '@flagstone/core/formats/other-audio';
import type { Batch, LeftOutFile, Unreadable } from '@flagstone/contract/intake';
import type { Job } from '@flagstone/contract/jobs';
import { eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import { isHeldInAnotherForm } from '../records/held-in-another-form.ts';
import { idList } from '../db/sql-parts.ts';
import { collectionIsSeen, copyIsSeen } from '../rights/seen.ts';
import { batches, unreadable } from '../db/schema.ts';
import type { NewJob } from '../jobs/job-queue.ts';
import { batchRow, recordRows } from '../records/act-rows.ts';
import { driveFolderOf, filesOf } from '../drives/drives.ts';
import { batchOfFolder } from './batch-of-folder.ts';
import { rememberFolder } from './read-folders.ts';
import { lockRecords } from '../records/search-conditions.ts';

/** Opens a batch on a folder that a person named and starts reading it. Throws what AllowedRoots.checkedFolder throws. */
export async function startIntake(
  app: AppContext,
  given: string,
  name: string | undefined,
  personId: number,
  sight: Sight,
  collectionId?: number,
): Promise<{ batch: Batch; job: Job }> {
  const { batchId, job: indexJob } = await openBatch(app, given, name, personId, sight, collectionId);
  const job = await app.jobs.add(indexJob, personId);
  return { batch: await getBatch(app, batchId, sight), job };
}

/**
 * Opens a batch on a folder; returns the index job that reads it. A batch of that folder that is not filed yet is taken up again, unless
 * another name asks for one of its own. Throws NOT_ALLOWED where the folder has to do with a collection that is not in `sight`.
 */
export async function openBatch(
  app: AppContext,
  given: string,
  name: string | undefined,
  personId: number,
  sight: Sight,
  collectionId?: number,
) {
  const real = await app.roots.checkedFolder(given.trim());
  const place = await driveFolderOf(app, real);
  // A folder of a drive that is known by a root outside of the allowed ones: said before anything is begun.
  filesOf(app, place.drive);
  const { folderId, collectionId: held } = await rememberFolder(app, place, personId, sight, collectionId);
  const shown = name || place.folder.split('/').pop() || place.drive.name;
  const batchId = await batchOfFolder(app, folderId, shown, personId);
  const title = `Read ${place.drive.name}${place.folder === '' ? '' : `/${place.folder}`}`;
  const payload = { batchId, driveId: place.drive.id, folder: place.folder };
  const job: NewJob = { kind: 'index', title, payload, lanes: [place.drive.id], collectionIds: [held] };
  return { batchId, job };
}

/** All batches that are seen, open ones first, newest first. */
export function listBatches(app: AppContext, sight: Sight): Promise<Batch[]> {
  return batchRows(app, sight);
}

/** One batch; throws NOT_FOUND. */
export async function getBatch(app: AppContext, id: number, sight: Sight): Promise<Batch> {
  const [batch] = await batchRows(app, sight, id);
  if (!batch) throw new AppError('NOT_FOUND', `There is no batch ${id}.`);
  return batch;
}

/** Which of some copies are in a batch, of those that are seen. */
export async function findRows(
  app: AppContext,
  id: number,
  copyIds: readonly number[],
  sight: Sight,
): Promise<{ copyIds: number[] }> {
  const { rows } = await app.db.execute<{ id: number }>(sql`
    select c.id from batch_items i join copies c on c.id = i.copy_id where i.batch_id = ${id} and c.id = any(${idList(copyIds)}) and ${copyIsSeen(sight)} order by c.id`);
  return { copyIds: rows.map((row) => row.id) };
}

interface BatchRow extends Record<string, unknown> {
  id: number;
  name: string;
  folder: string;
  drive_name: string;
  created_by: string;
  created_at: Date;
  filed_at: Date | null;
  all: number;
  categorised: number;
  named: number;
  behind: number;
  filed: number;
  unreadable: number;
  held: number;
  left_out: number;
  collection_id: number;
  given_to: number | null;
  given_name: string | null;
  part_of: number | null;
  part_of_name: string | null;
  other_audio: Record<string, number>;
}

async function batchRows(app: AppContext, sight: Sight, id?: number): Promise<Batch[]> {
  const { rows } = await app.db.execute<BatchRow>(sql`
    select b.id, b.name, f.path as folder, d.name as drive_name, p.name as created_by, b.created_at, b.filed_at, b.other_audio, f.collection_id, b.given_to, g.name as given_name, b.part_of, t.name as part_of_name,
      count(c.id) as all, count(*) filter (where r.cat_id <> '') as categorised,
      count(*) filter (where r.cat_id <> '' and r.fx_name <> '' and r.creator_id <> '' and r.source_id <> '') as named,
      count(*) filter (where c.carries_revision < r.revision) as behind, count(*) filter (where s.filed_at is not null) as filed,
      count(*) filter (where ${isHeldInAnotherForm(sql`s.id`, sight)}) as held,
      (select count(*) from unreadable u where u.batch_id = b.id) as unreadable,
      (select count(*) from left_out l where l.batch_id = b.id)
        + (select count(*) from arrivals v join arrival_files w on w.arrival_id = v.id and w.state = 'left' where v.batch_id = b.id) as left_out
    from batches b join folders f on f.id = b.folder_id join drives d on d.id = f.drive_id join people p on p.id = b.created_by
    left join people g on g.id = b.given_to left join batches t on t.id = b.part_of
    left join batch_items i on i.batch_id = b.id left join copies c on c.id = i.copy_id and ${copyIsSeen(sight)}
    left join sounds s on s.id = c.sound_id left join records r on r.sound_id = s.id
    where ${id === undefined ? sql`true` : sql`b.id = ${id}`} and ${collectionIsSeen(sight, sql`f.collection_id`)}
    and (b.part_of is null or b.filed_at is not null or ${id !== undefined} or exists (select from batch_items e where e.batch_id = b.id))
    group by b.id, f.id, d.id, p.id, g.id, t.id order by b.filed_at desc nulls first, b.id desc limit 200`);
  return rows.map((row) => ({
    id: row.id,
    name: row.name,
    folder: row.folder,
    driveName: row.drive_name,
    createdBy: row.created_by,
    createdAt: new Date(row.created_at).toISOString(),
    filedAt: row.filed_at ? new Date(row.filed_at).toISOString() : null,
    collectionId: row.collection_id,
    givenTo: row.given_to === null ? null : { id: row.given_to, name: row.given_name ?? '' },
    partOf: row.part_of === null ? null : { id: row.part_of, name: row.part_of_name ?? '' },
    counts: {
      all: row.all,
      categorised: row.categorised,
      named: row.named,
      behind: row.behind,
      filed: row.filed,
      unreadable: row.unreadable,
      held: row.held,
      leftOut: Number(row.left_out),
    },
    otherAudio: row.other_audio,
  }));
}

/** The files of a batch that could not be read, with the reason and what to do. */
export async function listUnreadable(app: AppContext, batchId: number): Promise<Unreadable[]> {
  const rows = await app.db
    .select()
    .from(unreadable)
    .where(eq(unreadable.batchId, batchId))
    .orderBy(unreadable.folder, unreadable.name)
    .limit(10_000);
  return rows.map(({ id, folder, name, code, message }) => ({
    id,
    folder,
    name,
    code,
    message,
    remedy: ERROR_REMEDIES[code as ErrorCode],
  }));
}

const MOST_NOT_TAKEN = 20_000;

/** The files that are in no row of a batch and could be read, by their paths, and why. */
export async function listNotTaken(app: AppContext, batchId: number): Promise<LeftOutFile[]> {
  const { rows } = await app.db.execute<{ path: string; code: string; message: string }>(sql`
    select * from (
      select case when folder = '' then name else folder || '/' || name end as path, '' as code, '' as message from left_out where batch_id = ${batchId}
      union all select w.path, w.code, w.message from arrivals v join arrival_files w on w.arrival_id = v.id and w.state = 'left' where v.batch_id = ${batchId}) t
    order by path limit ${MOST_NOT_TAKEN}`);
  return rows.map(({ path, code, message }) => {
    if (code !== '') return { path, code, message };
    const kind = otherAudioByName(path);
    return kind === undefined
      ? { path, code: 'NO_SOUND', message: 'No sound by its name.' }
      : { path, code: 'FORMAT_NOT_SUPPORTED', message: `${kind}, which is not taken up. Convert it to WAV or FLAC.` };
  });
}

/** Files every sound of a batch into the catalogue; returns how many were not there yet. */
export async function fileBatch(
  app: AppContext,
  id: number,
  personId: number,
  sight: Sight,
): Promise<{ filed: number; batch: Batch }> {
  const { name } = await getBatch(app, id, sight);
  const filed = await app.db.transaction(async (tx) => {
    const before = await batchRow(tx, id);
    const ofBatch = sql`select c.sound_id from batch_items b join copies c on c.id = b.copy_id where b.batch_id = ${id} and ${copyIsSeen(sight)}`;
    await lockRecords(tx, ofBatch);
    const { rowCount } = await tx.execute(
      sql`update sounds set filed_at = now() where filed_at is null and id in (${ofBatch})`,
    );
    await tx
      .update(batches)
      .set({ filedAt: sql`now()`, filedBy: personId })
      .where(eq(batches.id, id));
    await recordRows(tx, { personId, kind: 'file', summary: `Filed “${name}”` }, before, await batchRow(tx, id));
    return rowCount ?? 0;
  });
  return { filed, batch: await getBatch(app, id, sight) };
}
