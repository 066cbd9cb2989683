import { MEASURES_VERSION } from '@flagstone/core/audio/measure/sound-meter';
import { AppError } from '@flagstone/core/errors';
import { eq, sql, type SQL } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { drives } from '../db/schema.ts';
import { diskError } from '../disk/disk-errors.ts';
import { keepMeasuringError, measureCopy, proveCopy, type MeasurableCopy } from './analyses.ts';
import { driveIsHere, filesOf } from '../drives/drives.ts';
import { compareFingerprints } from '../records/same-recordings.ts';
import { InFlight } from '../jobs/in-flight.ts';
import type { JobRun } from '../jobs/job-queue.ts';

const payloadSchema = z.object({ driveId: z.string(), retry: z.boolean().default(false) });
const PAGE = 100;

/** Copies of a drive whose audio was not read as a whole yet. */
function unmeasured(driveId: string | SQL): SQL {
  return sql`copies c where c.drive_id = ${driveId} and not c.gone and c.full_digest is null`;
}

/** Has sounds that an earlier version measured measured again. Returns how many copies wait for it. */
export async function remeasureOutdated(app: AppContext): Promise<number> {
  const { rowCount } = await app.db.execute(sql`
    update copies set full_digest = null where full_digest is not null
    and sound_id in (select sound_id from analyses where version < ${MEASURES_VERSION})`);
  return rowCount ?? 0;
}

/** Queues measuring for each drive that has sounds to be measured and no job that does so. Returns how many jobs were added. */
export async function measureNewSounds(app: AppContext): Promise<number> {
  if (!app.jobs.takesJobs) return 0;
  const { rows } = await app.db.execute<{
    id: string;
    name: string;
    root_path: string;
    identity: string;
    collection_ids: number[];
  }>(sql`
    select d.id, d.name, d.root_path, d.identity,
      array(select distinct w.collection_id from folders w where w.drive_id = d.id) as collection_ids from drives d
    where exists (select from ${unmeasured(sql`d.id`)})
    and not exists (select from jobs j where j.kind = 'measure' and j.state in ('waiting', 'running', 'paused') and j.payload ->> 'driveId' = d.id::text)`);
  let added = 0;
  for (const drive of rows) {
    if (!(await driveIsHere({ rootPath: drive.root_path, identity: drive.identity }))) continue;
    await app.jobs.add(
      {
        kind: 'measure',
        title: `Measure the sounds of ${drive.name}`,
        payload: { driveId: drive.id },
        lanes: [`measure ${drive.id}`],
        collectionIds: drive.collection_ids,
      },
      1,
    );
    added += 1;
  }
  return added;
}

/**
 * Measures every sound of a drive that was not yet, in the order in which they were read, several at once but leaving a thread free for what
 * somebody is looking at. What cannot be measured is noted and the rest goes on.
 */
export async function measureJob(app: AppContext, run: JobRun): Promise<void> {
  const { driveId, retry } = payloadSchema.parse(run.job.payload);
  const [drive] = await app.db.select().from(drives).where(eq(drives.id, driveId));
  if (!drive) throw new AppError('NOT_FOUND', 'The drive is not known any more.');
  if (!(await driveIsHere(drive)))
    throw new AppError('PATH_NOT_FOUND', `The drive “${drive.name}” is not mounted at ${drive.rootPath}.`);
  if (retry)
    await app.db.execute(sql`update copies set full_digest = null where drive_id = ${driveId} and full_digest = ''`);
  const files = filesOf(app, drive);
  const counted = await app.db.execute<{ count: number }>(sql`select count(*) from ${unmeasured(driveId)}`);
  let total = counted.rows[0]?.count ?? 0;
  let taken = 0;
  await run.setTotal(total);
  const inFlight = new InFlight(Math.max(1, app.workers.threads - 1));
  const stopping = new AbortController();

  const measureOne = async (copy: MeasurableCopy, isMeasured: boolean): Promise<void> => {
    const work = async (): Promise<unknown> => {
      // No link that was put in its place leads out of the drive.
      await files.existing(copy.folder, copy.name);
      return isMeasured ? proveCopy(app, copy, stopping.signal) : measureCopy(app, copy, stopping.signal);
    };
    const failure = await work().then(
      () => undefined,
      (error: unknown) => (stopping.signal.aborted ? undefined : diskError(error, copy.path)),
    );
    if (stopping.signal.aborted) return;
    if (failure) {
      if (!(await driveIsHere(drive)))
        throw new AppError('PATH_NOT_FOUND', `The drive “${drive.name}” went away. What was measured is kept.`);
      await keepMeasuringError(app, copy, failure);
      run.note(failure, copy.path.slice(drive.rootPath.length + 1));
    }
    await run.advance(failure ? { failed: 1 } : { done: 1 });
  };

  try {
    let after = 0;
    for (;;) {
      const { rows } = await app.db.execute<{
        id: number;
        sound_id: number;
        folder: string;
        name: string;
        mtime_ms: number;
        measured: boolean;
      }>(sql`
        select c.id, c.sound_id, c.folder, c.name, c.mtime_ms, exists (
          select from analyses a where a.sound_id = c.sound_id and a.version = ${MEASURES_VERSION} and a.error is null) as measured
        from ${unmeasured(driveId)} and c.id > ${after} order by c.id limit ${PAGE}`);
      // Sounds that came since are measured too: the whole grows with them.
      taken += rows.length;
      if (taken > total) await run.setTotal((total = taken));
      for (const { id, sound_id: soundId, folder, name, mtime_ms: mtimeMs, measured } of rows) {
        after = id;
        const copy = { copyId: id, soundId, folder, name, mtimeMs, path: files.absolute(folder, name) };
        await inFlight.add(measureOne(copy, measured));
      }
      // Asked once more when all is done: what was read meanwhile is measured by this job too.
      if (rows.length === 0 && inFlight.isEmpty) break;
      if (rows.length < PAGE) await inFlight.done();
      await compareFingerprints(app, stopping.signal);
    }
  } finally {
    stopping.abort();
    await inFlight.settled();
  }
}
