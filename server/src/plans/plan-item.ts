import { planKindSchema, type PlanKind } from '@flagstone/contract/plans';
import type { SoundRow } from '@flagstone/contract/record';
import type { journal } from '../db/schema.ts';

/** An item as a planner makes it; the state says whether it can run. */
export type NewItem = Pick<typeof journal.$inferInsert, 'copyId' | 'before' | 'after' | 'problems'> & {
  state: 'planned' | 'unchanged' | 'blocked';
};

/** What an item does: of a plan that does several things the item may say it, of any other the kind of the plan. */
export function doneBy(kind: PlanKind, { after }: { after: Record<string, unknown> }): PlanKind {
  return kind === 'afterList' || kind === 'shelve' ? planKindSchema.parse(after['does'] ?? kind) : kind;
}

/** Whether the items of a plan say to which drive files go, which is the one that they change. */
export const isTo = (kind: PlanKind): boolean => kind === 'copy' || kind === 'shelve';

/** Plans rows page by page; one that has to know all of them beforehand is told of them first. */
export interface Planner {
  meet?: (rows: SoundRow[]) => Promise<void>;
  plan: (rows: SoundRow[]) => Promise<NewItem[]>;
}
