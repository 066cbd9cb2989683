import { spawn } from 'node:child_process';
import { AppError } from '@flagstone/core/errors';
import { eq } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { backupSchedule } from '../db/backup-schema.ts';
import type { JobRun } from '../jobs/job-queue.ts';
import { programPath } from '../workers/programs.ts';
import { readManifest } from './read-backup.ts';

const LOOK_EVERY_MS = 1000;
/** The end of what the program said is enough. */
const MOST_SAID = 4000;

/** Makes a backup into the folder of the schedule, and notes how it went. `ownerAddress` is that of the database's owner, who may copy all of it. */
export async function backupJob(app: AppContext, run: JobRun, ownerAddress: string): Promise<void> {
  const [row] = await app.db.select().from(backupSchedule).where(eq(backupSchedule.id, 1));
  if (!row) throw new AppError('NOT_FOUND', 'No folder for backups is chosen any more.');
  await run.setTotal(1);
  const note = (set: Partial<typeof backupSchedule.$inferInsert>) =>
    app.db.update(backupSchedule).set(set).where(eq(backupSchedule.id, 1));
  try {
    // As it is now: a drive may have gone, or a link come in its place.
    const folder = await app.roots.checkedFolder(row.folder);
    const made = await backUpApart(run, ownerAddress, folder, row.keep);
    const { bytes, madeAt } = await readManifest(made);
    await note({ lastAt: new Date(madeAt), lastPath: made, lastBytes: bytes, lastError: '' });
  } catch (error) {
    // What somebody stopped did not fail.
    if (error instanceof AppError) await note({ lastError: `${error.message} ${error.remedy}` });
    throw error;
  }
  await run.advance({ done: 1 });
}

/** Runs `flagstone backup` as a process of its own: copying, hashing and encrypting a large database would keep this one from answering. Ends it when somebody stops the job. Returns the path of the backup. */
async function backUpApart(run: JobRun, ownerAddress: string, folder: string, keep: number): Promise<string> {
  const child = spawn(process.execPath, [programPath('main'), 'backup', folder, '--keep', String(keep)], {
    stdio: ['ignore', 'pipe', 'pipe'],
    // The address goes by the environment: nobody sees its password in a list of processes.
    env: { ...process.env, NODE_OPTIONS: '', FLAGSTONE_CWD: '/', FLAGSTONE_DATABASE_URL: ownerAddress },
  });
  let [printed, said] = ['', ''];
  child.stdout.on('data', (text: Buffer) => (printed = (printed + text.toString()).slice(-MOST_SAID)));
  child.stderr.on('data', (text: Buffer) => (said = (said + text.toString()).slice(-MOST_SAID)));
  let stopped: Error | undefined;
  const watching = setInterval(() => {
    run.advance({}).catch((error: unknown) => {
      stopped ??= error instanceof Error ? error : new Error(String(error));
      child.kill();
    });
  }, LOOK_EVERY_MS);
  try {
    const code = await new Promise<number | null>((resolve, reject) => {
      child.once('error', reject).once('close', resolve);
    });
    if (stopped) throw stopped;
    if (code !== 0) throw new AppError('BACKUP_FAILED', lastWords(said) || `The program ended with ${code}.`);
    return printed.trim();
  } finally {
    clearInterval(watching);
  }
}

/** What the command said of its failure, without its progress and its remedy, which follows anyhow. */
function lastWords(said: string): string {
  const found = said.split('\n').findLast((line) => line.startsWith('flagstone backup: '));
  return (found ?? '').slice('flagstone backup: '.length);
}
