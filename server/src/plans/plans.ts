import { AppError } from '@flagstone/core/errors';
import type { Job, JobKind } from '@flagstone/contract/jobs';
import type { NewPlan, Plan, PlanItem, PlanKind } from '@flagstone/contract/plans';
import type { SoundRow } from '@flagstone/contract/record';
import { and, eq, gt, sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import type { SeenSelection } from '../rights/seen.ts';
import type { Queryable } from '../db/connect.ts';
import { copies, drives, journal, plans } from '../db/schema.ts';
import { driveIsHere, filesOf } from '../drives/drives.ts';
import { doneBy, driveChanged, type NewItem, type Planner } from './plan-item.ts';
import { planRenames } from './rename-plan.ts';
import { idList } from '../db/sql-parts.ts';
import { selectedRows } from '../records/sound-rows.ts';
import { planRestores } from './restore.ts';
import { planWrites } from './write-plan.ts';

/** Rows of which the files are looked at between two statements. */
const PAGE = 50;

/**
 * Previews a renaming, writing or restoring of the selected copies: every item with its before and after and every problem, stored so that what was
 * seen is what runs. Touches no file.
 */
export async function makePlan(
  app: AppContext,
  wanted: NewPlan & { selection: SeenSelection },
  personId: number,
): Promise<Plan> {
  const { kind, selection, batchId, allCopies, rename } = wanted;
  const planId = await storePlan(app, { kind, batchId: batchId ?? null, personId }, async function* (inside) {
    const planner = plannerOf(inside, kind, rename, selection.seenBy);
    if (planner.meet) for await (const rows of plannedRows(inside.db, selection, allCopies)) await planner.meet(rows);
    const block = blockerOfReadOnly(inside);
    for await (const rows of plannedRows(inside.db, selection, allCopies))
      yield await block(rows, await planner.plan(rows));
  });
  return getPlan(app, planId);
}

function plannerOf(inside: AppContext, kind: NewPlan['kind'], rename: NewPlan['rename'], sight: Sight): Planner {
  if (kind === 'rename') return planRenames(inside, rename);
  return { plan: kind === 'write' ? planWrites(inside) : planRestores(inside, sight) };
}

/** Previews the renaming of copies to names that were given to them, as `makePlan` does that to names by the pattern. */
export async function makePlanOfNames(
  app: AppContext,
  names: ReadonlyMap<number, string>,
  personId: number,
  sight: Sight,
): Promise<Plan> {
  const selection: SeenSelection = { kind: 'copies', copyIds: [...names.keys()], seenBy: sight };
  const planId = await storePlan(app, { kind: 'rename', batchId: null, personId }, async function* (inside) {
    const planner = planRenames(inside, { shorten: 'no', extensions: 'kept', companions: true }, names);
    const block = blockerOfReadOnly(inside);
    for await (const rows of plannedRows(inside.db, selection, false)) await planner.meet?.(rows);
    for await (const rows of plannedRows(inside.db, selection, false))
      yield await block(rows, await planner.plan(rows));
  });
  return getPlan(app, planId);
}

/** Blocks what is planned in folders that cannot be written to: that is better said before the plan runs than of each file while it does. */
export function blockerOfReadOnly(
  app: AppContext,
): (rows: readonly SoundRow[], items: NewItem[]) => Promise<NewItem[]> {
  const known = new Map<string, Promise<boolean>>();
  const canWrite = (row: SoundRow): Promise<boolean> => {
    const place = `${row.driveId}/${row.folder}`;
    const looked = known.get(place) ?? folderCanBeWritten(app, row);
    known.set(place, looked);
    return looked;
  };
  return async (rows, items) => {
    const rowOf = new Map(rows.map((row) => [row.copyId, row]));
    for (const item of items) {
      const row = item.state === 'planned' ? rowOf.get(item.copyId) : undefined;
      if (!row || row.state === 'away' || (await canWrite(row))) continue;
      const error = new AppError('FOLDER_READ_ONLY', `The folder ${row.folder || row.driveName} cannot be written to.`);
      item.state = 'blocked';
      item.problems = [
        ...(item.problems ?? []),
        { code: error.code, severity: 'error', message: error.message, remedy: error.remedy },
      ];
    }
    return items;
  };
}

async function folderCanBeWritten(app: AppContext, { driveId, folder }: SoundRow): Promise<boolean> {
  const [drive] = await app.db.select().from(drives).where(eq(drives.id, driveId));
  return drive !== undefined && filesOf(app, drive).isWritable(folder);
}

/** The rows that a plan is made for, each once. */
async function* plannedRows(db: Queryable, selection: SeenSelection, allCopies: boolean): AsyncGenerator<SoundRow[]> {
  const met = new Set<number>();
  for await (const page of selectedRows(db, selection, PAGE)) {
    const rows = (allCopies ? await withOtherCopies(db, page, selection.seenBy) : page).filter(
      ({ copyId }) => !met.has(copyId),
    );
    for (const { copyId } of rows) met.add(copyId);
    yield rows;
  }
}

/** Rows with those of the other copies of their sounds that are not gone and lie in the same collections. */
async function withOtherCopies(db: Queryable, rows: SoundRow[], seenBy: Sight): Promise<SoundRow[]> {
  const { rows: found } = await db.execute<{ id: number }>(sql`
    select c.id from copies c where c.sound_id = any(${idList(rows.map(({ soundId }) => soundId))}) and not c.gone
    and not c.id = any(${idList(rows.map(({ copyId }) => copyId))}) order by c.id`);
  const all = [...rows];
  if (found.length > 0) {
    const others: SeenSelection = { kind: 'copies', copyIds: found.map(({ id }) => id), seenBy };
    for await (const page of selectedRows(db, others)) all.push(...page);
  }
  return all;
}

/**
 * Stores a plan with its items, page by page, as one; returns its id. `itemsIn` reads by the context that it is given, in the same transaction. Throws
 * NOTHING_SELECTED for a plan without items.
 */
export async function storePlan(
  app: AppContext,
  plan: Pick<typeof plans.$inferInsert, 'batchId' | 'personId'> & { kind: PlanKind },
  itemsIn: (inside: AppContext) => AsyncIterable<NewItem[]>,
): Promise<number> {
  return app.db.transaction(async (tx) => {
    const [row] = await tx
      .insert(plans)
      .values({ ...plan, state: 'ready' })
      .returning({ id: plans.id });
    if (!row) throw new AppError('INTERNAL', 'The plan could not be recorded.');
    let count = 0;
    for await (const items of itemsIn({ ...app, db: tx })) {
      count += items.length;
      if (items.length > 0) await tx.insert(journal).values(items.map((item) => ({ ...item, planId: row.id })));
    }
    if (count === 0) throw new AppError('NOTHING_SELECTED', 'The selection holds no rows.');
    return row.id;
  });
}

interface PlanRow extends Record<string, unknown> {
  id: number;
  kind: PlanKind;
  state: Plan['state'];
  batch_id: number | null;
  person: string;
  created_at: Date;
}

/** A plan with its counts; throws NOT_FOUND. */
export async function getPlan(app: AppContext, id: number): Promise<Plan> {
  const { rows } = await app.db.execute<PlanRow & Record<string, number>>(sql`
    select p.id, p.kind, p.state, p.batch_id, p.created_at, w.name as person, count(*) as all,
      count(*) filter (where j.state in ('planned', 'started')) as runnable, count(*) filter (where j.state = 'unchanged') as unchanged,
      count(*) filter (where j.state = 'blocked') as blocked, count(*) filter (where j.state in ('done', 'undoing')) as done,
      count(*) filter (where j.state = 'failed') as failed, count(*) filter (where j.state = 'undone') as undone,
      count(*) filter (where j.state = 'planned' and exists (
        select from copies c where c.id = j.copy_id
        and case when p.kind in ('copy', 'shelve', 'cut') then coalesce(j.after ->> 'driveId', c.drive_id::text) else c.drive_id::text end in (${awaitedDrives(id)}))) as waiting
    from plans p join people w on w.id = p.person_id join journal j on j.plan_id = p.id where p.id = ${id} group by p.id, w.id`);
  const [row] = rows;
  if (!row) throw new AppError('NOT_FOUND', `There is no plan ${id}.`);
  const count = (name: string): number => Number(row[name]);
  return {
    id: row.id,
    kind: row.kind,
    state: row.state,
    batchId: row.batch_id,
    person: row.person,
    createdAt: new Date(row.created_at).toISOString(),
    counts: {
      all: count('all'),
      runnable: count('runnable') - count('waiting'),
      waiting: count('waiting'),
      unchanged: count('unchanged'),
      blocked: count('blocked'),
      done: count('done'),
      failed: count('failed'),
      undone: count('undone'),
    },
  };
}

/** One page of a plan's items in their order. */
export async function listItems(
  app: AppContext,
  planId: number,
  after: number,
  limit: number,
): Promise<{ items: PlanItem[]; next: number | null }> {
  const rows = await app.db
    .select({ item: journal, kind: plans.kind, driveName: drives.name, folder: copies.folder })
    .from(journal)
    .innerJoin(plans, eq(plans.id, journal.planId))
    .innerJoin(copies, eq(copies.id, journal.copyId))
    .innerJoin(drives, eq(drives.id, copies.driveId))
    .where(and(eq(journal.planId, planId), gt(journal.id, after)))
    .orderBy(journal.id)
    .limit(limit + 1);
  const items = rows.slice(0, limit).map(({ item, kind, driveName, folder }) => {
    const { blocks = {}, ...shown } = item.after as { blocks?: Record<string, string> | null };
    return {
      id: item.id,
      does: doneBy(kind, item),
      copyId: item.copyId,
      folder,
      driveName,
      state: item.state,
      before: item.before,
      after: shown,
      blocks,
      problems: item.problems,
    };
  });
  return { items, next: rows.length > limit ? (items.at(-1)?.id ?? null) : null };
}

/** What a plan does, and to what: files, unless it says another thing. */
const WORDS: Record<PlanKind, { verb: string; doing: string; things?: [one: string, several: string] }> = {
  rename: { verb: 'Rename', doing: 'renaming' },
  write: { verb: 'Write', doing: 'writing' },
  cut: { verb: 'Cut out', doing: 'cutting out' },
  restore: { verb: 'Restore', doing: 'restoring' },
  copy: { verb: 'Copy', doing: 'copying' },
  shelve: { verb: 'Lay out', doing: 'laying out' },
  setAside: { verb: 'Set aside', doing: 'setting aside' },
  delete: { verb: 'Delete', doing: 'deleting' },
  relocate: { verb: 'Find the new place of', doing: 'finding the new place' },
  afterList: {
    verb: 'Make',
    doing: 'making',
    things: ['change after the category list', 'changes after the category list'],
  },
};

/** The drives for which a job of a plan waits. */
function awaitedDrives(planId: number): SQL {
  return sql`select jsonb_array_elements_text(w.payload -> 'driveIds') from jobs w
    where w.state = 'waiting' and w.payload ->> 'planId' = ${String(planId)} and w.payload ? 'awaitsDrive'`;
}

/**
 * Queues the running of a plan, or of one item of it to try it out. What is on drives that are away is queued apart, and runs when they are
 * back. Throws PLAN_NOT_RUNNABLE.
 */
export async function runPlan(
  app: AppContext,
  id: number,
  { onlyItemId, share }: { onlyItemId?: number | undefined; share?: number | undefined },
  personId: number,
): Promise<Job> {
  const plan = await getPlan(app, id);
  if (plan.state === 'undoing' || plan.state === 'undone')
    throw new AppError('PLAN_NOT_RUNNABLE', `Plan ${id} was undone.`);
  if (plan.counts.runnable === 0) throw new AppError('PLAN_NOT_RUNNABLE', `Plan ${id} has nothing left to run.`);
  const wanted = onlyItemId === undefined ? eq(journal.state, 'planned') : eq(journal.id, onlyItemId);
  const { verb } = WORDS[plan.kind];
  return queueByDrive(app, plan, wanted, personId, { kind: plan.kind, verb, onlyItemId, share });
}

/** Queues taking back everything that a plan did; what it was still to do when a drive is back is called off. Throws NOT_UNDOABLE. */
export async function undoPlan(app: AppContext, id: number, personId: number): Promise<Job> {
  const plan = await getPlan(app, id);
  if (plan.counts.done === 0) throw new AppError('NOT_UNDOABLE', `Plan ${id} did nothing that could be undone.`);
  const waiting = await app.db.execute<{ id: string }>(
    sql`select id from jobs where state = 'waiting' and payload ->> 'planId' = ${String(id)} and payload ? 'awaitsDrive'`,
  );
  for (const job of waiting.rows) await app.jobs.ask(job.id, 'cancel');
  const verb = `Undo ${WORDS[plan.kind].doing} of`;
  return queueByDrive(app, plan, eq(journal.state, 'done'), personId, { kind: 'undo', verb });
}

/**
 * Queues one job for the wanted items of a plan on the drives that are here, and one for each drive that is away. Returns the first of them. A
 * relocation changes no file and needs only the drives to which copies are said to have gone: it is one job. Copying changes the drive that it copies to.
 */
async function queueByDrive(
  app: AppContext,
  plan: Plan,
  wanted: SQL,
  personId: number,
  {
    kind,
    verb,
    onlyItemId,
    share,
  }: { kind: JobKind; verb: string; onlyItemId?: number | undefined; share?: number | undefined },
): Promise<Job> {
  const isRelocation = plan.kind === 'relocate';
  const driveId = isRelocation
    ? sql<string>`${journal.after} ->> 'driveId'`
    : driveChanged(plan.kind, journal.after, copies.driveId);
  const counts = await app.db
    .select({ driveId, items: sql<number>`count(*)::int` })
    .from(journal)
    .innerJoin(copies, eq(copies.id, journal.copyId))
    .where(and(eq(journal.planId, plan.id), wanted))
    .groupBy(driveId);
  const concerned = new Map((await app.db.select().from(drives)).map((drive) => [drive.id, drive]));
  const { rows: queued } = await app.db.execute<{ id: string }>(
    sql`select d.id from (${awaitedDrives(plan.id)}) as d (id)`,
  );
  const held = await app.db.execute<{ id: number }>(sql`
    select distinct w.collection_id as id from journal j join copies c on c.id = j.copy_id join folders w on w.id = c.read_folder_id
    where j.plan_id = ${plan.id}`);
  const here: typeof counts = [];
  const away: typeof counts = [];
  for (const count of counts) {
    const drive = concerned.get(count.driveId);
    const isAway = !isRelocation && drive !== undefined && !(await driveIsHere(drive));
    if (!isAway) here.push(count);
    else if (!queued.some(({ id }) => id === count.driveId)) away.push(count);
  }
  const jobOf = (parts: typeof counts, when: string, more: object): Promise<Job> => {
    const items = parts.reduce((sum, part) => sum + part.items, 0);
    const [one, several] = WORDS[plan.kind].things ?? ['file', 'files'];
    const driveIds = parts.map((part) => part.driveId);
    return app.jobs.add(
      {
        kind,
        title: `${verb} ${items} ${items === 1 ? one : several}${when}`,
        payload: {
          planId: plan.id,
          batchId: plan.batchId,
          onlyItemId,
          share,
          ...(isRelocation ? {} : { driveIds }),
          ...more,
        },
        lanes: driveIds,
        collectionIds: held.rows.map(({ id }) => id),
      },
      personId,
    );
  };
  if (here.length + away.length === 0)
    throw new AppError('PLAN_NOT_RUNNABLE', `Plan ${plan.id} has nothing left to run now.`);
  const state = kind === 'undo' ? 'undoing' : 'running';
  await app.db.update(plans).set({ state }).where(eq(plans.id, plan.id));
  const jobs = here.length > 0 ? [await jobOf(here, '', {})] : [];
  for (const part of away) {
    const { name = '' } = concerned.get(part.driveId) ?? {};
    jobs.push(await jobOf([part], ` on “${name}” when it is back`, { awaitsDrive: name }));
  }
  return jobs[0] as Job;
}

/** The newest plan of a person that did something and was not undone: when they had it run, what undoing it says, and whether it still runs. */
export async function lastPlanOf(
  app: AppContext,
  personId: number,
): Promise<{ id: number; at: Date; title: string; isRunning: boolean } | undefined> {
  const { rows } = await app.db.execute<{
    id: number;
    at: Date;
    kind: PlanKind;
    items: number;
    active: boolean;
  }>(sql`
    select * from (
      select p.id, p.kind, (select count(*)::int from journal j where j.plan_id = p.id and j.state = 'done') as items,
        coalesce(max(j.created_at) filter (where j.kind <> 'undo'), p.finished_at, p.created_at) as at,
        coalesce(bool_or(j.state in ('waiting', 'running', 'paused')), false) as active
      from plans p left join jobs j on j.payload ->> 'planId' = p.id::text where p.person_id = ${personId} group by p.id) each
    where active or items > 0 order by at desc limit 1`);
  const [row] = rows;
  if (!row) return undefined;
  const files = `${row.items} ${row.items === 1 ? 'file' : 'files'}`;
  const it = row.items === 1 ? 'it' : 'they';
  const title = {
    rename: `Rename ${files} back`,
    write: `Give ${files} back what ${it} said before`,
    cut: `Remove ${files} that ${row.items === 1 ? 'was' : 'were'} cut out`,
    restore: `Put ${files} back that ${row.items === 1 ? 'was' : 'were'} damaged`,
    copy: `Remove ${files} that ${row.items === 1 ? 'was' : 'were'} copied`,
    afterList: `Take ${row.items} ${row.items === 1 ? 'change' : 'changes'} after the category list back`,
    shelve: `Put ${files} back to where ${it} stood`,
    setAside: `Put ${files} back that ${row.items === 1 ? 'was' : 'were'} set aside`,
    delete: `Make ${files} again from the copies that were kept`,
    relocate: `Take ${row.items} ${row.items === 1 ? 'copy' : 'copies'} back to where ${it} stood`,
  }[row.kind];
  return { id: row.id, at: new Date(row.at), title, isRunning: row.active };
}
