import path from 'node:path';
import { copyOutToFolderSchema } from '@flagstone/contract/copy-out';
import { AppError } from '@flagstone/core/errors';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { rightsOf } from '../rights/person-rights.ts';
import { sightAs } from '../rights/rights.ts';
import { diskError } from '../disk/disk-errors.ts';
import { isWithin } from '../disk/roots.ts';
import { sourceOf, filesOut, noteUses, sizeOf, withRecordIfPossible } from './copy-out.ts';
import { folderEntrance } from './entered-folders.ts';
import type { JobRun } from '../jobs/job-queue.ts';

const payloadSchema = z.object({ request: copyOutToFolderSchema });

/**
 * Copies files out into a folder. What stands there already, the very same, is left, so that a job that was cut short goes on where it was; another
 * file of that name is never replaced. A file that cannot be copied is noted and the rest goes on.
 */
export async function copyOutJob(app: AppContext, run: JobRun): Promise<void> {
  const { request } = payloadSchema.parse(run.job.payload);
  const { folder: asked, ...copied } = request;
  // As they may now: whoever asked may have lost rights since.
  const sight = sightAs(await rightsOf(app.db, run.job.personId), 'editor');
  const what = { ...copied, person: run.job.personId, seenBy: sight };
  const folder = await app.roots.checkedFolder(asked);
  await run.setTotal((await sizeOf(app, what)).files);
  // A job stops between two files: what is being made is made to its end.
  const { signal } = new AbortController();
  const enter = folderEntrance(app, folder);
  let same = 0;
  for await (const file of filesOut(app, what)) {
    const target = path.join(folder, file.path);
    const failure = await (async () => {
      if (!isWithin(folder, target)) throw new AppError('PATH_OUTSIDE_ROOTS', `${target} leads out of ${folder}.`);
      await enter(path.dirname(target));
      await run.fence.check();
      const contents = await sourceOf(app, file, { sight, withRecord: request.withRecord }, signal);
      const isWritten = await withRecordIfPossible(
        contents,
        (source) => app.workers.keep(source, target, folder),
        (why) => run.note(why, file.path),
      );
      const use = { soundIds: [file.soundId], personId: run.job.personId, folder, delivery: '' };
      if (isWritten) await noteUses(app.db, use);
      else same += 1;
      return undefined;
    })().catch((error: unknown) => diskError(error, target));
    // A full disk fills no further.
    if (failure?.code === 'DISK_FULL') throw failure;
    if (failure) run.note(failure, file.path);
    run.setResult({ same });
    await run.advance(failure ? { failed: 1 } : { done: 1 });
  }
}
