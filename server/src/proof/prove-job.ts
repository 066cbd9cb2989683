import { AppError } from '@flagstone/core/errors';
import { PROVED_AS, type ProvedAs } from '@flagstone/contract/proof';
import { and, eq, isNull, sql, type SQL } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { drives } from '../db/schema.ts';
import { itemError } from '../disk/disk-errors.ts';
import { driveIsHere, filesOf } from '../drives/drives.ts';
import { JobAwaitsDrive, type JobRun } from '../jobs/job-queue.ts';
import { atPace, rest } from '../jobs/rest.ts';
import { rightsOf } from '../rights/person-rights.ts';
import { sightAs, type Sight } from '../rights/rights.ts';
import { copyIsSeen } from '../rights/seen.ts';
import { isWithinHours } from './proof-hours.ts';
import { proveAgain, type ProvableCopy } from './prove-copy.ts';

const payloadSchema = z.object({
  driveId: z.string(),
  /** Files that were proved before that moment. */
  before: z.string(),
  share: z.number(),
  /** By the times of the drive: all of its files, and only within its hours. */
  byItself: z.boolean().default(false),
});
const PAGE = 100;
/** How long a proof waits before it looks again whether others work on its disk. */
const YIELD_MS = 1000;
/** Whoever the program acts for when nobody asked. */
const PROGRAM = 1;

/** Copies `c` of a drive that were proved once, before a moment, and are due again. */
function provedBefore(driveId: string | SQL, before: string | SQL, sight: Sight): SQL {
  return sql`copies c where c.drive_id = ${driveId} and not c.gone and c.proved_at < ${before}::timestamptz and c.full_digest is not null and ${copyIsSeen(sight)}`;
}

/** Queues the proof of a drive's files that somebody sees and that were not proved for so many days. Throws NOTHING_TO_PROVE when there are none. */
export async function startProof(
  app: AppContext,
  { driveId, olderThanDays, share }: { driveId: string; olderThanDays: number; share: number },
  personId: number,
  sight: Sight,
) {
  const [drive] = await app.db.select().from(drives).where(eq(drives.id, driveId));
  const { rows } = await app.db.execute<{ before: string; due: boolean }>(sql`
    select to_json(m.before) #>> '{}' as before, exists (select from ${provedBefore(driveId, sql`m.before`, sight)}) as due
    from (select now() - make_interval(days => ${olderThanDays}) as before) m`);
  const [{ before, due } = { before: '', due: false }] = rows;
  if (!drive || !due)
    throw new AppError(
      'NOTHING_TO_PROVE',
      olderThanDays === 0
        ? 'No file of this drive was read as a whole yet: measuring does that first.'
        : `Every file of this drive was proved within ${olderThanDays} days, or was never read as a whole.`,
    );
  return addProof(app, drive, { before, share }, personId);
}

async function addProof(
  app: AppContext,
  { id: driveId, name }: { id: string; name: string },
  more: { before: string; share: number; byItself?: boolean },
  personId: number,
) {
  const { rows } = await app.db.execute<{ id: number }>(
    sql`select distinct w.collection_id as id from folders w where w.drive_id = ${driveId}`,
  );
  return app.jobs.add(
    {
      kind: 'prove',
      title: `Prove the files of ${name}`,
      payload: { driveId, ...more },
      lanes: [`prove ${driveId}`],
      collectionIds: rows.map(({ id }) => id),
    },
    personId,
  );
}

/**
 * Queues the proof of each drive whose times say so, once in a night: what could not be proved, and what was called off, waits for the next one. Of two processes that look at
 * the same moment one does. Returns how many were queued.
 */
export async function proveWhatIsDue(app: AppContext, now = new Date()): Promise<number> {
  if (!app.jobs.takesJobs) return 0;
  let queued = 0;
  for (const drive of await app.db.select().from(drives).where(isNull(drives.retiredAt))) {
    if (drive.proof === null || !isWithinHours(drive.proof, now)) continue;
    const { everyDays, share } = drive.proof;
    const moment = sql`(now() - make_interval(days => ${everyDays}))`;
    const { rows } = await app.db.execute<{ before: string }>(sql`
      update drives d set proof_queued_at = now() where d.id = ${drive.id} and coalesce(d.proof_queued_at, '-infinity') < now() - interval '20 hours'
      and exists (select from ${provedBefore(sql`d.id`, moment, 'all')} and c.damaged_at is null)
      and not exists (select from jobs j where j.kind = 'prove' and j.state in ('waiting', 'running', 'paused') and j.payload ->> 'driveId' = d.id::text)
      returning to_json(${moment}) #>> '{}' as before`);
    const [due] = rows;
    if (!due || app.roots.rootOf(drive.rootPath) === undefined || !(await driveIsHere(drive))) continue;
    await addProof(app, drive, { ...due, share, byItself: true }, PROGRAM);
    queued += 1;
  }
  return queued;
}

/**
 * Proves the files of a drive one after another, those first whose proof is the oldest. It reads for a share of the time, leaves the disk to whoever else works on it,
 * and, by itself, ends with the hours of the drive: what was proved is kept, and the next one goes on with the oldest.
 */
export async function proveJob(app: AppContext, run: JobRun): Promise<void> {
  const { driveId, before, share, byItself } = payloadSchema.parse(run.job.payload);
  const [drive] = await app.db.select().from(drives).where(eq(drives.id, driveId));
  if (!drive) throw new AppError('NOT_FOUND', 'The drive is not known any more.');
  const sight = byItself ? 'all' : sightAs(await rightsOf(app.db, run.job.personId), 'librarian');
  const files = filesOf(app, drive);
  const counted = await app.db.execute<{ count: number }>(
    sql`select count(*)::int as count from ${provedBefore(driveId, before, sight)}`,
  );
  await run.setTotal(counted.rows[0]?.count ?? 0);
  const results = Object.fromEntries(PROVED_AS.map((each) => [each, 0])) as Record<ProvedAs, number>;
  const proveOne = async (copy: ProvableCopy): Promise<void> => {
    const failure = await proveAgain(app, files, copy).then(
      (provedAs) => void (results[provedAs] += 1),
      (error: unknown) => itemError(error, copy.name),
    );
    if (failure && !(await driveIsHere(drive))) throw new JobAwaitsDrive(drive.name);
    run.setResult(results);
    if (failure) run.note(failure, copy.folder === '' ? copy.name : `${copy.folder}/${copy.name}`);
    await run.advance(failure ? { failed: 1 } : { done: 1 });
  };
  let after: { provedAt: string; id: number } = { provedAt: '-infinity', id: 0 };
  for (;;) {
    const { rows } = await app.db.execute<{
      id: number;
      sound_id: number;
      folder: string;
      name: string;
      proved_at: string;
    }>(sql`
      select c.id, c.sound_id, c.folder, c.name, c.proved_at::text as proved_at from ${provedBefore(driveId, before, sight)}
      and (c.proved_at, c.id) > (${after.provedAt}::timestamptz, ${after.id}) order by c.proved_at, c.id limit ${PAGE}`);
    for (const { id, sound_id: soundId, folder, name, proved_at: provedAt } of rows) {
      after = { provedAt, id };
      while (await othersWorkOn(app, driveId)) await rest(run, YIELD_MS);
      if (byItself && !(await isWithinHoursOf(app, driveId))) return;
      await run.fence.check();
      await atPace(run, share, () => proveOne({ id, soundId, folder, name }));
    }
    if (rows.length < PAGE) return;
  }
}

/** Whether another job reads or changes files of the drive: a proof leaves the disk to it. */
async function othersWorkOn(app: AppContext, driveId: string): Promise<boolean> {
  const { rows } = await app.db.execute(sql`
    select from jobs j where j.state = 'running' and j.kind <> 'prove' and j.lanes && array[${driveId}, ${`measure ${driveId}`}]::text[] limit 1`);
  return rows.length > 0;
}

async function isWithinHoursOf(app: AppContext, driveId: string): Promise<boolean> {
  const [drive] = await app.db
    .select({ proof: drives.proof })
    .from(drives)
    .where(and(eq(drives.id, driveId), isNull(drives.retiredAt)));
  return drive?.proof !== null && drive?.proof !== undefined && isWithinHours(drive.proof, new Date());
}
