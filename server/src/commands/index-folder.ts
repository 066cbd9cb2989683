import path from 'node:path';
import { parseArgs } from 'node:util';
import { indexJob } from '../intake/index-job.ts';
import { openBatch } from '../intake/batches.ts';
import { programPerson } from '../people/accounts.ts';
import { inDataFolder } from './in-data-folder.ts';
import { rootsOf, UsageError } from './usage.ts';

/** `index DIR`: reads a folder into a new batch of the database, running or not, and prints the totals as JSON. */
export async function indexFolder(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: { data: { type: 'string' }, root: { type: 'string', multiple: true } },
  });
  const [folder, ...more] = positionals;
  if (folder === undefined || more.length > 0) throw new UsageError('index needs one DIR');
  const given = path.resolve(folder);
  return inDataFolder(values.data, [given, ...rootsOf(values.root)], async (context) => {
    const started = performance.now();
    const person = await programPerson(context.db);
    const { job: newJob } = await openBatch(context, given, undefined, person, 'all');
    const unsubscribe = context.live.subscribe((event) => {
      if (event.type === 'job' && process.stderr.isTTY)
        process.stderr.write(`\r${event.job.done + event.job.failed} of ${event.job.total ?? '?'} files`);
    });
    const job = await context.jobs.runHere((run) => indexJob(context, run), newJob, person);
    unsubscribe();
    const seconds = (performance.now() - started) / 1000;
    process.stdout.write(
      `${JSON.stringify({ folder: given, state: job.state, done: job.done, failed: job.failed, ...job.result, seconds: Number(seconds.toFixed(2)) })}\n`,
    );
    if (job.error) process.stderr.write(`${job.error.message} ${job.error.remedy}\n`);
    return job.state === 'done' && job.failed === 0 ? 0 : 1;
  });
}
