import PgBoss from 'pg-boss';

/** The schema in which pg-boss keeps its tables, by its own default. */
export const JOB_QUEUE_SCHEMA = 'pgboss';
/**
 * Jobs that read and change files, two at once on different drives, those that measure, which take long and leave room for the others,
 * and those that prove, which take nights and rest most of the time.
 */
export const JOB_QUEUES = { files: 2, measure: 1, prove: 4 } as const;

/** Makes the tables of the job queue, or brings them up to date, as the owner of the database: the application has no right to. */
export async function makeJobQueueTables(ownerAddress: string): Promise<void> {
  const boss = new PgBoss({ connectionString: ownerAddress, max: 1, supervise: false, schedule: false });
  let failure: unknown;
  boss.on('error', (error) => (failure = error));
  await boss.start();
  try {
    for (const queue of Object.keys(JOB_QUEUES)) await boss.createQueue(queue);
  } finally {
    await boss.stop({ graceful: false });
  }
  if (failure !== undefined) throw failure as Error;
}
