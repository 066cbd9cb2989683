import path from 'node:path';
import { arrivingKind, arrivingPath } from '@flagstone/core/arrivals/arriving-path';
import { PLAIN_PROFILE } from '@flagstone/core/delivery/profile';
import { targetFolder } from '@flagstone/core/delivery/target-name';
import { AppError } from '@flagstone/core/errors';
import { freeName, nameKey } from '@flagstone/core/naming/name-blocks';
import { MOST_ARRIVING, type Arrival, type ArrivalFile, type NewArrival } from '@flagstone/contract/arrivals';
import type { Job } from '@flagstone/contract/jobs';
import { and, eq, isNotNull, sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { arrivalFiles, arrivals } from '../db/arrivals-schema.ts';
import type { Transaction } from '../db/connect.ts';
import { collections, drives } from '../db/schema.ts';
import { diskError } from '../disk/disk-errors.ts';
import { refuseWhenFull } from '../disk/free-space.ts';
import { makeFolder } from '../disk/make-folder.ts';
import { isWithin } from '../disk/roots.ts';
import { StagedFiles } from '../disk/staged-files.ts';
import { namesIn } from '../disk/standing-files.ts';
import { driveIsHere, filesOf } from '../drives/drives.ts';
import { placesSeen } from '../intake/read-folders.ts';
import type { NewJob } from '../jobs/job-queue.ts';
import type { Sight } from '../rights/rights.ts';
import { collectionIsSeen, soundIsSeen } from '../rights/seen.ts';
import { LEFT_OUT } from './left-out.ts';
import { placeOfCollection } from './collection-places.ts';

export type ArrivalRow = typeof arrivals.$inferSelect;
type FileRow = typeof arrivalFiles.$inferSelect;
/** An arrival with its folder on disk: the real path, and that of the drive's root. */
export interface ArrivalPlace {
  arrival: ArrivalRow;
  drive: typeof drives.$inferSelect;
  folder: string;
  root: string;
  staged: StagedFiles;
}

/** Which of some quick digests belong to sounds that are held and seen. */
export async function findHeld(app: Pick<AppContext, 'db'>, digests: readonly string[], sight: Sight) {
  const { rows } = await app.db.execute<{ digest: string; soundId: number; name: string }>(sql`
    select s.quick_digest as digest, s.id as "soundId", (select c.name from copies c where c.sound_id = s.id order by c.gone, c.id limit 1) as name
    from sounds s where s.quick_digest = any(${sql.param([...digests])}::text[]) and ${soundIsSeen(sight, sql`s.id`)}
      and exists (select from copies c where c.sound_id = s.id and not c.gone)`);
  return rows.map(({ digest, soundId, name }) => ({ digest, soundId: Number(soundId), name }));
}

/** Whether a job works on an arrival, or is going to. */
const hasJob = (
  id: SQL,
): SQL => sql`exists (select from jobs j where j.kind = 'arrive' and j.state in ('waiting', 'running', 'paused')
  and j.payload ->> 'arrivalId' = ${id}::text)`;

const NEWEST = 20;

/** Those that are not done, and the newest that are, newest first. */
export function listArrivals(app: AppContext, sight: Sight): Promise<Arrival[]> {
  return arrivalsWhere(
    app,
    sql`${collectionIsSeen(sight, sql`a.collection_id`)} and (a.state <> 'done' or a.id > (select coalesce(max(id), 0) - ${NEWEST} from arrivals))`,
  );
}

async function arrivalsWhere(app: AppContext, which: SQL): Promise<Arrival[]> {
  const { rows } = await app.db.execute<
    Omit<Arrival, 'createdAt' | 'files' | 'bytes'> &
      Record<string, unknown> &
      Arrival['files'] & { at: Date; allBytes: number; hereBytes: number }
  >(sql`
    select a.id, a.name, a.collection_id as "collectionId", p.name as person, a.source, d.name as "driveName", a.folder, a.state, a.batch_id as "batchId", a.created_at as at, ${hasJob(sql`a.id`)} as "isUnderWay", f.*
    from arrivals a join people p on p.id = a.person_id join drives d on d.id = a.drive_id cross join lateral (
      select count(*) filter (where state = 'announced')::int as announced, count(*) filter (where state = 'here')::int as here,
        count(*) filter (where state = 'placed')::int as placed, count(*) filter (where state = 'left')::int as "left",
        coalesce(sum(bytes) filter (where state <> 'left' and pack_id is null), 0)::float8 as "allBytes",
        coalesce(sum(bytes) filter (where state in ('here', 'placed') and pack_id is null), 0)::float8 as "hereBytes"
      from arrival_files f where f.arrival_id = a.id) f
    where ${which} order by a.id desc limit 100`);
  return rows.map(({ at, announced, here, placed, left, allBytes, hereBytes, ...rest }) => ({
    ...rest,
    createdAt: new Date(at).toISOString(),
    files: { announced, here, placed, left },
    bytes: { all: allBytes, here: hereBytes },
  }));
}

async function getArrival(app: AppContext, id: number): Promise<Arrival> {
  const [arrival] = await arrivalsWhere(app, sql`a.id = ${id}`);
  if (!arrival) throw new AppError('NOT_FOUND', 'There is no such arrival any more.');
  return arrival;
}

/**
 * Begins an arrival with a folder of its own in the landing folder of the collection. One that copies from a folder is queued at once. Throws PLACE_UNKNOWN, NOT_ALLOWED for a folder of a collection that
 * is not in `sight`, BAD_REQUEST for one that holds the landing folder, and what AllowedRoots.checkedFolder throws.
 */
export async function makeArrival(
  app: AppContext,
  wanted: NewArrival,
  personId: number,
  sight: Sight,
): Promise<{ arrival: Arrival; job: Job | null }> {
  const { drive, folder: landing, files } = await placeOfCollection(app, wanted.collectionId, 'landing');
  const full = await app.roots.checkedFolder(files.absolute(landing));
  const source = wanted.source === undefined ? '' : await checkedSource(app, wanted.source, full, sight);
  const { nameRules } = PLAIN_PROFILE;
  const base = targetFolder(wanted.name.replaceAll('/', ' '), nameRules) || 'Arrival';
  // Before anything is held: a drive may take its time.
  const standing = await namesIn(full);
  const { id, own } = await app.db.transaction(async (tx) => {
    // One at a time for each collection: two of one name get two folders.
    await tx
      .select({ id: collections.id })
      .from(collections)
      .where(eq(collections.id, wanted.collectionId))
      .for('update');
    const taken = new Set(standing);
    for (const name of await foldersOfArrivals(tx, drive.id, landing)) taken.add(nameKey(name));
    const own = freeName(base, (key) => taken.has(key), new Map());
    const values = {
      name: wanted.name,
      collectionId: wanted.collectionId,
      personId,
      source,
      driveId: drive.id,
      folder: landing === '' ? own : `${landing}/${own}`,
      audio: wanted.audio && { ...wanted.audio, level: { kind: 'asIs' as const } },
      onlyNew: wanted.onlyNew,
      state: source === '' ? ('receiving' as const) : ('placing' as const),
    };
    const [row] = await tx.insert(arrivals).values(values).returning({ id: arrivals.id });
    if (!row) throw new AppError('INTERNAL', 'The arrival could not be recorded.');
    return { id: row.id, own };
  });
  await makeFolder(path.join(full, own)).catch(async (error: unknown) => {
    await app.db.delete(arrivals).where(eq(arrivals.id, id));
    throw diskError(error, path.join(full, own));
  });
  const arrival = await getArrival(app, id);
  return { arrival, job: source === '' ? null : await queue(app, id, personId) };
}

async function foldersOfArrivals(tx: Transaction, driveId: string, landing: string): Promise<string[]> {
  const rows = await tx.select({ folder: arrivals.folder }).from(arrivals).where(eq(arrivals.driveId, driveId));
  const above = landing === '' ? '' : `${landing}/`;
  return rows
    .map(({ folder }) => folder)
    .filter((folder) => folder.startsWith(above))
    .map((folder) => folder.slice(above.length));
}

async function checkedSource(app: AppContext, given: string, landing: string, sight: Sight): Promise<string> {
  const real = await app.roots.checkedFolder(given);
  if (!(await placesSeen(app, sight))(real))
    throw new AppError('NOT_ALLOWED', 'This folder is of a collection in which you are no librarian.');
  if (isWithin(real, landing) || isWithin(landing, real))
    throw new AppError(
      'BAD_REQUEST',
      `${given} holds the folder into which it would be copied, or lies in it. Read it where it is.`,
    );
  return real;
}

async function queue(app: AppContext, id: number, personId: number): Promise<Job> {
  const [arrival] = await app.db.select().from(arrivals).where(eq(arrivals.id, id));
  if (!arrival) throw new AppError('NOT_FOUND', 'There is no such arrival any more.');
  const job: NewJob = {
    kind: 'arrive',
    title: `Bring in “${arrival.name}”`,
    payload: { arrivalId: id },
    lanes: [arrival.driveId],
    collectionIds: [arrival.collectionId],
  };
  return app.jobs.add(job, personId);
}

/** Where an arrival is put, on a drive that is here. */
export async function placeOfArrival(app: AppContext, id: number): Promise<ArrivalPlace> {
  const [row] = await app.db
    .select()
    .from(arrivals)
    .innerJoin(drives, eq(drives.id, arrivals.driveId))
    .where(eq(arrivals.id, id));
  if (!row) throw new AppError('NOT_FOUND', 'There is no such arrival any more.');
  const files = filesOf(app, row.drives);
  if (!(await driveIsHere(row.drives)))
    throw new AppError('PATH_NOT_FOUND', `The drive “${row.drives.name}” is not mounted at ${row.drives.rootPath}.`);
  const folder = await app.roots.checkedFolder(files.absolute(row.arrivals.folder));
  return {
    arrival: row.arrivals,
    drive: row.drives,
    folder,
    root: files.root,
    staged: new StagedFiles(folder, files.root),
  };
}

/** What is told of a file to whoever sends it. */
const told = ({ id, path: shown, bytes, state, begunAt, code, message }: FileRow): ArrivalFile => ({
  id,
  path: shown,
  bytes,
  state,
  begun: begunAt !== null,
  code,
  message,
});

/**
 * Records what is to be sent. A file that was announced before is told as it stands, so that sending goes on where it ended; one that was announced with another size is to be sent anew. What is no
 * sound and no pack is left out. Throws PLAN_NOT_RUNNABLE once the arrival is closed, TOO_LARGE, DISK_FULL.
 */
export async function announceFiles(
  app: AppContext,
  id: number,
  files: readonly { path: string; bytes: number; heldAs?: string | undefined }[],
): Promise<ArrivalFile[]> {
  const { arrival, folder, staged } = await placeOfArrival(app, id);
  refuseClosed(arrival);
  const rows = files.map(({ path: given, bytes, heldAs }) => {
    const safe = arrivingPath(given);
    const why = safe === undefined ? LEFT_OUT.leadsOut : whyLeft(safe, heldAs);
    return {
      path: safe ?? given.replaceAll('\0', ' ').toWellFormed(),
      bytes,
      state: why ? ('left' as const) : ('announced' as const),
      ...why,
    };
  });
  const changed = await app.db.transaction(async (tx) => {
    await tx.select({ id: arrivals.id }).from(arrivals).where(eq(arrivals.id, id)).for('update');
    await tx.execute(sql`
      insert into arrival_files (arrival_id, path, bytes, state, code, message)
      select ${id}::int, r.path, r.bytes, r.state, coalesce(r.code, ''), coalesce(r.message, '')
      from jsonb_to_recordset(${JSON.stringify(rows)}::jsonb) r(path text, bytes bigint, state text, code text, message text)
      on conflict do nothing`);
    if ((await tx.$count(arrivalFiles, eq(arrivalFiles.arrivalId, id))) > MOST_ARRIVING)
      throw new AppError(
        'TOO_LARGE',
        `More than ${MOST_ARRIVING.toLocaleString('en')} files are not brought in at once.`,
      );
    // Another file by the same path: what was sent of the one before it is of no use.
    const { rows: other } = await tx.execute<{ id: string }>(sql`
      update arrival_files f set bytes = r.bytes, state = 'announced', begun_at = null, sha256 = ''
      from jsonb_to_recordset(${JSON.stringify(rows)}::jsonb) r(path text, bytes bigint)
      where f.arrival_id = ${id} and f.path = r.path and f.bytes <> r.bytes and f.state in ('announced', 'here') returning f.id`);
    return other.map((row) => row.id);
  });
  for (const file of changed) await staged.remove(file);
  await refuseWhenFull(folder, await bytesToCome(app, id, staged));
  const paths = rows.map((row) => row.path);
  const found = await app.db
    .select()
    .from(arrivalFiles)
    .where(
      and(
        eq(arrivalFiles.arrivalId, id),
        sql`md5(${arrivalFiles.path}) in (select md5(value) from jsonb_array_elements_text(${JSON.stringify(paths)}::jsonb))`,
      ),
    );
  const byPath = new Map(found.map((row) => [row.path, row]));
  return paths.flatMap((each) => byPath.get(each) ?? []).map(told);
}

/** Bytes of an arrival that are still to be sent. */
async function bytesToCome(app: AppContext, id: number, staged: StagedFiles): Promise<number> {
  const announced = and(eq(arrivalFiles.arrivalId, id), eq(arrivalFiles.state, 'announced'));
  const sum = sql<number>`coalesce(sum(${arrivalFiles.bytes}), 0)::float8`;
  const [{ bytes = 0 } = {}] = await app.db.select({ bytes: sum }).from(arrivalFiles).where(announced);
  // A few at a time are on their way.
  const begun = await app.db
    .select({ id: arrivalFiles.id })
    .from(arrivalFiles)
    .where(and(announced, isNotNull(arrivalFiles.begunAt)));
  let here = 0;
  for (const file of begun) here += (await staged.bytesOf(file.id)) ?? 0;
  return bytes - here;
}

/** Why a file is left out before it is sent. */
function whyLeft(safe: string, heldAs: string | undefined): { code: string; message: string } | undefined {
  const kind = arrivingKind(safe);
  if (kind !== 'sound' && kind !== 'pack') return LEFT_OUT[kind];
  return heldAs === undefined ? undefined : { code: 'HELD_ALREADY', message: `Held already, as ${heldAs}.` };
}

function refuseClosed({ state, name }: ArrivalRow): void {
  if (state !== 'receiving')
    throw new AppError('PLAN_NOT_RUNNABLE', `“${name}” was closed: what comes now needs an arrival of its own.`);
}

const MOST_LEFT_OUT = 10_000;

/** The files of an arrival that were left out, by their paths, and why. */
export async function listLeftOut(app: Pick<AppContext, 'db'>, id: number): Promise<ArrivalFile[]> {
  const rows = await app.db
    .select()
    .from(arrivalFiles)
    .where(and(eq(arrivalFiles.arrivalId, id), eq(arrivalFiles.state, 'left')))
    .orderBy(arrivalFiles.path)
    .limit(MOST_LEFT_OUT);
  return rows.map(told);
}

/**
 * Closes an arrival and queues putting it into its folder; one that was closed and on which nothing works any more goes on. Throws PLAN_NOT_RUNNABLE while that is done or when it was,
 * NOTHING_SELECTED where nothing was sent.
 */
export async function finishArrival(app: AppContext, id: number, personId: number): Promise<Job> {
  await app.db.transaction(async (tx) => {
    const [arrival] = await tx.select().from(arrivals).where(eq(arrivals.id, id)).for('update');
    if (!arrival) throw new AppError('NOT_FOUND', 'There is no such arrival any more.');
    const { rows: jobs } = await tx.execute(sql`select where ${hasJob(sql`${id}`)}`);
    if (arrival.state === 'placing' && jobs.length === 0) return;
    refuseClosed(arrival);
    const { rows } = await tx.execute(
      sql`select from arrival_files where arrival_id = ${id} and (state = 'here' or begun_at is not null) limit 1`,
    );
    if (rows.length === 0) throw new AppError('NOTHING_SELECTED', 'Nothing of it was sent yet.');
    await tx.update(arrivals).set({ state: 'placing' }).where(eq(arrivals.id, id));
  });
  return queue(app, id, personId);
}

/** Gives up an arrival that is still being sent: what of it is here is removed, with its folder where that is empty. Throws PLAN_NOT_RUNNABLE for one that was closed. */
export async function giveUpArrival(app: AppContext, id: number): Promise<void> {
  const { arrival, staged } = await placeOfArrival(app, id);
  refuseClosed(arrival);
  const { rowCount } = await app.db.execute(sql`delete from arrivals where id = ${id} and state = 'receiving'`);
  if (rowCount !== 0) await staged.clear(true);
}
