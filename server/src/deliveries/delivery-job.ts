import path from 'node:path';
import type { DeliveryProblem } from '@flagstone/core/delivery/audio-form';
import { targetName } from '@flagstone/core/delivery/target-name';
import { AppError } from '@flagstone/core/errors';
import { and, asc, eq, sql, type SQL } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { deliveries, deliveryItems, type DeliveryItemRow, type DeliveryRow } from '../db/deliveries-schema.ts';
import { folderEntrance } from '../delivering/entered-folders.ts';
import { noteUses, type Uses } from '../delivering/copy-out.ts';
import { StoredZip, streamOf } from '../delivering/stored-zip.ts';
import { digesting } from '../disk/digesting.ts';
import { itemError } from '../disk/disk-errors.ts';
import { refuseWhenFull } from '../disk/free-space.ts';
import { placeFile } from '../disk/keep-file.ts';
import { namesIn, sizesIn } from '../disk/standing-files.ts';
import { isWithin } from '../disk/roots.ts';
import { writeNewFile } from '../disk/write-new-file.ts';
import { doInGroups } from '../jobs/in-groups.ts';
import { JobStopped, type JobRun } from '../jobs/job-queue.ts';
import { rightsOf } from '../rights/person-rights.ts';
import { sightAs, type Sight } from '../rights/rights.ts';
import { bagFiles } from './bag-files.ts';
import { algorithmOf, besidesOf } from './besides.ts';
import { checkedTarget } from './deliveries.ts';
import { placeOf } from './delivery-place.ts';
import type { LicenceOf } from '../describing/licences.ts';
import { LicenceCheck, licencesOf } from './licence-check.ts';
import { withDelivered } from './delivered-file.ts';

const payloadSchema = z.object({ deliveryId: z.number(), onlyPath: z.string().optional() });
const PAGE = 100;
/** Files that are made at once: while the disk flushes one, others are read. Conversions wait for a thread of their own. */
const AT_ONCE = 16;

/** Where the files of a delivery go, and whose rights it is made with. */
interface Ongoing {
  delivery: DeliveryRow;
  sight: Sight;
  /** The folder that was checked, and below it the one of the sounds. */
  folder: string;
  root: string;
  licences: LicenceCheck;
}

/**
 * Makes the files of a delivery that are not as they are wanted, each read back and proved; then what goes beside them. One that cannot be made is noted and the rest goes on. What is done stays
 * done: a job that was cut short goes on where it was. Nothing that others put there is replaced, and nothing is deleted.
 */
export async function deliverJob(app: AppContext, run: JobRun, seen?: Sight): Promise<void> {
  const { deliveryId, onlyPath } = payloadSchema.parse(run.job.payload);
  const [delivery] = await app.db.select().from(deliveries).where(eq(deliveries.id, deliveryId));
  if (!delivery) throw new AppError('NOT_FOUND', 'The delivery was removed.');
  if (!delivery.plannedAt) throw new AppError('PLAN_NOT_RUNNABLE', 'Its tree is not laid since it was changed.');
  // As they may now: whoever asked may have lost rights since.
  const rights = await rightsOf(app.db, run.job.personId);
  const sight = seen ?? sightAs(rights, 'editor');
  const folder = await checkedTarget(app, delivery.folder, seen ?? sightAs(rights, 'librarian'));
  const { root, bag } = placeOf(delivery, folder);
  const ongoing = { delivery, sight, folder, root, licences: await LicenceCheck.of(app.db, delivery) };
  await app.db.execute(
    sql`update delivery_items set state = 'planned' where delivery_id = ${deliveryId} and state = 'failed'`,
  );
  if (delivery.profile.packing === 'zip') return deliverZip(app, run, ongoing, onlyPath);
  await findMissing(app, ongoing);
  await deliverFiles(app, run, ongoing, onlyPath);
  if (onlyPath !== undefined) return;
  await deliverBesides(app, run, ongoing, bag);
  await app.db
    .update(deliveries)
    .set({ deliveredAt: sql`now()` })
    .where(eq(deliveries.id, deliveryId));
}

const ofDelivery = ({ id }: DeliveryRow, ...conditions: SQL[]): SQL | undefined =>
  and(eq(deliveryItems.deliveryId, id), ...conditions);

/** Has files made again that were delivered and do not stand there any more, or are of another length. */
async function findMissing(app: AppContext, { delivery, root }: Ongoing): Promise<void> {
  for await (const page of itemsOf(app, delivery, sql`state = 'done'`)) {
    const sizes = await sizesIn(
      root,
      page.map((item) => item.path),
    );
    const missing = page.filter((item, at) => sizes[at] !== item.bytes).map((item) => item.path);
    if (missing.length > 0)
      await app.db
        .update(deliveryItems)
        .set({ state: 'planned' })
        .where(
          ofDelivery(
            delivery,
            sql`${deliveryItems.path} in (select jsonb_array_elements_text(${JSON.stringify(missing)}::jsonb))`,
          ),
        );
  }
}

async function* itemsOf(app: AppContext, delivery: DeliveryRow, which: SQL): AsyncGenerator<DeliveryItemRow[]> {
  for (let after = ''; ;) {
    const page = await app.db
      .select()
      .from(deliveryItems)
      .where(ofDelivery(delivery, which, sql`${deliveryItems.path} > ${after}`))
      .orderBy(asc(deliveryItems.path))
      .limit(PAGE);
    const last = page.at(-1);
    if (!last) return;
    after = last.path;
    yield page;
  }
}

const toMake = (onlyPath: string | undefined): SQL =>
  onlyPath === undefined ? sql`state = 'planned'` : sql`state = 'planned' and path = ${onlyPath}`;

/** Counts what is to be made, and refuses what has no room. */
async function begin(app: AppContext, run: JobRun, { delivery, folder }: Ongoing, which: SQL): Promise<void> {
  const [sum] = await app.db
    .select({ files: sql<number>`count(*)::int`, bytes: sql<number>`coalesce(sum(bytes), 0)::float8` })
    .from(deliveryItems)
    .where(ofDelivery(delivery, which));
  await run.setTotal(sum?.files ?? 0);
  await refuseWhenFull(folder, sum?.bytes ?? 0);
}

async function deliverFiles(
  app: AppContext,
  run: JobRun,
  ongoing: Ongoing,
  onlyPath: string | undefined,
): Promise<void> {
  const { delivery, sight, folder, root, licences } = ongoing;
  const which = toMake(onlyPath);
  await begin(app, run, ongoing, which);
  const enter = folderEntrance(app, folder);
  const algorithm = algorithmOf(delivery.profile);
  let same = 0;
  const make = async (item: DeliveryItemRow, said: LicenceOf | undefined, holds: Promise<void>): Promise<Outcome> => {
    const target = path.join(root, item.path);
    try {
      licences.refuse(said);
      if (!isWithin(root, target)) throw new AppError('PATH_OUTSIDE_ROOTS', `${target} leads out of ${root}.`);
      await enter(path.dirname(target));
      await holds;
      const making = { profile: delivery.profile, sight, scratchFolder: path.dirname(target) };
      const replaces = item.digest === '' ? null : item.digest;
      const { value: placed, told } = await withDelivered(app, item, making, (contents) =>
        app.workers.place({ contents, shown: target, within: folder, placing: { algorithm, replaces } }),
      );
      if (!placed.isWritten) same += 1;
      return { item, digest: placed.digest, bytes: placed.sizeBytes, isWritten: placed.isWritten, told };
    } catch (error) {
      return { item, failure: itemError(error, target) };
    }
  };
  for await (const page of itemsOf(app, delivery, which)) {
    const said = await licencesOf(
      app.db,
      page.map(({ soundId }) => soundId),
    );
    await doInGroups(
      run,
      page,
      AT_ONCE,
      (item) => item.path,
      (group) => {
        const holds = run.fence.check();
        const made = group.map((item) => make(item, said.get(item.soundId), holds));
        // What was done is kept together once all of the group is through, whatever became of the others.
        const kept = Promise.allSettled(made).then((outcomes) =>
          keepOutcomes(
            app,
            outcomes.flatMap((each) => (each.status === 'fulfilled' ? [each.value] : [])),
            useOf(run, ongoing, root),
          ),
        );
        return made.map(async (each) => {
          await kept;
          const outcome = await each;
          return 'failure' in outcome ? outcome.failure : undefined;
        });
      },
    );
    run.setResult({ same });
  }
}

interface Done {
  item: DeliveryItemRow;
  digest: string;
  bytes: number;
  isWritten: boolean;
  told: readonly DeliveryProblem[];
}
/** What became of an item. */
type Outcome = Done | { item: DeliveryItemRow; failure: AppError };

/** What the history of sounds says of their use in a delivery. */
function useOf({ job }: JobRun, { delivery: { name, forWhom } }: Ongoing, folder: string) {
  const delivery = forWhom === '' ? name : `${name}, for ${forWhom}`;
  return (soundIds: number[]): Uses => ({ soundIds, personId: job.personId, folder, delivery });
}

/** Notes that were told when a file was made stand beside those of its tree, and not twice. */
function problemsWith(item: DeliveryItemRow, told: readonly DeliveryProblem[]): DeliveryProblem[] {
  const codes = new Set(told.map(({ code }) => code));
  return [...item.problems.filter(({ code }) => !codes.has(code) && !code.startsWith('FAILED_')), ...told];
}

/**
 * Notes what became of items, and that their sounds were used: those that were written, and those that stood there already without that it was known, since the process that put them there died before it
 * could say so.
 */
async function keepOutcomes(
  app: AppContext,
  outcomes: readonly Outcome[],
  useOf: (soundIds: number[]) => Uses,
): Promise<void> {
  const [first] = outcomes;
  if (!first) return;
  const rows = outcomes.map((outcome) => {
    const { path: place, turn } = outcome.item;
    if (!('failure' in outcome)) {
      const { item, digest, bytes, told } = outcome;
      return { place, turn, state: 'done', digest, bytes, mark: item.mark, problems: problemsWith(item, told) };
    }
    const { item, failure } = outcome;
    const problem = {
      code: `FAILED_${failure.code}`,
      severity: 'error' as const,
      message: `${failure.message} ${failure.remedy}`,
    };
    return { place, turn, state: 'failed', problems: problemsWith(item, [problem]) };
  });
  const used = outcomes.flatMap((each) => {
    const isUsed = !('failure' in each) && each.item.file === 0 && (each.isWritten || each.item.digest === '');
    return isUsed ? [each.item.soundId] : [];
  });
  await app.db.transaction(async (tx) => {
    await tx.execute(sql`
      update delivery_items i set state = o.state, problems = o.problems, digest = coalesce(o.digest, i.digest), bytes = coalesce(o.bytes, i.bytes),
        delivered_mark = coalesce(o.mark, i.delivered_mark), delivered_at = case when o.state = 'done' then now() else i.delivered_at end
      from jsonb_to_recordset(${JSON.stringify(rows)}::jsonb) o(place text, turn int, state text, digest text, bytes bigint, mark text, problems jsonb)
      where i.delivery_id = ${first.item.deliveryId} and i.path = o.place and i.turn = o.turn`);
    await noteUses(tx, useOf(used));
  });
}

/** Writes what goes beside the sounds, and the texts of a bag. What stood there before is replaced only while it is what was put there. */
async function deliverBesides(
  app: AppContext,
  run: JobRun,
  { delivery, folder, root }: Ongoing,
  bag: string | undefined,
): Promise<void> {
  const algorithm = algorithmOf(delivery.profile);
  const besides = { ...delivery.besides };
  const put = async (name: string, bytes: Uint8Array, below: string): Promise<void> => {
    await run.fence.check();
    const target = path.join(below, name);
    const key = path.relative(folder, target);
    try {
      const { digest } = await placeFile({ bytes }, target, folder, { algorithm, replaces: besides[key] ?? null });
      besides[key] = digest;
      await app.db.update(deliveries).set({ besides }).where(eq(deliveries.id, delivery.id));
    } catch (error) {
      const failure = itemError(error, target);
      if (failure.code === 'DISK_FULL') throw failure;
      run.note(failure, name);
      await run.advance({ failed: 1 });
    }
  };
  await folderEntrance(app, folder)(root);
  for (const { name, bytes } of await besidesOf(app, delivery)) await put(name, bytes, root);
  if (bag === undefined) return;
  const { files, foreign } = await bagFiles(app, delivery, {
    payload: root,
    besides: (name) => besides[path.relative(folder, path.join(root, name))],
  });
  for (const name of foreign)
    run.note(
      new AppError('NAME_TAKEN', `${name} is none of this delivery: the bag is not valid while it stands there.`),
      name,
    );
  if (foreign.length > 0) await run.advance({ failed: foreign.length });
  for (const { name, bytes } of files) await put(name, bytes, bag);
}

/** Makes one ZIP file of all of it, anew each time. */
async function deliverZip(app: AppContext, run: JobRun, ongoing: Ongoing, onlyPath: string | undefined): Promise<void> {
  if (onlyPath !== undefined)
    throw new AppError('BAD_REQUEST', 'A ZIP file is made as a whole. Try one by delivering to a folder first.');
  const { delivery, sight, folder, licences } = ongoing;
  // A job that was cut short begins anew: half a ZIP file is none.
  await app.db
    .update(deliveryItems)
    .set({ state: 'planned' })
    .where(ofDelivery(delivery, sql`state = 'done'`));
  await begin(app, run, ongoing, sql`state = 'planned'`);
  await folderEntrance(app, folder)(folder);
  const taken = await namesIn(folder);
  const rules = delivery.profile.nameRules;
  const name = targetName(delivery.name, { extension: '.zip' }, rules, (key) => taken.has(key), new Map());
  let stopped: JobStopped | undefined;
  await writeNewFile(path.join(folder, name), folder, async (out, signal) => {
    const zip = await StoredZip.into(out, signal);
    for await (const page of itemsOf(app, delivery, sql`state = 'planned'`)) {
      const said = await licencesOf(
        app.db,
        page.map(({ soundId }) => soundId),
      );
      for (const item of page) {
        await run.fence.check();
        const allow = (): void => licences.refuse(said.get(item.soundId));
        const outcome = await addToZip(app, zip, item, allow, {
          profile: delivery.profile,
          sight,
          scratchFolder: folder,
        });
        await keepOutcomes(app, [outcome], useOf(run, ongoing, folder));
        const failure = 'failure' in outcome ? outcome.failure : undefined;
        if (failure) run.note(failure, item.path);
        await run.advance(failure ? { failed: 1 } : { done: 1 }).catch((error: unknown) => {
          if (error instanceof JobStopped) stopped = error;
          throw error;
        });
      }
    }
    for (const { name: beside, bytes } of await besidesOf(app, delivery))
      await zip.add(await streamOf({ bytes }), beside);
    await zip.finish();
  }).catch(async (error: unknown) => {
    // What was added to half a ZIP file stands nowhere.
    await app.db
      .update(deliveryItems)
      .set({ state: 'planned' })
      .where(ofDelivery(delivery, sql`state = 'done'`));
    throw stopped ?? error;
  });
  await app.db
    .update(deliveries)
    .set({ deliveredAt: sql`now()` })
    .where(eq(deliveries.id, delivery.id));
}

async function addToZip(
  app: AppContext,
  zip: StoredZip,
  item: DeliveryItemRow,
  allow: () => void,
  making: Parameters<typeof withDelivered>[2],
): Promise<Outcome> {
  try {
    allow();
    const { value, told } = await withDelivered(app, item, making, async (contents) => {
      const { stream, digest, bytes } = digesting(await streamOf(contents));
      await zip.add(stream, item.path);
      return { digest: digest(), bytes: bytes() };
    });
    return { item, ...value, isWritten: true, told };
  } catch (error) {
    const failure = itemError(error, item.path);
    // Nothing can be added any more.
    if (failure.code === 'UNAVAILABLE' || failure.code === 'DISK_FULL') throw failure;
    return { item, failure };
  }
}
