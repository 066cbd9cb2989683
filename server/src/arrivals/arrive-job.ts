import path from 'node:path';
import { arrivingKind, arrivingPath } from '@flagstone/core/arrivals/arriving-path';
import { AppError } from '@flagstone/core/errors';
import { and, asc, eq, gt, isNotNull, isNull, sql, type SQL } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { arrivalFiles, arrivals } from '../db/arrivals-schema.ts';
import { drives, folders } from '../db/schema.ts';
import { itemError } from '../disk/disk-errors.ts';
import { refuseWhenFull } from '../disk/free-space.ts';
import { withPack, type PackEntry } from '../disk/unpack.ts';
import { walkFolders } from '../disk/walk.ts';
import { folderEntrance } from '../delivering/entered-folders.ts';
import { driveIsHere } from '../drives/drives.ts';
import { batchOfFolder } from '../intake/batch-of-folder.ts';
import { readFolderFinder } from '../intake/read-folders.ts';
import { doInGroups } from '../jobs/in-groups.ts';
import { JobAwaitsDrive, type JobRun } from '../jobs/job-queue.ts';
import { rightsOf } from '../rights/person-rights.ts';
import { sees, sightAs, type Sight } from '../rights/rights.ts';
import { placeOfArrival, type ArrivalPlace } from './arrivals.ts';
import { FilePlacer, type ArrivingFile, type Turn } from './file-placer.ts';
import { LEFT_OUT } from './left-out.ts';

const payloadSchema = z.object({ arrivalId: z.number() });
const PAGE = 200;
/** Files that are put into their folders at once: while the disk flushes one, others are read. */
const AT_ONCE = 4;

/**
 * Puts what was handed over into the folder of its arrival, each file proved, and has it read as a batch. One that cannot be taken up is left out with the reason, and the rest goes on. Cut short anywhere,
 * it goes on where it was: what a file is called is kept before it is put there.
 */
export async function arriveJob(app: AppContext, run: JobRun): Promise<void> {
  const { arrivalId } = payloadSchema.parse(run.job.payload);
  const [first] = await app.db
    .select()
    .from(arrivals)
    .innerJoin(drives, eq(drives.id, arrivals.driveId))
    .where(eq(arrivals.id, arrivalId));
  if (!first) throw new AppError('NOT_FOUND', 'The arrival was removed.');
  if (first.arrivals.state === 'done') return;
  if (!(await driveIsHere(first.drives))) throw new JobAwaitsDrive(first.drives.name);
  const place = await placeOfArrival(app, arrivalId);
  // As they may now: whoever handed it over may have lost rights since.
  const sight = sightAs(await rightsOf(app.db, run.job.personId), 'librarian');
  if (!sees(sight, place.arrival.collectionId))
    throw new AppError('NOT_ALLOWED', 'Whoever brings this in is no librarian of its collection any more.');
  if (place.arrival.source === '') await settleSent(app, place);
  else await listSource(app, run, place);
  await listPacks(app, place);
  await placeAll(app, run, place, sight);
  await place.staged.clear();
  await readBatch(app, run, place);
}

const ofArrival = ({ arrival }: ArrivalPlace, ...conditions: (SQL | undefined)[]): SQL | undefined =>
  and(eq(arrivalFiles.arrivalId, arrival.id), ...conditions);

/** What was said to be sent and is here whole is taken, also when the word of that was lost; the rest is left out. */
async function settleSent(app: AppContext, place: ArrivalPlace): Promise<void> {
  for (;;) {
    const rows = await app.db
      .select()
      .from(arrivalFiles)
      .where(ofArrival(place, eq(arrivalFiles.state, 'announced')))
      .limit(PAGE);
    if (rows.length === 0) return;
    for (const row of rows) {
      const isWhole = (await place.staged.bytesOf(row.id)) === row.bytes;
      await app.db
        .update(arrivalFiles)
        .set(isWhole ? { state: 'here' } : { state: 'left', ...LEFT_OUT.notSent })
        .where(eq(arrivalFiles.id, row.id));
    }
  }
}

/** A file that is to be listed, with why it is left out where it is. */
interface Listed {
  path: string;
  bytes: number;
  packId?: string;
  entry?: number;
  why?: { code: string; message: string } | undefined;
}

/** Records files page by page; those that are known stay as they are. */
async function list(app: AppContext, { arrival }: ArrivalPlace, files: readonly Listed[]): Promise<void> {
  for (let at = 0; at < files.length; at += PAGE) {
    const rows = files.slice(at, at + PAGE).map(({ path: shown, bytes, packId, entry, why }) => ({
      path: shown,
      bytes,
      pack: packId ?? null,
      entry: entry ?? null,
      state: why ? 'left' : 'here',
      ...why,
    }));
    await app.db.execute(sql`
      insert into arrival_files (arrival_id, path, bytes, pack_id, entry, state, code, message)
      select ${arrival.id}::int, r.path, r.bytes, r.pack, r.entry, r.state, coalesce(r.code, ''), coalesce(r.message, '')
      from jsonb_to_recordset(${JSON.stringify(rows)}::jsonb) r(path text, bytes bigint, pack uuid, entry int, state text, code text, message text)
      on conflict do nothing`);
  }
}

/** Lists the folder that is copied from: sounds and packs; of the rest, what it is. */
async function listSource(app: AppContext, run: JobRun, place: ArrivalPlace): Promise<void> {
  const { source } = place.arrival;
  const root = await app.roots.checkedFolder(source);
  const walked = walkFolders(root, '', { list: (tasks) => app.workers.listFolders(tasks) });
  for await (const { folder, entries, others } of walked) {
    const found = entries.map((entry): Listed => {
      const shown = below(folder, entry.name);
      return entry.kind === 'file'
        ? {
            path: shown,
            bytes: entry.stamp.sizeBytes,
            why: arrivingPath(shown) === undefined ? LEFT_OUT.leadsOut : undefined,
          }
        : { path: shown, bytes: 0, why: { code: entry.error.code, message: entry.error.message } };
    });
    const rest = others.map((name): Listed => ({
      path: below(folder, name),
      bytes: 0,
      why: LEFT_OUT[arrivingKind(name) === 'otherAudio' ? 'otherAudio' : 'other'],
    }));
    await list(app, place, [...found, ...rest]);
    await run.fence.check();
  }
}

const below = (folder: string, name: string): string => (folder === '' ? name : `${folder}/${name}`);

/** Lists what stands in the packs that were sent; a pack that cannot be opened is left out. */
async function listPacks(app: AppContext, place: ArrivalPlace): Promise<void> {
  const packs = await app.db
    .select()
    .from(arrivalFiles)
    .where(
      ofArrival(
        place,
        isNull(arrivalFiles.packId),
        eq(arrivalFiles.state, 'here'),
        sql`lower(${arrivalFiles.path}) like '%.zip'`,
      ),
    );
  for (const pack of packs) {
    try {
      await withPack(place.staged.pathOf(pack.id), async ({ entries }) => {
        const files = entries.filter(({ isFolder }) => !isFolder);
        const base = pack.path.replace(/\.zip$/i, '');
        const top = commonTop(files);
        await list(
          app,
          place,
          files.map((entry) => listedEntry(pack.id, base, top, entry)),
        );
      });
    } catch (error) {
      const { code, message } = itemError(error, pack.path);
      await app.db.update(arrivalFiles).set({ state: 'left', code, message }).where(eq(arrivalFiles.id, pack.id));
    }
  }
}

/** The one folder in which all of a pack lies, with its slash; empty where there is none. */
function commonTop(files: readonly PackEntry[]): string {
  const tops = new Set(
    files
      .filter(({ name }) => arrivingKind(name) !== 'hidden')
      .map(({ name }) => /^[^/\\]+[/\\]/.exec(name)?.[0] ?? ''),
  );
  return tops.size === 1 ? ([...tops][0] ?? '') : '';
}

function listedEntry(packId: string, base: string, top: string, { name, index, bytes, fault }: PackEntry): Listed {
  const safe = arrivingPath(name);
  const shown = below(
    base,
    safe === undefined ? name.replaceAll('\0', ' ').toWellFormed().slice(0, 300) : trimmed(safe, base, top),
  );
  const kind = safe === undefined ? undefined : arrivingKind(safe);
  const why =
    kind === undefined || arrivingPath(shown) === undefined
      ? LEFT_OUT.leadsOut
      : kind === 'pack'
        ? LEFT_OUT.packInPack
        : kind === 'sound'
          ? fault === undefined
            ? undefined
            : { code: 'FORMAT_NOT_SUPPORTED', message: fault }
          : LEFT_OUT[kind];
  return { path: shown, bytes, packId, entry: index, why };
}

/** A pack that holds a folder of its own name is not put into a folder twice. */
function trimmed(safe: string, base: string, top: string): string {
  const own = arrivingPath(top);
  const isOwn = own !== undefined && own.toLowerCase() === base.split('/').at(-1)?.toLowerCase();
  return isOwn && safe.startsWith(`${own}/`) ? safe.slice(own.length + 1) : safe;
}

/** Puts all files where they belong: those that lie open first, then those of each pack. */
async function placeAll(app: AppContext, run: JobRun, place: ArrivalPlace, sight: Sight): Promise<void> {
  const isPack = sql`(${arrivalFiles.packId} is null and lower(${arrivalFiles.path}) like '%.zip')`;
  const waiting = ofArrival(place, eq(arrivalFiles.state, 'here'), sql`not ${isPack}`);
  await run.setTotal(await app.db.$count(arrivalFiles, waiting));
  // What was sent is moved; what is copied, unpacked or converted needs room.
  const { source, audio } = place.arrival;
  const needsRoom = source !== '' || audio !== null ? undefined : isNotNull(arrivalFiles.packId);
  const sum = sql<number>`coalesce(sum(${arrivalFiles.bytes}), 0)::float8`;
  const [{ bytes = 0 } = {}] = await app.db.select({ bytes: sum }).from(arrivalFiles).where(and(waiting, needsRoom));
  await refuseWhenFull(place.folder, bytes);
  const placer = await FilePlacer.of(app, place, sight, folderEntrance(app, place.folder), run.fence);
  const open = (file: ArrivingFile): string =>
    source === '' ? place.staged.pathOf(file.id) : path.join(source, file.path);
  await eachPage(app, and(waiting, isNull(arrivalFiles.packId)), (files) =>
    placePage(run, files, (file, turn) => placer.placeOpen(file, turn, open(file), source === '')),
  );
  const packs = await app.db
    .select()
    .from(arrivalFiles)
    .where(ofArrival(place, eq(arrivalFiles.state, 'here'), isPack))
    .orderBy(asc(arrivalFiles.path));
  for (const pack of packs) {
    const packed = place.staged.pathOf(pack.id);
    await placer.proveSent(pack, packed).then(
      () =>
        withPack(packed, ({ extract }) =>
          eachPage(app, and(waiting, eq(arrivalFiles.packId, pack.id)), (files) =>
            placePage(run, files, (file, turn) =>
              placer.placePacked(file, turn, (target) => extract(file.entry ?? -1, target)),
            ),
          ),
        ),
      (error: unknown) => placer.leavePack(pack, itemError(error, pack.path)),
    );
    await app.db
      .update(arrivalFiles)
      .set({ state: 'placed' })
      .where(and(eq(arrivalFiles.id, pack.id), eq(arrivalFiles.state, 'here')));
    await place.staged.remove(pack.id);
  }
}

async function eachPage(
  app: AppContext,
  which: SQL | undefined,
  work: (files: ArrivingFile[]) => Promise<void>,
): Promise<void> {
  for (let after = ''; ;) {
    const page = await app.db
      .select()
      .from(arrivalFiles)
      .where(and(which, gt(arrivalFiles.path, after)))
      .orderBy(asc(arrivalFiles.path))
      .limit(PAGE);
    const last = page.at(-1);
    if (!last) return;
    after = last.path;
    await work(page);
  }
}

function placePage(
  run: JobRun,
  files: ArrivingFile[],
  place: (file: ArrivingFile, turn: Turn) => Promise<AppError | undefined>,
): Promise<void> {
  return doInGroups(
    run,
    files,
    AT_ONCE,
    (file) => file.path,
    (group) => {
      let mine = Promise.resolve();
      return group.map((file) => {
        const turn = { mine, over: (): void => undefined };
        mine = new Promise((resolve) => (turn.over = resolve));
        return place(file, turn).finally(() => turn.mine.then(turn.over));
      });
    },
  );
}

/** Opens the batch of the arrival and queues reading its folder, then closes the arrival. Cut short in between, it is queued once more, which reads nothing twice. */
async function readBatch(app: AppContext, run: JobRun, { arrival }: ArrivalPlace): Promise<void> {
  const { driveId, folder, name, collectionId } = arrival;
  const folderId = (await readFolderFinder(app, driveId))(folder);
  const [known] = folderId === null ? [] : await app.db.select().from(folders).where(eq(folders.id, folderId));
  if (!known || known.collectionId !== collectionId)
    throw new AppError(
      'CONFLICT',
      'The folder in which it landed belongs to another collection now. Read it from Intake.',
    );
  const batchId = await batchOfFolder(app, known.id, name, run.job.personId);
  const title = `Read “${name}”`;
  await app.jobs.add(
    { kind: 'index', title, payload: { batchId, driveId, folder }, lanes: [driveId], collectionIds: [collectionId] },
    run.job.personId,
  );
  await app.db
    .update(arrivals)
    .set({ state: 'done', batchId, closedAt: sql`now()` })
    .where(eq(arrivals.id, arrival.id));
}
