import { AppError } from '@flagstone/core/errors';
import { eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { backupSchedule } from '../db/backup-schema.ts';
import type { JobRun } from '../jobs/job-queue.ts';
import { VERSION } from '../version.ts';
import { makeBackup } from './make-backup.ts';
import { readManifest } from './read-backup.ts';
import { passphraseIn } from './schedule.ts';

/** Makes a backup into the folder of the schedule, and notes how it went. `ownerAddress` is that of the database's owner, who may copy all of it. */
export async function backupJob(app: AppContext, run: JobRun, ownerAddress: string): Promise<void> {
  const [row] = await app.db.select().from(backupSchedule).where(eq(backupSchedule.id, 1));
  if (!row) throw new AppError('NOT_FOUND', 'No folder for backups is chosen any more.');
  await run.setTotal(1);
  try {
    // As it is now: a drive may have gone, or a link come in its place.
    const folder = await app.roots.checkedFolder(row.folder);
    const made = await makeBackup(ownerAddress, folder, {
      passphrase: await passphraseIn(),
      keep: row.keep,
      version: VERSION,
    });
    const { bytes, madeAt } = await readManifest(made);
    await app.db
      .update(backupSchedule)
      .set({ lastAt: new Date(madeAt), lastPath: made, lastBytes: bytes, lastError: '' })
      .where(eq(backupSchedule.id, 1));
  } catch (error) {
    const why = error instanceof AppError ? `${error.message} ${error.remedy}` : 'See the log of the server.';
    await app.db
      .update(backupSchedule)
      .set({ lastError: sql`${why}` })
      .where(eq(backupSchedule.id, 1));
    throw error;
  }
  await run.advance({ done: 1 });
}
