import {
  deliveryTitle,
  type Delivery,
  type DeliveryItem,
  type KeptProfile,
  type NewDelivery,
  type deliveryChangeSchema,
} from '@flagstone/contract/deliveries';
import type { Job } from '@flagstone/contract/jobs';
import { SHIPPED_PROFILES, type DeliveryProfile } from '@flagstone/core/delivery/profile';
import { AppError } from '@flagstone/core/errors';
import { asc, and, eq, sql, type SQL } from 'drizzle-orm';
import type { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import {
  deliveries,
  deliveryDecisions,
  deliveryItems,
  deliveryProfiles,
  type DeliveryRow,
} from '../db/deliveries-schema.ts';
import { people } from '../db/schema.ts';
import { freeBytesOf } from '../disk/free-space.ts';
import type { NewJob } from '../jobs/job-queue.ts';
import { placesSeen } from '../intake/read-folders.ts';
import { rightsOf } from '../rights/person-rights.ts';
import { sightAs, type Sight } from '../rights/rights.ts';
import { laneOf, refuseWhileDelivering } from './delivering-now.ts';
import { licencesTold } from './licence-check.ts';
import { layTree } from './delivery-tree.ts';

/** Whose deliveries somebody sees: their own; administrators see all. */
export const deliveriesOf = (personId: number, isAdministrator: boolean): SQL =>
  isAdministrator ? sql`true` : sql`${deliveries.personId} = ${personId}`;

interface Joined {
  delivery: DeliveryRow;
  person: string;
  /** Of the pull list that is delivered; null for none. */
  listName: string | null;
}

const joined = (db: Queryable) =>
  db
    .select({
      delivery: deliveries,
      person: people.name,
      listName: sql<
        string | null
      >`(select l.name from pull_lists l where l.id = (${deliveries.what} ->> 'listId')::int)`,
    })
    .from(deliveries)
    .innerJoin(people, eq(people.id, deliveries.personId));

/** Deliveries, the one that is due first before the others, then the newest. */
export async function listDeliveries(db: Queryable, whose: SQL): Promise<Delivery[]> {
  const rows = await joined(db)
    .where(whose)
    .orderBy(
      sql`${deliveries.deliveredAt} is not null`,
      sql`${deliveries.deadline} nulls last`,
      sql`${deliveries.id} desc`,
    )
    .limit(200);
  const counts = await countsOf(
    db,
    rows.map(({ delivery }) => delivery.id),
  );
  return rows.map((row) => told(row, counts.get(row.delivery.id), null));
}

/** One delivery, with the room where it goes. Throws NOT_FOUND. */
export async function getDelivery(app: AppContext, id: number, whose: SQL): Promise<Delivery> {
  const row = await rowOf(app.db, id, whose);
  const counts = await countsOf(app.db, [id]);
  return {
    ...told(row, counts.get(id), await freeBytesOf(row.delivery.folder)),
    licences: await licencesTold(app.db, row.delivery),
  };
}

async function rowOf(db: Queryable, id: number, whose: SQL): Promise<Joined> {
  const [row] = await joined(db).where(and(eq(deliveries.id, id), whose));
  if (!row) throw new AppError('NOT_FOUND', `There is no delivery ${id}.`);
  return row;
}

type Counts = Delivery['counts'];
const NONE: Counts = {
  files: 0,
  bytes: 0,
  folders: 0,
  done: 0,
  new: 0,
  changed: 0,
  blocked: 0,
  failed: 0,
  left: 0,
  noticed: 0,
};

async function countsOf(db: Queryable, ids: readonly number[]): Promise<Map<number, Counts>> {
  if (ids.length === 0) return new Map();
  const { rows } = await db.execute<Counts & { id: number }>(sql`
    select delivery_id as id, count(*) filter (where state <> 'left')::int as files, coalesce(sum(bytes) filter (where state <> 'left'), 0)::float8 as bytes,
      count(distinct regexp_replace(path, '/?[^/]*$', '')) filter (where state <> 'left')::int as folders,
      count(*) filter (where state = 'done')::int as done, count(*) filter (where state = 'planned' and digest = '')::int as new,
      count(*) filter (where state = 'planned' and digest <> '')::int as changed, count(*) filter (where state = 'blocked')::int as blocked,
      count(*) filter (where state = 'failed')::int as failed, count(*) filter (where state = 'left')::int as left,
      count(*) filter (where state <> 'blocked' and problems <> '[]')::int as noticed
    from delivery_items where delivery_id = any(${`{${ids.join(',')}}`}::int[]) group by 1`);
  return new Map(rows.map(({ id, ...counts }) => [id, counts]));
}

function told(
  { delivery: row, person, listName }: Joined,
  counts: Counts | undefined,
  freeBytes: number | null,
): Delivery {
  const {
    id,
    name,
    forWhom,
    use,
    isCommercial,
    show,
    deadline,
    folder,
    profileName,
    profile,
    createdAt,
    plannedAt,
    deliveredAt,
  } = row;
  return {
    id,
    name,
    forWhom,
    use,
    isCommercial,
    show,
    deadline: deadline ?? '',
    folder,
    profileName,
    profile,
    what: whatInWords(row.what, listName),
    person,
    createdAt: createdAt.toISOString(),
    plannedAt: plannedAt?.toISOString() ?? null,
    deliveredAt: deliveredAt?.toISOString() ?? null,
    counts: counts ?? NONE,
    licences: [],
    freeBytes,
  };
}

function whatInWords(what: DeliveryRow['what'], listName: string | null): string {
  if (what.kind === 'list') return listName === null ? 'a pull list that was removed' : `the pull list “${listName}”`;
  const { selection, cut } = what;
  const slices = cut === 'slices' ? ', each slice by itself' : '';
  if (selection.kind === 'copies') {
    const count = selection.copyIds.length;
    return `${count === 1 ? '1 sound' : `${count.toLocaleString('en')} sounds`} that were selected${slices}`;
  }
  if (selection.kind === 'batch') return `a batch${slices}`;
  return `${selection.filter.q === '' ? 'all that a list finds' : `all that “${selection.filter.q}” finds`}${slices}`;
}

/** Keeps a delivery and lays its tree. Throws what the check of its folder throws, and what layTree throws. */
export async function makeDelivery(
  app: AppContext,
  { deadline, ...given }: NewDelivery,
  { person, sight, librarianIn }: Asking,
): Promise<number> {
  const folder = await checkedTarget(app, given.folder, librarianIn);
  return app.db.transaction(async (tx) => {
    const [row] = await tx
      .insert(deliveries)
      .values({ ...given, folder, deadline: deadline === '' ? null : deadline, personId: person })
      .returning({ id: deliveries.id });
    if (!row) throw new AppError('INTERNAL', 'The delivery could not be recorded.');
    await layTree({ ...app, db: tx }, row.id, sight);
    return row.id;
  });
}

/** By whom a delivery is made: what they see, and where they may put files. */
export interface Asking {
  person: number;
  sight: Sight;
  librarianIn: Sight;
}

/** The real path of the folder that a delivery goes to. Throws what the check of a folder throws, and NOT_ALLOWED for one that would be read into a collection of others. */
export async function checkedTarget(app: AppContext, folder: string, librarianIn: Sight): Promise<string> {
  const real = await app.roots.checkedFolder(folder);
  if (!(await placesSeen(app, librarianIn))(real))
    throw new AppError('NOT_ALLOWED', 'This folder belongs to a collection in which you are no librarian.');
  return real;
}

/** What its tree depends on. */
const LAID_BY = ['profile', 'folder', 'use', 'isCommercial', 'show'] as const;

/** Changes what is given of a delivery; where that concerns its files, its tree is to be laid anew. Throws NOT_FOUND, CONFLICT. */
export async function updateDelivery(
  app: AppContext,
  id: number,
  { deadline, ...changes }: z.infer<typeof deliveryChangeSchema>,
  whose: SQL,
  librarianIn: Sight,
): Promise<void> {
  await rowOf(app.db, id, whose);
  if (changes.folder !== undefined) changes.folder = await checkedTarget(app, changes.folder, librarianIn);
  const isLaidAnew = LAID_BY.some((part) => changes[part] !== undefined);
  await app.db.transaction(async (tx) => {
    const [before] = await tx.select().from(deliveries).where(eq(deliveries.id, id)).for('update');
    if (isLaidAnew) await refuseWhileDelivering(tx, id);
    const isMoved =
      (changes.folder !== undefined && changes.folder !== before?.folder) ||
      (changes.profile !== undefined && changes.profile.packing !== before?.profile.packing);
    // What stands elsewhere is no part of what goes there.
    if (isMoved) await tx.delete(deliveryItems).where(eq(deliveryItems.deliveryId, id));
    await tx
      .update(deliveries)
      .set({
        ...changes,
        ...(deadline === undefined ? {} : { deadline: deadline === '' ? null : deadline }),
        ...(isLaidAnew ? { plannedAt: null } : {}),
        ...(isMoved ? { besides: {} } : {}),
      })
      .where(eq(deliveries.id, id));
  });
}

/** Lets a delivery have what says a licence that stops it, for a reason that is kept; without a reason the licence holds again. Its tree is to be laid anew. Throws NOT_FOUND, CONFLICT. */
export async function decideLicence(
  app: AppContext,
  id: number,
  { licence, reason }: { licence: string; reason: string },
  whose: SQL,
  personId: number,
): Promise<void> {
  await rowOf(app.db, id, whose);
  const key = licence.toLowerCase();
  await app.db.transaction(async (tx) => {
    await tx.execute(sql`select from deliveries where id = ${id} for update`);
    await refuseWhileDelivering(tx, id);
    await tx
      .delete(deliveryDecisions)
      .where(and(eq(deliveryDecisions.deliveryId, id), eq(deliveryDecisions.licence, key)));
    if (reason !== '') await tx.insert(deliveryDecisions).values({ deliveryId: id, licence: key, reason, personId });
    await tx.update(deliveries).set({ plannedAt: null }).where(eq(deliveries.id, id));
  });
}

/** Lays its tree, of what its owner sees, whoever asks for it. Throws NOT_FOUND and what layTree throws. */
export async function layDelivery(app: AppContext, id: number, whose: SQL, seen?: Sight): Promise<void> {
  const { delivery } = await rowOf(app.db, id, whose);
  await layTree(app, id, seen ?? sightAs(await rightsOf(app.db, delivery.personId), 'editor'));
}

/** Forgets a delivery; its files stay. Throws NOT_FOUND, CONFLICT. */
export async function removeDelivery(db: Queryable, id: number, whose: SQL): Promise<void> {
  await rowOf(db, id, whose);
  await refuseWhileDelivering(db, id);
  await db.delete(deliveries).where(eq(deliveries.id, id));
}

/** Which items of a delivery are shown. */
export type ItemsShown = 'all' | 'toMake' | 'problems' | 'left';
const SHOWN: Record<ItemsShown, SQL> = {
  all: sql`state <> 'left'`,
  toMake: sql`state in ('planned', 'failed')`,
  problems: sql`state <> 'left' and problems <> '[]'`,
  left: sql`state = 'left'`,
};

/** One page of the items of a delivery, in the order of their paths. Throws NOT_FOUND. */
export async function listDeliveryItems(
  app: AppContext,
  id: number,
  { after, limit, show }: { after: string; limit: number; show: ItemsShown },
  whose: SQL,
): Promise<{ items: DeliveryItem[]; next: string | null }> {
  await rowOf(app.db, id, whose);
  const rows = await app.db
    .select()
    .from(deliveryItems)
    .where(and(eq(deliveryItems.deliveryId, id), sql`${deliveryItems.path} > ${after}`, SHOWN[show]))
    .orderBy(asc(deliveryItems.path))
    .limit(limit);
  const items = rows.map(({ path, soundId, copyId, from, made, bytes, state, problems, digest }) => ({
    path,
    soundId,
    copyId,
    from,
    made,
    bytes,
    state,
    isChanged: state === 'planned' && digest !== '',
    problems,
    digest,
  }));
  return { items, next: rows.length < limit ? null : (rows.at(-1)?.path ?? null) };
}

/** Queues the making of its files. Throws NOT_FOUND, NOTHING_SELECTED, CONFLICT, and PLAN_NOT_RUNNABLE while its tree is not laid. */
export async function runDelivery(
  app: AppContext,
  id: number,
  onlyPath: string | undefined,
  whose: SQL,
  { person, librarianIn }: Omit<Asking, 'sight'>,
): Promise<Job> {
  const { delivery } = await rowOf(app.db, id, whose);
  if (!delivery.plannedAt) throw new AppError('PLAN_NOT_RUNNABLE', 'Its tree is not laid since it was changed.');
  await checkedTarget(app, delivery.folder, librarianIn);
  await refuseWhileDelivering(app.db, id);
  const counts = (await countsOf(app.db, [id])).get(id) ?? NONE;
  if (counts.files === counts.blocked)
    throw new AppError('NOTHING_SELECTED', 'Nothing of it can be delivered as it is wanted.');
  return app.jobs.add(deliverJobOf(delivery, onlyPath), person);
}

/** The job that makes the files of a delivery, or one of them. Two of one delivery never run at once. */
export function deliverJobOf(
  { id, name, forWhom }: Pick<DeliveryRow, 'id' | 'name' | 'forWhom'>,
  onlyPath?: string,
): NewJob {
  return {
    kind: 'deliver',
    title: deliveryTitle({ name, forWhom }),
    payload: { deliveryId: id, ...(onlyPath === undefined ? {} : { onlyPath }) },
    lanes: [laneOf(id)],
    collectionIds: [],
  };
}

const SHIPPED_NAMES: Record<keyof typeof SHIPPED_PROFILES, string> = {
  broadcast: 'Broadcast',
  game: 'Game',
  archive: 'Post-production archive',
};

/** The profiles that ship, then those that were kept, by name. */
export async function listProfiles(db: Queryable): Promise<KeptProfile[]> {
  const kept = await db
    .select({ kept: deliveryProfiles, person: people.name })
    .from(deliveryProfiles)
    .innerJoin(people, eq(people.id, deliveryProfiles.personId))
    .orderBy(asc(deliveryProfiles.name));
  const shipped = Object.entries(SHIPPED_PROFILES).map(([key, profile]) => ({
    id: null,
    name: SHIPPED_NAMES[key as keyof typeof SHIPPED_PROFILES],
    profile,
    person: '',
  }));
  return [...shipped, ...kept.map(({ kept: { id, name, profile }, person }) => ({ id, name, profile, person }))];
}

/** Keeps a profile. Throws CONFLICT for the name of one that ships or that somebody else kept. */
export async function saveProfile(
  db: Queryable,
  name: string,
  profile: DeliveryProfile,
  personId: number,
): Promise<void> {
  const isShipped = Object.values(SHIPPED_NAMES).some((known) => known.toLowerCase() === name.toLowerCase());
  if (isShipped) throw new AppError('CONFLICT', `“${name}” ships with Flagstone: choose another name.`);
  const saved = await db
    .insert(deliveryProfiles)
    .values({ name, profile, personId })
    .onConflictDoUpdate({
      target: deliveryProfiles.name,
      set: { profile },
      setWhere: eq(deliveryProfiles.personId, personId),
    })
    .returning({ id: deliveryProfiles.id });
  if (saved.length === 0)
    throw new AppError('CONFLICT', `Somebody else kept a profile “${name}”: choose another name.`);
}

/** Forgets a profile of one's own, or any as an administrator. Throws NOT_FOUND. */
export async function removeProfile(
  db: Queryable,
  id: number,
  personId: number,
  isAdministrator: boolean,
): Promise<void> {
  const whose = isAdministrator ? sql`true` : eq(deliveryProfiles.personId, personId);
  const gone = await db
    .delete(deliveryProfiles)
    .where(and(eq(deliveryProfiles.id, id), whose))
    .returning({ id: deliveryProfiles.id });
  if (gone.length === 0) throw new AppError('NOT_FOUND', 'There is no such profile of yours.');
}
