import type { JobRun } from './job-queue.ts';

/** Whether to stop is looked at so often while a job rests. */
const LOOK_MS = 1000;

/** Leaves the disk to others for a while. Throws JobStopped as soon as somebody asks the job to stop. */
export async function rest(run: JobRun, forMs: number): Promise<void> {
  for (let left = forMs; left > 0; left -= LOOK_MS) {
    await new Promise((resolve) => setTimeout(resolve, Math.min(left, LOOK_MS)));
    await run.advance({});
  }
}

/** Does a piece of work, and rests so long after it that the job works for a share of its time, in percent. */
export async function atPace<Value>(run: JobRun, share: number, work: () => Promise<Value>): Promise<Value> {
  const begun = performance.now();
  const value = await work();
  await rest(run, ((performance.now() - begun) * (100 - share)) / share);
  return value;
}
