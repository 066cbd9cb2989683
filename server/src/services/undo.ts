import { AppError } from '@flagstone/core/errors';
import type { Job } from '@flagstone/contract/jobs';
import type { AppContext } from '../app-context.ts';
import { lastChangeOf, lastUndoOf, undoRun } from './edits.ts';
import { lastPlanOf, undoPlan } from './plans.ts';

/** Does again what a person undid last. Throws NOT_UNDOABLE when they did anything else since. */
export async function redoLast(app: AppContext, personId: number): Promise<{ summary: string }> {
  const undone = await lastUndoOf(app, personId);
  if (undone === undefined) throw new AppError('NOT_UNDOABLE', 'There is nothing of yours to do again.');
  const result = await undoRun(app, undone, personId);
  return { summary: `${result.summary} (${result.changed})` };
}

/** Takes back the newest thing a person did: a change of records, or a plan that ran. Throws NOT_UNDOABLE when there is nothing. */
export async function undoLast(app: AppContext, personId: number): Promise<{ summary: string; job: Job | null }> {
  const [change, plan] = await Promise.all([lastChangeOf(app, personId), lastPlanOf(app, personId)]);
  if (plan && (!change || plan.at > change.at)) {
    const job = await undoPlan(app, plan.id, personId);
    return { summary: job.title, job };
  }
  if (!change) throw new AppError('NOT_UNDOABLE', 'There is nothing of yours left to undo.');
  const result = await undoRun(app, change.id, personId);
  return { summary: `${result.summary} (${result.changed})`, job: null };
}
