import { convertFile, type ConvertedFile, type ConvertTask } from '../disk/convert-file.ts';
import { diskError } from '../disk/disk-errors.ts';
import type { MeasureResult } from './measure-worker.ts';

/** Runs in a worker thread. */
export default async function convertInWorker(task: ConvertTask): Promise<MeasureResult<ConvertedFile>> {
  try {
    return { ok: true, value: await convertFile(task) };
  } catch (error) {
    const { code, message } = diskError(error, task.source);
    return { ok: false, code, message };
  }
}
