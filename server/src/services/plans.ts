import { AppError } from '@flagstone/core/errors';
import type { Job } from '@flagstone/contract/jobs';
import type { Plan, PlanItem, PlanKind } from '@flagstone/contract/plans';
import type { Selection } from '@flagstone/contract/selection';
import { and, desc, eq, gt, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
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
  kind: PlanKind,
  selection: Selection,
  batchId: number | undefined,
  personId: number,
): Promise<Plan> {
  const planId = await app.db.transaction(async (tx) => {
    const [plan] = await tx
      .insert(plans)
      .values({ kind, state: 'ready', personId, batchId: batchId ?? null })
      .returning({ id: plans.id });
    if (!plan) throw new AppError('INTERNAL', 'The plan could not be recorded.');
    const planner = kind === 'rename' ? planRenames(app) : planWrites(app);
    let count = 0;
    for await (const page of selectedRows(tx, selection)) {
      const items = await planner(page);
      count += items.length;
      if (items.length > 0) await tx.insert(journal).values(items.map((item) => ({ ...item, planId: plan.id })));
    }
    if (count === 0) throw new AppError('NOTHING_SELECTED', 'The selection holds no rows.');
    return plan.id;
  });
  return getPlan(app, planId);
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
    const { blocks = {}, ...shown } = item.after as { blocks?: Record<string, string> };
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
  const verb = plan.kind === 'rename' ? 'Rename' : 'Write';
  return app.jobs.add(
    {
      kind: plan.kind,
      title: `${verb} ${count} ${count === 1 ? 'file' : 'files'}`,
      payload: { planId: id, batchId: plan.batchId, onlyItemId },
      lanes: await drivesOfPlan(app, id),
    },
    personId,
  );
}

/** Queues taking back everything that a plan did. Throws NOT_UNDOABLE. */
export async function undoPlan(app: AppContext, id: number, personId: number): Promise<Job> {
  const plan = await getPlan(app, id);
  if (plan.counts.done === 0) throw new AppError('NOT_UNDOABLE', `Plan ${id} did nothing that could be undone.`);
  await app.db.update(plans).set({ state: 'undoing' }).where(eq(plans.id, id));
  const what = plan.kind === 'rename' ? 'renaming' : 'writing';
  return app.jobs.add(
    {
      kind: 'undo',
      title: `Undo ${what} of ${plan.counts.done} ${plan.counts.done === 1 ? 'file' : 'files'}`,
      payload: { planId: id, batchId: plan.batchId },
      lanes: await drivesOfPlan(app, id),
    },
    personId,
  );
}

/** The drives whose files a plan changes. */
async function drivesOfPlan(app: AppContext, id: number): Promise<string[]> {
  const rows = await app.db
    .selectDistinct({ driveId: copies.driveId })
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
