import { diskError } from '../disk/disk-errors.ts';
import { placeAs, type PlacedFile, type PlaceTask } from '../disk/keep-file.ts';
import type { MeasureResult } from './measure-worker.ts';

/** Runs in a worker thread: all bytes of a file are read twice and hashed, which would keep the server from answering. */
export default async function placeInWorker(
  task: PlaceTask & { temporary: string },
): Promise<MeasureResult<PlacedFile>> {
  try {
    return { ok: true, value: await placeAs(task.temporary, task) };
  } catch (error) {
    const { code, message } = diskError(error, task.shown);
    return { ok: false, code, message };
  }
}
