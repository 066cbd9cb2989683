import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import type { Backups, BackupSchedule } from '@flagstone/contract/backups';
import type { Job } from '@flagstone/contract/jobs';
import { eq, sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { backupSchedule } from '../db/backup-schema.ts';
import type { NewJob } from '../jobs/job-queue.ts';
import { listBackups } from './make-backup.ts';
import { ENCRYPTED_DUMP } from './manifest.ts';
import { readManifest } from './read-backup.ts';

/** So long after it should have been made a backup is overdue, hours: one that takes long, or is tried again, is not. */
const OVERDUE_HOURS = 6;
const MOST_SHOWN = 100;
const THE_ONE = eq(backupSchedule.id, 1);

/** The last time at which one should have been made, by the clock of the database. */
const LAST_DUE: SQL<Date> = sql`(
  date_trunc('day', now() at time zone 'utc') + make_interval(hours => hour)
  - case when date_trunc('day', now() at time zone 'utc') + make_interval(hours => hour) > now() at time zone 'utc' then interval '1 day' else interval '0' end
) at time zone 'utc'`;

/** When backups are made, how the last one went, and those that are kept. */
export async function getBackups(app: AppContext): Promise<Backups> {
  const isEncrypted = (process.env['FLAGSTONE_BACKUP_PASSPHRASE_FILE'] ?? '') !== '';
  const [row] = await app.db
    .select({
      row: backupSchedule,
      isOverdue: sql<boolean>`${LAST_DUE} > ${backupSchedule.setAt} and coalesce(${backupSchedule.lastAt}, 'epoch') < ${LAST_DUE}
        and now() > ${LAST_DUE} + make_interval(hours => ${OVERDUE_HOURS})`,
    })
    .from(backupSchedule)
    .where(THE_ONE);
  if (!row) return { schedule: null, isEncrypted, last: null, error: '', isOverdue: false, kept: [] };
  const { folder, hour, keep, lastAt, lastPath, lastBytes, lastError } = row.row;
  return {
    schedule: { folder, hour, keep },
    isEncrypted,
    last: lastAt ? { at: lastAt.toISOString(), path: lastPath, bytes: lastBytes } : null,
    error: lastError,
    isOverdue: row.isOverdue,
    kept: await keptIn(folder),
  };
}

async function keptIn(folder: string): Promise<Backups['kept']> {
  const found = await listBackups(folder).catch((error: unknown) => {
    if (error instanceof AppError) return undefined;
    throw error;
  });
  if (!found) return null;
  const kept: NonNullable<Backups['kept']> = [];
  for (const backup of found.reverse().slice(0, MOST_SHOWN)) {
    const manifest = await readManifest(backup);
    kept.push({
      name: path.basename(backup),
      madeAt: manifest.madeAt,
      bytes: manifest.bytes,
      isEncrypted: manifest.file === ENCRYPTED_DUMP,
    });
  }
  return kept;
}

/** Has backups made every day into a folder below an allowed root, or no more by themselves. Throws what AllowedRoots.checkedFolder throws. */
export async function setBackups(app: AppContext, schedule: BackupSchedule | null, personId: number): Promise<Backups> {
  if (schedule === null) await app.db.delete(backupSchedule).where(THE_ONE);
  else {
    const folder = await app.roots.checkedFolder(schedule.folder);
    const set = { ...schedule, folder, setBy: personId };
    await app.db
      .insert(backupSchedule)
      .values({ id: 1, ...set })
      .onConflictDoUpdate({
        target: backupSchedule.id,
        set: { ...set, setAt: sql`now()`, queuedAt: null, lastError: '' },
      });
  }
  return getBackups(app);
}

const newJob = (folder: string): NewJob => ({
  kind: 'backup',
  title: `Back up to ${path.basename(folder)}`,
  payload: {},
  lanes: ['backup'],
  collectionIds: [],
});

/** Queues one now. Throws NOT_FOUND where no folder was chosen. */
export async function queueBackup(app: AppContext, personId: number): Promise<Job> {
  const [row] = await app.db.select().from(backupSchedule).where(THE_ONE);
  if (!row) throw new AppError('NOT_FOUND', 'No folder for backups was chosen.');
  return app.jobs.add(newJob(row.folder), personId);
}

/** Queues the backup of today once its time has come; of several processes one does. */
export async function backUpWhatIsDue(app: AppContext): Promise<void> {
  const due = await app.db
    .update(backupSchedule)
    .set({ queuedAt: sql`now()` })
    .where(
      sql`${backupSchedule.id} = 1 and ${backupSchedule.setAt} < ${LAST_DUE} and coalesce(${backupSchedule.lastAt}, 'epoch') < ${LAST_DUE}
        and coalesce(${backupSchedule.queuedAt}, 'epoch') < ${LAST_DUE}`,
    )
    .returning();
  for (const { folder, setBy } of due) await app.jobs.add(newJob(folder), setBy);
}
