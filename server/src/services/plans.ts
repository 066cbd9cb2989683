import { AppError } from '@flagstone/core/errors';
import type { Job } from '@flagstone/contract/jobs';
import type { Plan, PlanItem, PlanKind } from '@flagstone/contract/plans';
import type { Selection } from '@flagstone/contract/selection';
import { and, desc, eq, gt, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Transaction } from '../db/connect.ts';
import { copies, drives, journal, plans } from '../db/schema.ts';
import { planRenames } from './rename-plan.ts';
import { selectedRows } from './sound-rows.ts';
import { planWrites } from './write-plan.ts';

/** An item as a planner makes it; the state says whether it can run. */
export type NewItem = Pick<typeof journal.$inferInsert, 'copyId' | 'before' | 'after' | 'problems'> & {
  state: 'planned' | 'unchanged' | 'blocked';
};

/**
 * Previews a renaming or writing of the selected copies: every item with its before and after and every problem, stored so that what was
 * seen is what runs. Touches no file.
 */
export async function makePlan(
  app: AppContext,
  kind: Exclude<PlanKind, 'relocate'>,
  selection: Selection,
  batchId: number | undefined,
  personId: number,
): Promise<Plan> {
  const planner = kind === 'rename' ? planRenames(app) : planWrites(app);
  const planId = await storePlan(app, { kind, batchId: batchId ?? null, personId }, async function* (tx) {
    for await (const page of selectedRows(tx, selection)) yield await planner(page);
  });
  return getPlan(app, planId);
}

/** Stores a plan with its items, page by page, as one; returns its id. Throws NOTHING_SELECTED for one without items. */
export async function storePlan(
  app: AppContext,
  plan: Pick<typeof plans.$inferInsert, 'batchId' | 'personId'> & { kind: PlanKind },
  itemsIn: (tx: Transaction) => AsyncIterable<NewItem[]>,
): Promise<number> {
  return app.db.transaction(async (tx) => {
    const [row] = await tx
      .insert(plans)
      .values({ ...plan, state: 'ready' })
      .returning({ id: plans.id });
    if (!row) throw new AppError('INTERNAL', 'The plan could not be recorded.');
    let count = 0;
    for await (const items of itemsIn(tx)) {
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
      count(*) filter (where j.state = 'failed') as failed, count(*) filter (where j.state = 'undone') as undone
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
      runnable: count('runnable'),
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
    .select({ item: journal, driveName: drives.name, folder: copies.folder })
    .from(journal)
    .innerJoin(copies, eq(copies.id, journal.copyId))
    .innerJoin(drives, eq(drives.id, copies.driveId))
    .where(and(eq(journal.planId, planId), gt(journal.id, after)))
    .orderBy(journal.id)
    .limit(limit + 1);
  const items = rows.slice(0, limit).map(({ item, driveName, folder }) => {
    const { blocks = {}, ...shown } = item.after as { blocks?: Record<string, string> | null };
    return {
      id: item.id,
      copyId: item.copyId,
      folder,
      driveName,
      state: item.state as PlanItem['state'],
      before: item.before,
      after: shown,
      blocks,
      problems: item.problems,
    };
  });
  return { items, next: rows.length > limit ? (items.at(-1)?.id ?? null) : null };
}

const WORDS: Record<PlanKind, { verb: string; doing: string }> = {
  rename: { verb: 'Rename', doing: 'renaming' },
  write: { verb: 'Write', doing: 'writing' },
  relocate: { verb: 'Find the new place of', doing: 'finding the new place' },
};

/** Queues the running of a plan, or of one item of it to try it out. Throws PLAN_NOT_RUNNABLE. */
export async function runPlan(
  app: AppContext,
  id: number,
  onlyItemId: number | undefined,
  personId: number,
): Promise<Job> {
  const plan = await getPlan(app, id);
  if (plan.state === 'undoing' || plan.state === 'undone')
    throw new AppError('PLAN_NOT_RUNNABLE', `Plan ${id} was undone.`);
  if (plan.counts.runnable === 0) throw new AppError('PLAN_NOT_RUNNABLE', `Plan ${id} has nothing left to run.`);
  const count = onlyItemId === undefined ? plan.counts.runnable : 1;
  await app.db.update(plans).set({ state: 'running' }).where(eq(plans.id, id));
  return app.jobs.add(
    {
      kind: plan.kind,
      title: `${WORDS[plan.kind].verb} ${count} ${count === 1 ? 'file' : 'files'}`,
      payload: { planId: id, batchId: plan.batchId, onlyItemId },
      lanes: await drivesOfPlan(app, plan),
    },
    personId,
  );
}

/** Queues taking back everything that a plan did. Throws NOT_UNDOABLE. */
export async function undoPlan(app: AppContext, id: number, personId: number): Promise<Job> {
  const plan = await getPlan(app, id);
  if (plan.counts.done === 0) throw new AppError('NOT_UNDOABLE', `Plan ${id} did nothing that could be undone.`);
  await app.db.update(plans).set({ state: 'undoing' }).where(eq(plans.id, id));
  return app.jobs.add(
    {
      kind: 'undo',
      title: `Undo ${WORDS[plan.kind].doing} of ${plan.counts.done} ${plan.counts.done === 1 ? 'file' : 'files'}`,
      payload: { planId: id, batchId: plan.batchId },
      lanes: await drivesOfPlan(app, plan),
    },
    personId,
  );
}

/** The drives whose files a plan changes, or to which copies are said to have gone. */
async function drivesOfPlan(app: AppContext, { id, kind }: Plan): Promise<string[]> {
  const drive =
    kind === 'relocate' ? sql<string>`${journal.after} ->> 'driveId'` : sql<string>`${copies.driveId}::text`;
  const rows = await app.db
    .selectDistinct({ driveId: drive })
    .from(journal)
    .innerJoin(copies, eq(copies.id, journal.copyId))
    .where(eq(journal.planId, id));
  return rows.map(({ driveId }) => driveId);
}

/** The newest plan of a person that did something and was not undone, with the time it ended. */
export async function lastPlanOf(app: AppContext, personId: number): Promise<{ id: number; at: Date } | undefined> {
  const [row] = await app.db
    .select({ id: plans.id, at: plans.finishedAt })
    .from(plans)
    .where(
      sql`${plans.personId} = ${personId} and ${plans.state} = 'done' and exists (select from journal j where j.plan_id = ${plans.id} and j.state = 'done')`,
    )
    .orderBy(desc(plans.finishedAt))
    .limit(1);
  return row?.at ? { id: row.id, at: row.at } : undefined;
}
