import { AppError } from '@flagstone/core/errors';
import type { UndoAnswer } from '@flagstone/contract/changes';
import { sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { actsOfRun, lastActOf, lastUndoneActOf, turnAct } from '../records/acts.ts';
import { changeOfRun, lastChangeOf, lastUndoOf, undoRun } from '../records/undo-changes.ts';
import { lastPlanOf, undoPlan } from './plans.ts';

/** Refuses, by throwing, when whoever asks may not change any more what an act of theirs changed: rights may be taken after it. */
export type MayStill = (of: 'change' | 'plan' | 'act', id: number) => Promise<void>;

/** Does again what a person undid last. Throws NOT_UNDOABLE when they did anything else since, and what `mayStill` throws. */
export async function redoLast(app: AppContext, personId: number, mayStill: MayStill): Promise<{ summary: string }> {
  const [change, act, since] = await Promise.all([
    lastUndoOf(app, personId),
    lastUndoneActOf(app, personId),
    lastNewThingOf(app, personId),
  ]);
  const isNewer = (undone: { at: Date } | undefined): undone is { at: Date } =>
    undone !== undefined && undone.at > since;
  const isAct = isNewer(act) && (!isNewer(change) || act.at > change.at);
  const last = isAct ? act : change;
  if (last === undefined || !isNewer(last))
    throw new AppError('NOT_UNDOABLE', 'There is nothing of yours to do again.');
  const together = last.runId === null ? undefined : await turnTogether(app, last.runId, 'redo', personId, mayStill);
  if (together) return told(together);
  await mayStill(isAct ? 'act' : 'change', last.id);
  return told(isAct ? await turnAct(app, last.id, 'redo') : await undoRun(app, last.id, personId));
}

/**
 * Takes back, or does again, the acts and changes that were made in one go. Undefined where no act belongs to the run: changes alone are undone together by themselves. What was
 * changed again since stays, and is counted; an act of which that is so of all is passed over. Throws NOT_UNDOABLE where that is so of all, and what `mayStill` throws, before anything is turned.
 */
async function turnTogether(
  app: AppContext,
  runId: string,
  direction: 'undo' | 'redo',
  personId: number,
  mayStill: MayStill,
): Promise<Turned | undefined> {
  const actIds = await actsOfRun(app.db, runId, direction);
  if (actIds.length === 0) return undefined;
  const changeId = await changeOfRun(app.db, runId, direction);
  for (const id of actIds) await mayStill('act', id);
  if (changeId !== undefined) await mayStill('change', changeId);
  const turned: Turned[] = [];
  for (const id of actIds) turned.push(...(await unlessChangedSince(turnAct(app, id, direction))));
  if (changeId !== undefined) turned.push(...(await unlessChangedSince(undoRun(app, changeId, personId))));
  const last = turned.at(-1);
  if (!last) throw new AppError('NOT_UNDOABLE', 'All that came in one go was changed again since.');
  const sum = (of: 'changed' | 'kept'): number => turned.reduce((total, each) => total + each[of], 0);
  return { ...last, changed: sum('changed'), kept: sum('kept') };
}

async function unlessChangedSince(turning: Promise<Turned>): Promise<Turned[]> {
  try {
    return [await turning];
  } catch (error) {
    if (error instanceof AppError && error.code === 'NOT_UNDOABLE') return [];
    throw error;
  }
}

/**
 * Takes back the newest thing a person did, whatever it was: a change of records, marks, a pull list, filing, or a plan that ran. Of a plan it first says what
 * that does to files; it does it when `planId` names the plan. Throws NOT_UNDOABLE when there is nothing, or when the newest thing is still under way, and what `mayStill` throws.
 */
export async function undoLast(
  app: AppContext,
  personId: number,
  mayStill: MayStill,
  planId?: number,
): Promise<UndoAnswer> {
  const [change, plan, act] = await Promise.all([
    lastChangeOf(app, personId),
    lastPlanOf(app, personId),
    lastActOf(app, personId),
  ]);
  const [last] = [change, plan, act]
    .filter((each) => each !== undefined)
    .sort((one, other) => other.at.getTime() - one.at.getTime());
  if (last === undefined) throw new AppError('NOT_UNDOABLE', 'There is nothing of yours left to undo.');
  if (plan !== undefined && last === plan) {
    await mayStill('plan', plan.id);
    if (plan.isRunning)
      throw new AppError(
        'NOT_UNDOABLE',
        'What you did last is still under way. Stop the job first, or wait for its end.',
      );
    if (planId !== plan.id) return { summary: plan.title, job: null, asks: { planId: plan.id, title: plan.title } };
    const job = await undoPlan(app, plan.id, personId);
    return { summary: job.title, job, asks: null };
  }
  // Somebody said yes to a plan, and did something else since on another page.
  if (planId !== undefined) throw new AppError('CONFLICT', 'You did something else since. Undo once more to see what.');
  const runId = [act, change].find((each) => each === last)?.runId ?? null;
  const together = runId === null ? undefined : await turnTogether(app, runId, 'undo', personId, mayStill);
  if (together) return { ...told(together), job: null, asks: null };
  await mayStill(last === act ? 'act' : 'change', last.id);
  const turned =
    act !== undefined && last === act ? await turnAct(app, act.id, 'undo') : await undoRun(app, last.id, personId);
  return { ...told(turned), job: null, asks: null };
}

interface Turned {
  summary: string;
  changed: number;
  kept: number;
  keptFields?: string;
}

/** What was done, and what was left, field by field where it is of records, since it was changed again. */
function told(turned: Turned): { summary: string } {
  const { summary, changed, kept, keptFields = '' } = turned;
  const which = keptFields === '' ? '' : `: ${keptFields}`;
  const rest = kept === 0 ? '' : `; ${kept} kept what was changed since${which}`;
  return { summary: `${summary} (${changed})${rest}` };
}

/** When a person last did something that is no undoing. */
async function lastNewThingOf(app: AppContext, personId: number): Promise<Date> {
  const { rows } = await app.db.execute<{ at: Date | null }>(sql`
    select greatest((select max(created_at) from changes where person_id = ${personId} and undoes is null),
      (select max(created_at) from acts where coalesce(done_by, person_id) = ${personId} and undone_at is null),
      (select max(created_at) from jobs where person_id = ${personId} and payload ? 'planId' and kind <> 'undo')) as at`);
  return new Date(rows[0]?.at ?? 0);
}
