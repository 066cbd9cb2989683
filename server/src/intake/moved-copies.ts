import { differingFields } from '@flagstone/core/record/fields';
import { and, eq, gt, inArray, lte, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Transaction } from '../db/connect.ts';
import { batchItems, copies } from '../db/schema.ts';
import type { DriveFiles } from '../disk/drive-files.ts';
import type { IdSet } from './id-set.ts';
import { idList } from '../db/sql-parts.ts';
import { lockRecords, refreshSearch } from '../records/search-conditions.ts';

type CopyRow = typeof copies.$inferSelect;

/** A copy that stood elsewhere before, and the row that was made where it stands now. */
interface Move {
  old: CopyRow;
  fresh: CopyRow;
}

const PAGE = 2000;

/** The number of the newest copy; every copy that a scan makes has a higher one. */
export async function newestCopyId(app: AppContext): Promise<number> {
  const [row] = await app.db.select({ id: sql<number>`coalesce(max(${copies.id}), 0)` }).from(copies);
  return row?.id ?? 0;
}

/**
 * Recognises files that were moved or renamed by another program: a copy that this scan made, when another copy of the same sound on the same
 * drive is no longer where it was. The old row takes the new place, so that its history and its batches stay; the new row goes. The same
 * inode decides, then the same name. Adds those rows to the ones that were seen, and returns how many.
 */
export async function recogniseMoves(
  app: AppContext,
  files: DriveFiles,
  driveId: string,
  newestBefore: number,
  isHere: () => Promise<boolean>,
  seen: IdSet,
): Promise<number> {
  let moved = 0;
  let after = newestBefore;
  for (;;) {
    const page = await app.db
      .select({ id: copies.id, soundId: copies.soundId })
      .from(copies)
      .where(and(eq(copies.driveId, driveId), gt(copies.id, after)))
      .orderBy(copies.id)
      .limit(PAGE);
    after = page.at(-1)?.id ?? after;
    const fresh = await ofSoundsBefore(app, driveId, newestBefore, page);
    const moves = await movesAmong(app, files, driveId, newestBefore, fresh);
    // On a drive that vanished meanwhile every file seems to be missing.
    if (!(await isHere())) return moved;
    if (moves.length > 0) await app.db.transaction((tx) => takeNewPlaces(tx, moves));
    for (const { old } of moves) seen.add(old.id);
    moved += moves.length;
    if (page.length < PAGE) return moved;
  }
}

/**
 * Those of the new copies whose sound was on the drive before, as whole rows; one that somebody plans with already stays as it is. Asked by the
 * ids of the sounds: of a drive that is new, PostgreSQL has no statistics, and it would look through all copies for each.
 */
async function ofSoundsBefore(
  app: AppContext,
  driveId: string,
  newestBefore: number,
  page: readonly { id: number; soundId: number }[],
): Promise<CopyRow[]> {
  const { rows } = await app.db.execute<{ sound_id: number }>(sql`
    select distinct sound_id from copies where sound_id = any(${idList([...new Set(page.map(({ soundId }) => soundId))])})
    and drive_id = ${driveId} and id <= ${newestBefore}`);
  const before = new Set(rows.map((row) => row.sound_id));
  const ids = page.filter(({ soundId }) => before.has(soundId)).map(({ id }) => id);
  if (ids.length === 0) return [];
  return app.db
    .select()
    .from(copies)
    .where(
      and(
        sql`${copies.id} = any(${idList(ids)})`,
        sql`not exists (select from journal j where j.copy_id = ${copies.id})`,
      ),
    )
    .orderBy(copies.id);
}

async function movesAmong(
  app: AppContext,
  files: DriveFiles,
  driveId: string,
  newestBefore: number,
  fresh: readonly CopyRow[],
): Promise<Move[]> {
  const soundIds = [...new Set(fresh.map((row) => row.soundId))];
  if (soundIds.length === 0) return [];
  const earlier = await app.db
    .select()
    .from(copies)
    .where(and(eq(copies.driveId, driveId), lte(copies.id, newestBefore), inArray(copies.soundId, soundIds)))
    .orderBy(copies.id);
  const missing: CopyRow[] = [];
  for (const row of earlier) if (!(await files.exists(row.folder, row.name))) missing.push(row);
  const moves: Move[] = [];
  const taken = new Set<number>();
  const likeness: ((old: CopyRow, now: CopyRow) => boolean)[] = [
    (old, now) => old.inode === now.inode && old.sizeBytes === now.sizeBytes,
    (old, now) => old.name === now.name,
    () => true,
  ];
  for (const alike of likeness) {
    for (const old of missing) {
      if (moves.some((move) => move.old.id === old.id)) continue;
      const now = fresh.find((row) => row.soundId === old.soundId && !taken.has(row.id) && alike(old, row));
      if (!now) continue;
      taken.add(now.id);
      moves.push({ old, fresh: now });
    }
  }
  return moves;
}

async function takeNewPlaces(tx: Transaction, moves: readonly Move[]): Promise<void> {
  const soundIds = [...new Set(moves.map(({ old }) => old.soundId))];
  await lockRecords(tx, soundIds);
  const freshIds = moves.map(({ fresh }) => fresh.id);
  for (const { old, fresh } of moves) {
    await tx.execute(sql`
      insert into batch_items (batch_id, copy_id, found, scan_id)
      select batch_id, ${old.id}::bigint, 'moved', scan_id from batch_items where copy_id = ${fresh.id}
      on conflict (batch_id, copy_id) do update set found = 'moved', scan_id = excluded.scan_id`);
  }
  await tx.delete(batchItems).where(sql`${batchItems.copyId} = any(${idList(freshIds)})`);
  await tx.delete(copies).where(sql`${copies.id} = any(${idList(freshIds)})`);
  for (const { old, fresh } of moves) {
    // What the file says may have been changed along the way; then the new row knows how it stands to the record.
    const saysTheSame = differingFields(old.inFile, fresh.inFile).length === 0;
    const { id: _, soundId: _s, carriesRevision, changedOutside, ...place } = fresh;
    await tx
      .update(copies)
      .set({
        ...place,
        carriesRevision: saysTheSame ? old.carriesRevision : carriesRevision || old.carriesRevision,
        changedOutside: saysTheSame ? old.changedOutside : changedOutside || carriesRevision === 0,
      })
      .where(eq(copies.id, old.id));
  }
  await refreshSearch(tx, soundIds);
}
