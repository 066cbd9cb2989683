import { randomUUID } from 'node:crypto';
import { and, eq, sql } from 'drizzle-orm';
import { z } from 'zod';
import { AppError } from '@flagstone/core/errors';
import type { AppContext } from '../app-context.ts';
import { bulkInsert } from '../db/bulk-insert.ts';
import { batches, copies, drives, folders, leftOut } from '../db/schema.ts';
import { inodesTell } from '../disk/stable-inodes.ts';
import { driveIsHere, filesOf } from '../drives/drives.ts';
import { describeArrivals } from './path-rules.ts';
import { patternsFor, readFolderFinder } from './read-folders.ts';
import { idList, isBelow } from '../db/sql-parts.ts';
import { FolderScan } from './folder-scan.ts';
import { keepStamps, stampsBelow } from './folder-stamps.ts';
import { pathOf } from './index-writer.ts';
import { JobAwaitsDrive, type JobRun } from '../jobs/job-queue.ts';
import { measureNewSounds } from '../listening/measure-job.ts';
import { newestCopyId, recogniseMoves } from './moved-copies.ts';
import { lockRecords } from '../records/search-conditions.ts';

const GONE_PAGE = 10_000;

const payloadSchema = z.object({
  batchId: z.number(),
  driveId: z.string(),
  folder: z.string(),
  onlyNew: z.boolean().default(false),
  /** What one that was cut short goes on with: its own name, and the newest copy there was before it began. */
  scan: z.object({ id: z.uuid(), newestBefore: z.number() }).optional(),
});
type Payload = z.infer<typeof payloadSchema>;

/**
 * Reads a folder of a drive into its batch, recognises what was moved, marks what is gone, and describes what is new by rules and recipe.
 * It can be cut short anywhere: whoever goes on knows what was there before it began and what it found so far, so that the end is the same.
 */
export async function indexJob(app: AppContext, run: JobRun): Promise<void> {
  const payload = payloadSchema.parse(run.job.payload);
  const [drive] = await app.db.select().from(drives).where(eq(drives.id, payload.driveId));
  if (!drive) throw new AppError('NOT_FOUND', 'The drive of this batch is not known any more.');
  const files = filesOf(app, drive);
  const isHere = (): Promise<boolean> => driveIsHere(drive);
  if (!(await isHere()))
    throw new AppError('PATH_NOT_FOUND', `The drive “${drive.name}” is not mounted at ${drive.rootPath}.`);

  const readFolderOf = await readFolderFinder(app, drive.id);
  const { isExcluded, seed } = await patternsFor(app, drive.id, payload.folder);
  const stamps = await stampsBelow(app, drive.id, payload.folder);
  const begun = payload.scan ?? { id: randomUUID(), newestBefore: await newestCopyId(app) };
  if (!payload.scan) await run.remember({ scan: begun });
  const { id: scanId, newestBefore } = begun;
  const scan = new FolderScan(
    app,
    run,
    files,
    { ...payload, scanId, readFolderOf },
    { isExcluded, seed, stamps, inodes: await inodesTell(drive.rootPath) },
  );
  await scan.perform();
  // On a drive that went away meanwhile every file that was not read yet seems to be unreadable.
  if (scan.faults > 0 && !(await isHere())) throw new JobAwaitsDrive(drive.name);

  const { result, seen, unchanged } = scan;
  const moved = await recogniseMoves(app, files, drive.id, newestBefore, isHere, seen);
  result.moved += moved;
  result.alreadyHeld -= moved;
  if (scan.faults === 0 && (await isHere()))
    result.gone = await markGone(
      app,
      payload,
      newestBefore,
      unchanged,
      (copy) => seen.has(copy.id) || isExcluded(pathOf(copy)),
    );
  await noteRead(app, payload, scan.others, scan.leftOut);
  if (result.new > 0) {
    const folderId = readFolderOf(payload.folder);
    await describeArrivals(app, { batchId: payload.batchId, folderId }, run.job.personId).catch((error: unknown) => {
      // The files are read all the same; what went wrong stands with the job.
      if (!(error instanceof AppError)) throw error;
      run.note(error, payload.folder || drive.name);
    });
  }
  // Last of all: a folder that is known is passed over, whatever was not done with it yet.
  await keepStamps(app, drive.id, scan.changed);
  await measureNewSounds(app);
}

async function noteRead(
  app: AppContext,
  { batchId, driveId, folder }: Payload,
  otherAudio: Record<string, number>,
  files: readonly { folder: string; name: string }[],
): Promise<void> {
  const now = new Date();
  await app.db.transaction(async (tx) => {
    await tx.execute(sql`delete from left_out where batch_id = ${batchId} and ${isBelow(sql`folder`, folder)}`);
    const rows = files.map((file) => ({ batchId, ...file }));
    if (rows.length > 0) await tx.execute(bulkInsert(leftOut, rows));
  });
  await app.db.update(batches).set({ otherAudio }).where(eq(batches.id, batchId));
  await app.db.update(drives).set({ lastIndexedAt: now }).where(eq(drives.id, driveId));
  const isRead = and(eq(folders.driveId, driveId), eq(folders.path, folder));
  await app.db.update(folders).set({ lastReadAt: now }).where(isRead);
}

/**
 * Copies of the folder that were known before this scan and that it did not meet are gone: the drive is here, the file is not. Nothing is
 * removed. Returns how many.
 */
async function markGone(
  app: AppContext,
  { driveId, folder }: Payload,
  newestBefore: number,
  unchanged: ReadonlySet<string>,
  isKept: (copy: { id: number; folder: string; name: string }) => boolean,
): Promise<number> {
  let gone = 0;
  for (let after = 0; ;) {
    const { rows } = await app.db.execute<{ id: number; folder: string; name: string }>(sql`
      select id, folder, name from copies where drive_id = ${driveId} and id > ${after} and id <= ${newestBefore} and not gone
      and ${isBelow(sql`folder`, folder)} and folder <> all(${sql.param([...unchanged])}::text[]) order by id limit ${GONE_PAGE}`);
    const missing = rows.filter((copy) => !isKept(copy)).map(({ id }) => id);
    if (missing.length > 0)
      await app.db.transaction(async (tx) => {
        await lockRecords(tx, sql`select sound_id from copies where id = any(${idList(missing)})`);
        await tx
          .update(copies)
          .set({ gone: true })
          .where(sql`${copies.id} = any(${idList(missing)})`);
      });
    gone += missing.length;
    const last = rows.at(-1);
    if (!last || rows.length < GONE_PAGE) return gone;
    after = last.id;
  }
}
