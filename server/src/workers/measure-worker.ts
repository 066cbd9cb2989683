import { AppError, type ErrorCode } from '@flagstone/core/errors';
import { diskError } from '../disk/disk-errors.ts';
import { fullDigestOf, measureFile, type DigestedFile, type MeasuredFile } from '../disk/measure-file.ts';

/** What is wanted of a file given by its absolute path, checked before: everything, or only its full audio digest. */
export interface MeasureTask {
  path: string;
  what: 'everything' | 'digest';
}

/** What a worker says of one sound. Errors lose their code on their way between threads, so they are a result. */
export type MeasureResult<Value = MeasuredFile | DigestedFile> =
  { ok: true; value: Value } | { ok: false; code: ErrorCode; message: string };

/** Runs in a worker thread. */
export default async function measureInWorker({ path, what }: MeasureTask): Promise<MeasureResult> {
  try {
    return { ok: true, value: await (what === 'digest' ? fullDigestOf(path) : measureFile(path)) };
  } catch (error) {
    const { code, message } = diskError(error, path);
    return { ok: false, code, message };
  }
}

/** The value of a result; throws the error that it holds. */
export function valueOf<Value>(result: MeasureResult<Value>): Value {
  if (result.ok) return result.value;
  throw new AppError(result.code, result.message);
}
