import type { AppError } from '@flagstone/core/errors';
import type { JobRun } from './job-queue.ts';

/**
 * Does items some at a time: each returns why it failed, which is noted with what it is called. Whatever ends the job ends it when all that was begun is through; a full disk, once its group is counted:
 * it fills no further.
 */
export async function doInGroups<Item>(
  run: Pick<JobRun, 'note' | 'advance'>,
  items: readonly Item[],
  atOnce: number,
  nameOf: (item: Item) => string,
  begin: (group: readonly Item[]) => Promise<AppError | undefined>[],
): Promise<void> {
  for (let at = 0; at < items.length; at += atOnce) {
    const group = items.slice(at, at + atOnce);
    const failures: (AppError | undefined)[] = [];
    for (const each of await Promise.allSettled(begin(group))) {
      if (each.status === 'rejected') throw each.reason;
      failures.push(each.value);
    }
    for (const [index, failure] of failures.entries()) {
      const item = group[index];
      if (failure && item !== undefined) run.note(failure, nameOf(item));
      await run.advance(failure ? { failed: 1 } : { done: 1 });
    }
    const full = failures.find((failure) => failure?.code === 'DISK_FULL');
    if (full) throw full;
  }
}
