import { AppError } from '@flagstone/core/errors';
import { and, eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { arrivalFiles, arrivals } from '../db/arrivals-schema.ts';
import type { StagedFiles } from '../disk/staged-files.ts';
import { sees, type Sight } from '../rights/rights.ts';
import { placeOfArrival } from './arrivals.ts';

/** A file that is being sent. */
export interface SentFile {
  id: string;
  bytes: number;
  staged: StagedFiles;
}

/** A file that was announced, of an arrival that is not closed, in a collection of those in `sight`. Throws NOT_FOUND, PLAN_NOT_RUNNABLE. */
export async function sentFile(app: AppContext, id: string, sight: Sight): Promise<SentFile> {
  const [row] = await app.db
    .select({
      bytes: arrivalFiles.bytes,
      state: arrivalFiles.state,
      arrivalId: arrivals.id,
      collectionId: arrivals.collectionId,
      of: arrivals.state,
    })
    .from(arrivalFiles)
    .innerJoin(arrivals, eq(arrivals.id, arrivalFiles.arrivalId))
    .where(sql`${arrivalFiles.id}::text = ${id}`);
  if (!row || !sees(sight, row.collectionId))
    throw new AppError('NOT_FOUND', 'There is no file of that number to be sent.');
  if (row.of !== 'receiving' || row.state === 'left' || row.state === 'placed')
    throw new AppError('PLAN_NOT_RUNNABLE', 'This file is not waited for any more.');
  const { staged } = await placeOfArrival(app, row.arrivalId);
  return { id, bytes: row.bytes, staged };
}

/** Begins sending a file, once; its SHA-256 is kept where it is told. Throws BAD_REQUEST for another length than was announced, CONFLICT for one that was begun and is still there. */
export async function beginSending(
  app: AppContext,
  { id, bytes, staged }: SentFile,
  sha256: string,
  length: number,
): Promise<void> {
  if (length !== bytes)
    throw new AppError('BAD_REQUEST', `It was announced with ${bytes} bytes, and is to be sent with ${length}.`);
  if (sha256 !== '' && !/^[\da-f]{64}$/.test(sha256))
    throw new AppError('BAD_REQUEST', 'The metadata `sha256` is no SHA-256.');
  await staged.begin(id).catch((error: unknown) => {
    if (!(error instanceof AppError && error.code === 'NAME_TAKEN')) throw error;
    throw new AppError('CONFLICT', error.message, { cause: error });
  });
  await app.db
    .update(arrivalFiles)
    .set({ begunAt: sql`now()`, sha256 })
    .where(eq(arrivalFiles.id, id));
}

/** Notes that a file is here whole. */
export async function endSending(app: AppContext, { id }: SentFile): Promise<void> {
  await app.db
    .update(arrivalFiles)
    .set({ state: 'here' })
    .where(and(eq(arrivalFiles.id, id), eq(arrivalFiles.state, 'announced')));
}
