import { AppError } from '@flagstone/core/errors';
import { FIELD_NAMES, filledFields } from '@flagstone/core/record/fields';
import type { Lost, lostPageSchema, SettleLost } from '@flagstone/contract/lost';
import { and, eq, isNull, sql, type SQL } from 'drizzle-orm';
import type { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import { copyIsSeen } from '../rights/seen.ts';
import { copies, records } from '../db/schema.ts';
import { editSelection } from '../records/edits.ts';
import { lockRecords } from '../records/search-conditions.ts';

const PAGE = 100;
const MOST_CANDIDATES = 3;
/** Lengths that differ by less are the same: headers round. */
const SAME_LENGTH_SECONDS = 0.05;

/** A lost file: gone from a drive that is here, and not taken off the lists. */
const LOST = sql`c.gone and c.cleared_at is null`;
const HELD = sql`exists (select from copies k where k.sound_id = c.sound_id and not k.gone)`;

/** Lost files by page, each with the files that may be it: those with the same audio, then those whose name and facts agree. */
export async function listLost(app: AppContext, after: number, sight: Sight): Promise<z.infer<typeof lostPageSchema>> {
  const counts = await app.db.execute<{ total: number; certain: number }>(
    sql`select count(*) as total, count(*) filter (where ${HELD}) as certain from copies c where ${LOST} and ${copyIsSeen(sight)}`,
  );
  const { rows } = await app.db.execute<{
    id: number;
    sound_id: number;
    drive: string;
    folder: string;
    name: string;
    fx_name: string;
    candidates: Lost['candidates'];
  }>(sql`
    select c.id, c.sound_id, d.name as drive, c.folder, c.name, r.fx_name, coalesce(m.candidates, '[]') as candidates
    from copies c join drives d on d.id = c.drive_id join sounds s on s.id = c.sound_id join records r on r.sound_id = s.id
    left join lateral (
      select jsonb_agg(jsonb_build_object('copyId', k.id, 'driveName', k.drive, 'folder', k.folder, 'name', k.name,
        'confidence', k.confidence, 'because', k.because) order by k.rank, k.id) as candidates
      from (select * from (${candidatesOf(sight)}) every order by rank, id limit ${MOST_CANDIDATES}) k) m on true
    where ${LOST} and ${copyIsSeen(sight)} and c.id > ${after} order by c.id limit ${PAGE + 1}`);
  const page = rows.slice(0, PAGE);
  return {
    lost: page.map((row) => ({
      copyId: row.id,
      soundId: row.sound_id,
      driveName: row.drive,
      folder: row.folder,
      name: row.name,
      fxName: row.fx_name,
      candidates: row.candidates,
    })),
    total: counts.rows[0]?.total ?? 0,
    certain: counts.rows[0]?.certain ?? 0,
    next: rows.length > PAGE ? (page.at(-1)?.id ?? null) : null,
  };
}

/** Takes lost files off the lists; returns how many. */
function clear(app: AppContext, which: SQL): Promise<number> {
  return app.db.transaction(async (tx) => {
    await lockRecords(tx, sql`select c.sound_id from copies c where ${which}`);
    const { rowCount } = await tx.execute(sql`update copies c set cleared_at = now() where ${which}`);
    return rowCount ?? 0;
  });
}

/** Files that may be the lost copy `c` of sound `s`, with how sure that is and why. */
function candidatesOf(sight: Sight) {
  const isSeen = copyIsSeen(sight, sql`k.read_folder_id`);
  const place = sql`k.id, kd.name as drive, k.folder, k.name`;
  const tables = sql`copies k join drives kd on kd.id = k.drive_id join sounds ks on ks.id = k.sound_id`;
  const named = sql`lower(k.name) = lower(c.name) and not k.gone and k.sound_id <> c.sound_id
    and ${isSeen} and abs(ks.duration_seconds - s.duration_seconds) < ${SAME_LENGTH_SECONDS}`;
  const sameFacts = sql`k.size_bytes = c.size_bytes and k.container = c.container and ks.channels = s.channels and ks.sample_rate_hz = s.sample_rate_hz`;
  return sql`
    select ${place}, 1 as rank, 'certain' as confidence,
      case when k.full_digest = s.full_digest then 'the same audio, read as a whole' else 'the same audio, by its sampled blocks' end as because
    from ${tables} where k.sound_id = c.sound_id and not k.gone and ${isSeen}
    union all
    select ${place}, 2, 'likely', 'the same name, size, length and format; other audio' from ${tables} where ${named} and ${sameFacts}
    union all
    select ${place}, 3, 'possible', 'the same name and length; other audio or format' from ${tables} where ${named} and not (${sameFacts})`;
}

/**
 * Takes lost files off the lists. With a candidate of other audio, its record first gets what the lost one's says, as an edit that can be undone.
 * No file is touched and no record goes. Returns how many were settled. Throws NOT_FOUND for a copy that is not lost.
 */
export async function settleLost(app: AppContext, wanted: SettleLost, personId: number, sight: Sight): Promise<number> {
  if (wanted.what === 'certain') {
    const certain = sql`${LOST} and ${HELD} and ${copyIsSeen(sight)}`;
    const cleared = await clear(app, certain);
    await app.live.publish(app.db, { type: 'records', soundIds: [] });
    return cleared;
  }
  const isLost = and(
    eq(copies.id, wanted.lostCopyId),
    eq(copies.gone, true),
    isNull(copies.clearedAt),
    copyIsSeen(sight, sql`${copies.readFolderId}`),
  );
  const [lost] = await app.db.select().from(copies).where(isLost);
  if (!lost) throw new AppError('NOT_FOUND', 'This file is not among the lost ones any more.');
  if (wanted.what === 'reconnect') await carryRecord(app, lost.soundId, wanted.copyId, personId, sight);
  await clear(app, sql`c.id = ${lost.id} and ${LOST}`);
  await app.live.publish(app.db, { type: 'records', soundIds: [lost.soundId] });
  return 1;
}

async function carryRecord(
  app: AppContext,
  fromSoundId: number,
  toCopyId: number,
  personId: number,
  sight: Sight,
): Promise<void> {
  const [target] = await app.db
    .select()
    .from(copies)
    .where(and(eq(copies.id, toCopyId), copyIsSeen(sight, sql`${copies.readFolderId}`)));
  const [record] = await app.db.select().from(records).where(eq(records.soundId, fromSoundId));
  if (!target || !record) throw new AppError('NOT_FOUND', 'The file or its record is not known any more.');
  if (target.soundId === fromSoundId) return;
  const values = Object.fromEntries(FIELD_NAMES.map((name) => [name, record[name]]));
  await editSelection(
    app,
    { kind: 'copies', copyIds: [toCopyId], seenBy: sight },
    { set: filledFields(values) },
    personId,
  );
}
