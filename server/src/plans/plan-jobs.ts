import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import { and, asc, desc, eq, gt, inArray, lt, or, sql, type SQL } from 'drizzle-orm';
import { planKindSchema, type PlanKind } from '@flagstone/contract/plans';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { isLibrarianOf } from '../rights/person-rights.ts';
import { copies, drives, journal, plans } from '../db/schema.ts';
import { itemError } from '../disk/disk-errors.ts';
import { settleLeftovers } from '../disk/leftovers.ts';
import {
  performWrite,
  setFailed,
  setState,
  settleInterruptedWrite,
  undoWrite,
  type JournalRow,
} from './journal-items.ts';
import { performCut, settleInterruptedCut, undoCut } from './cuts.ts';
import { performRename, settleInterruptedRename } from './renames.ts';
import { driveIsHere, filesOf } from '../drives/drives.ts';
import { performRelocation } from './relocation.ts';
import { doneBy, driveChanged } from './plan-item.ts';
import { performCopy, settleInterruptedCopy, undoCopy } from './copies.ts';
import { performDeleting, settleInterruptedDeleting, undoDeleting } from './deleting.ts';
import { performSettingAside, settleInterruptedSettingAside } from './setting-aside.ts';
import { performShelving, settleInterruptedShelving } from './shelving.ts';
import { performRestore, settleInterruptedRestore, undoRestore } from './restore.ts';
import { knownWrites } from '../drives/known-writes.ts';
import type { Fence } from '../jobs/fence.ts';
import { JobAwaitsDrive, type JobRun } from '../jobs/job-queue.ts';
import { atPace } from '../jobs/rest.ts';

const payloadSchema = z.object({
  planId: z.number(),
  onlyItemId: z.number().optional(),
  /** Only items whose copies are on these drives; those of others have a job of their own. */
  driveIds: z.array(z.string()).optional(),
  retry: z.boolean().default(false),
  /** How much of its time it works, in percent. */
  share: z.number().default(100),
});
const PAGE = 200;

/**
 * Runs the planned items of a plan one after another; an item that fails is marked and the rest goes on. From the shell, whoever has the data folder may do that; otherwise
 * whoever had it run has to be a librarian still.
 */
export async function runPlanJob(app: AppContext, run: JobRun, isFromShell = false): Promise<void> {
  const { planId, onlyItemId, driveIds, retry, share } = payloadSchema.parse(run.job.payload);
  const [plan] = await app.db.select().from(plans).where(eq(plans.id, planId));
  if (!plan) throw new AppError('NOT_FOUND', `There is no plan ${planId}.`);
  await recoverJournal(app, planId);
  if (retry) await planFailedAgain(app, planId);
  const perform = (item: JournalRow): Promise<void> =>
    atPace(run, share, () => performOf(plan.kind, item).do(app, item, run.fence));
  const wanted = and(
    eq(journal.planId, planId),
    eq(journal.state, 'planned'),
    onlyItemId === undefined ? undefined : eq(journal.id, onlyItemId),
    onDrives(plan.kind, driveIds),
  );
  await run.setTotal(await app.db.$count(journal, wanted));
  try {
    await eachItem(app, run, wanted, { order: 'forward', needsDrive: touchesDrive(plan.kind), isFromShell }, perform);
  } finally {
    await finishPlan(app, planId);
  }
}

/** Takes back the done items of a plan, the last first. An item that cannot be taken back stays done, with the reason. */
export async function undoPlanJob(app: AppContext, run: JobRun): Promise<void> {
  const { planId, driveIds } = payloadSchema.parse(run.job.payload);
  const [plan] = await app.db.select().from(plans).where(eq(plans.id, planId));
  if (!plan) throw new AppError('NOT_FOUND', `There is no plan ${planId}.`);
  await recoverJournal(app, planId);
  const undo = (item: JournalRow): Promise<void> => performOf(plan.kind, item).undo(app, item, run.fence);
  const wanted = and(eq(journal.planId, planId), eq(journal.state, 'done'), onDrives(plan.kind, driveIds));
  await run.setTotal(await app.db.$count(journal, wanted));
  try {
    await eachItem(app, run, wanted, { order: 'backward', needsDrive: touchesDrive(plan.kind) }, undo);
  } finally {
    await finishPlan(app, planId);
  }
}

function onDrives(kind: PlanKind, driveIds: readonly string[] | undefined): SQL | undefined {
  if (driveIds === undefined) return undefined;
  const drive = driveChanged(kind, journal.after, sql`c.drive_id`);
  return sql`exists (select from copies c where c.id = ${journal.copyId} and ${drive} = any(${sql.param(driveIds)}::text[]))`;
}

type Perform = (app: AppContext, item: JournalRow, fence: Fence) => Promise<void>;
type Settle = (app: AppContext, item: JournalRow) => Promise<void>;

/** How an item of a kind of plan is done and taken back, and settled when that was cut short. */
const PERFORM: Record<Exclude<PlanKind, 'afterList'>, { do: Perform; undo: Perform; settle: Settle }> = {
  rename: {
    do: (app, item, fence) => performRename(app, item, 'do', fence),
    undo: (app, item, fence) => performRename(app, item, 'undo', fence),
    settle: settleInterruptedRename,
  },
  write: { do: performWrite, undo: undoWrite, settle: settleInterruptedWrite },
  cut: { do: performCut, undo: undoCut, settle: settleInterruptedCut },
  restore: { do: performRestore, undo: undoRestore, settle: settleInterruptedRestore },
  shelve: {
    do: (app, item, fence) => performShelving(app, item, 'do', fence),
    undo: (app, item, fence) => performShelving(app, item, 'undo', fence),
    settle: settleInterruptedShelving,
  },
  setAside: {
    do: (app, item, fence) => performSettingAside(app, item, 'do', fence),
    undo: (app, item, fence) => performSettingAside(app, item, 'undo', fence),
    settle: settleInterruptedSettingAside,
  },
  delete: { do: performDeleting, undo: undoDeleting, settle: settleInterruptedDeleting },
  copy: { do: performCopy, undo: undoCopy, settle: settleInterruptedCopy },
  relocate: {
    do: (app, item, fence) => performRelocation(app, item, 'do', fence),
    undo: (app, item, fence) => performRelocation(app, item, 'undo', fence),
    // Only the database changes, in one transaction: nothing is ever left half done.
    settle: (app, item) => setState(app.db, item, item.state === 'undoing' ? 'done' : 'planned'),
  },
};

function performOf(kind: string, item: JournalRow) {
  const does = doneBy(planKindSchema.parse(kind), item);
  if (does === 'afterList') throw new AppError('INTERNAL', 'An item of a plan does not say what it does.');
  return PERFORM[does];
}

/** Relocating changes what the database says of places, of drives that may be away. */
function touchesDrive(kind: string): boolean {
  return planKindSchema.parse(kind) !== 'relocate';
}

async function eachItem(
  app: AppContext,
  run: JobRun,
  wanted: ReturnType<typeof and>,
  {
    order,
    needsDrive,
    isFromShell = false,
  }: { order: 'forward' | 'backward'; needsDrive: boolean; isFromShell?: boolean },
  perform: (item: JournalRow) => Promise<void>,
): Promise<void> {
  const forward = order === 'forward';
  let last = forward ? 0 : Number.MAX_SAFE_INTEGER;
  for (;;) {
    const items = await app.db
      .select()
      .from(journal)
      .where(and(wanted, forward ? gt(journal.id, last) : lt(journal.id, last)))
      .orderBy(forward ? asc(journal.id) : desc(journal.id))
      .limit(PAGE);
    for (const item of items) {
      last = item.id;
      if (!isFromShell) await refuseLost(app, run.job.personId, item.copyId);
      const failure = await perform(item).then(
        () => undefined,
        (error: unknown) => itemError(error, 'The file'),
      );
      // What was begun is settled when the drive is back; nothing is a failure that only waits.
      const away = failure && needsDrive ? await driveThatWentAway(app, item) : undefined;
      if (away !== undefined) throw new JobAwaitsDrive(away);
      if (failure) {
        const { name } = item.before;
        run.note(failure, typeof name === 'string' ? name : `copy ${item.copyId}`);
        await setFailed(app, item, failure, forward ? 'failed' : 'done');
      } else await announce(app, item);
      await run.advance(failure ? { failed: 1 } : { done: 1 });
    }
    if (items.length < PAGE) return;
  }
}

/**
 * Refuses to touch a file that whoever had the plan run may not change any more: they may have lost their role since. What was done stays done, and the rest planned, for
 * another librarian to run.
 */
async function refuseLost(app: AppContext, personId: number, copyId: number): Promise<void> {
  if (!(await isLibrarianOf(app.db, personId, copyId)))
    throw new AppError(
      'NOT_ALLOWED',
      'Whoever had this plan run is no librarian any more of the collection of its files.',
    );
}

/** The name of a drive that an item needs and that is not there any more. */
async function driveThatWentAway(app: AppContext, item: JournalRow): Promise<string | undefined> {
  const needed = await app.db
    .select()
    .from(drives)
    .where(
      or(
        sql`${drives.id} = (select c.drive_id from copies c where c.id = ${item.copyId})`,
        sql`${drives.id}::text = ${item.after['driveId'] ?? ''}`,
      ),
    );
  for (const drive of needed) if (!(await driveIsHere(drive))) return drive.name;
  return undefined;
}

async function announce(app: AppContext, item: JournalRow): Promise<void> {
  const [copy] = await app.db.select().from(copies).where(eq(copies.id, item.copyId));
  if (copy) await app.live.publish(app.db, { type: 'records', soundIds: [copy.soundId] });
}

/** Items that failed are planned once more, without what was said of the failure. */
async function planFailedAgain(app: AppContext, planId: number): Promise<void> {
  await app.db.execute(sql`
    update journal set state = 'planned', problems = jsonb_path_query_array(problems, '$[*] ? (@.severity != "error")')
    where plan_id = ${planId} and state = 'failed'`);
}

/** A plan is done when it did something, ready again when everything was taken back and nothing failed. */
async function finishPlan(app: AppContext, planId: number): Promise<void> {
  await app.db.execute(sql`
    update plans p set finished_at = now(), state = case
      when exists (select from journal j where j.plan_id = p.id and j.state in ('done', 'undoing')) then 'done'
      when exists (select from journal j where j.plan_id = p.id and j.state = 'undone') then 'undone' else 'ready' end
    where p.id = ${planId}`);
}

/**
 * Removes what killed writes left in their folders, and settles every item that was under way: of one plan, else of all on which no process
 * works. Returns how many.
 */
export async function recoverJournal(app: AppContext, planId?: number): Promise<number> {
  const abandoned = sql`not exists (select from jobs where state = 'running' and payload ->> 'planId' = ${journal.planId}::text)`;
  const rows = await app.db
    .select({ item: journal, kind: plans.kind, folder: copies.folder, copyName: copies.name, drive: drives })
    .from(journal)
    .innerJoin(plans, eq(plans.id, journal.planId))
    .innerJoin(copies, eq(copies.id, journal.copyId))
    .innerJoin(drives, eq(drives.id, copies.driveId))
    .where(
      and(
        inArray(journal.state, ['started', 'undoing']),
        planId === undefined ? abandoned : eq(journal.planId, planId),
      ),
    );
  for (const { item, kind, folder, copyName, drive } of rows) {
    try {
      // A link leads to where the file, and what was left beside it, really is.
      const files = filesOf(app, drive);
      // One that is gone is looked for where it was; settling it tells so.
      const real = await files.existing(folder, copyName).catch(() => files.absolute(folder, copyName));
      const own = path.basename(real);
      const known = knownWrites(app, drive.id, folder);
      const { conflicts } = await settleLeftovers(path.dirname(real), {
        ...known,
        isUnderWay: async (name) => name === own || known.isUnderWay(name),
      });
      for (const { error } of conflicts) app.log.warn({ err: error }, 'a write that was cut short cannot be finished');
      const torn = conflicts.find(({ name }) => name === own);
      // What is neither as it was nor as it was to be is never called done.
      if (torn) await setFailed(app, item, torn.error);
      else await performOf(kind, item).settle(app, item);
    } catch (error) {
      // The drive may be away now; the item stays under way and is settled at a later start.
      app.log.warn({ err: itemError(error, 'The file'), item: item.id }, 'an interrupted item cannot be settled yet');
    }
  }
  return rows.length;
}
