import type { JobKind } from '@flagstone/contract/jobs';
import type { Logger } from 'pino';
import type { AppContext } from './app-context.ts';
import { connect } from './db/connect.ts';
import { defaultDataFolder } from './data-folder.ts';
import { keyOfFolder } from './disk/journal-keys.ts';
import { AllowedRoots } from './disk/roots.ts';
import { WorkerPool } from './workers/worker-pool.ts';
import { arriveJob } from './arrivals/arrive-job.ts';
import { copyOutJob } from './delivering/copy-out-job.ts';
import { deliverJob } from './deliveries/delivery-job.ts';
import { indexJob } from './intake/index-job.ts';
import { JobQueue, type JobRun, type JobWork } from './jobs/job-queue.ts';
import { measureJob, measureNewSounds, remeasureOutdated } from './listening/measure-job.ts';
import { compareFingerprints } from './records/same-recordings.ts';
import { keepDrift } from './records/drift.ts';
import { proveJob, proveWhatIsDue } from './proof/prove-job.ts';
import { recoverJournal, runPlanJob, undoPlanJob } from './plans/plan-jobs.ts';
import { categoriesInForce } from './describing/category-lists.ts';
import { sheetJob } from './sheets/sheet-job.ts';
import { reconnectDrives, seesDrives } from './drives/drives.ts';
import { takeJournalKey } from './drives/known-writes.ts';
import { readAgainWhatIsDue } from './intake/read-folders.ts';
import { backupJob } from './backup/backup-job.ts';
import { backUpWhatIsDue } from './backup/schedule.ts';
import { FolderWatcher } from './intake/watching.ts';
import { LiveEvents } from './live/live-events.ts';
import { Presences } from './people/presence.ts';
import { Askers } from './people/askers.ts';

const HOUSEKEEPING_MS = 60_000;

export interface Application {
  context: AppContext;
  close: () => Promise<void>;
}

/** Database, worker threads and live events, without taking jobs from the queue: what a command needs beside a running server. */
export async function openContext(
  ownerAddress: string,
  rootFolders: readonly string[],
  log: Logger,
): Promise<Application> {
  const connection = await connect(ownerAddress, (migrations) =>
    log.warn(
      { migrations },
      'the database is brought up to date, which may take a quarter of an hour at a million sounds; if that is stopped, nothing has changed',
    ),
  );
  // A connection was lost; whoever asks next gets a new one, or is told why there is none.
  const lost = (error: Error): void => log.warn({ why: error.message }, 'a connection to the database was lost');
  connection.pool.on('error', lost);
  // While somebody uses it, a lost connection is told to its owner too, and must not end the process.
  connection.pool.on('connect', (client) => void client.on('error', lost));
  await takeJournalKey(connection.db, await keyOfFolder(defaultDataFolder()));
  const roots = await AllowedRoots.of(rootFolders);
  const live = await LiveEvents.listen(connection.address, log);
  const jobs = new JobQueue(connection.address, connection.db, live, log);
  const workers = new WorkerPool();
  const askers = new Askers(connection.db, live);
  const presences = new Presences(connection.db, live, log);
  const context: AppContext = {
    db: connection.db,
    roots,
    workers,
    ...(await categoriesInForce(connection.db)),
    live,
    jobs,
    askers,
    presences,
    demoPeople: [],
    refreshWatching: () => Promise.resolve(),
    log,
  };
  live.subscribe((event) => {
    if (event.type !== 'categories' && event.type !== 'missed') return;
    categoriesInForce(connection.db).then(
      (inForce) => Object.assign(context, inForce),
      (error: unknown) => log.error({ err: error }, 'the category list in force cannot be loaded'),
    );
  });
  return {
    context,
    close: async () => {
      askers.close();
      await presences
        .close()
        .catch((error: unknown) => log.warn({ err: error }, 'who was here is found out by others'));
      await live.close();
      await workers.close();
      await connection.close();
    },
  };
}

/** Everything but the HTTP server: a context with interrupted work settled and jobs running. */
export async function openApplication(
  ownerAddress: string,
  rootFolders: readonly string[],
  log: Logger,
): Promise<Application> {
  const { context, close } = await openContext(ownerAddress, rootFolders, log);
  const back = await reconnectDrives(context);
  if (back > 0) log.info({ back }, 'drives came back elsewhere');
  await context.jobs.takeUpDead();
  const settled = await recoverJournal(context);
  if (settled > 0) log.info({ settled }, 'settled interrupted changes of files');
  const runPlan = (run: JobRun): Promise<void> => runPlanJob(context, run);
  const work: Record<JobKind, JobWork> = {
    index: (run) => indexJob(context, run),
    rename: runPlan,
    write: runPlan,
    relocate: runPlan,
    cut: runPlan,
    restore: runPlan,
    copy: runPlan,
    shelve: runPlan,
    setAside: runPlan,
    delete: runPlan,
    afterList: runPlan,
    undo: (run) => undoPlanJob(context, run),
    measure: (run) => measureJob(context, run),
    copyOut: (run) => copyOutJob(context, run),
    deliver: (run) => deliverJob(context, run),
    arrive: (run) => arriveJob(context, run),
    sheet: (run) => sheetJob(context, run),
    prove: (run) => proveJob(context, run),
    backup: (run) => backupJob(context, run, ownerAddress),
  };
  await context.jobs.start(work, (lanes) => seesDrives(context, lanes));
  await remeasureOutdated(context);
  await measureNewSounds(context);
  // What a command read beside this process, and drives that come back, are measured by whoever finds them first.
  const watcher = new FolderWatcher(context);
  context.refreshWatching = () => watcher.refresh();
  await watcher.refresh();
  const keepHouse = async (): Promise<void> => {
    await measureNewSounds(context);
    await compareFingerprints(context);
    await keepDrift(context.db);
    await watcher.refresh();
    await readAgainWhatIsDue(context);
    await proveWhatIsDue(context);
    await backUpWhatIsDue(context);
  };
  const keeping = setInterval(() => {
    keepHouse().catch((error: unknown) => log.error({ err: error }, 'housekeeping met an error'));
  }, HOUSEKEEPING_MS);
  return {
    context,
    close: async () => {
      clearInterval(keeping);
      await watcher.close();
      await context.jobs.stop();
      await close();
    },
  };
}
