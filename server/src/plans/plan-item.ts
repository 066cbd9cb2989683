import { planKindSchema, type PlanKind } from '@flagstone/contract/plans';
import type { SoundRow } from '@flagstone/contract/record';
import { sql, type SQL, type SQLWrapper } from 'drizzle-orm';
import type { journal } from '../db/schema.ts';

/** An item as a planner makes it; the state says whether it can run. */
export type NewItem = Pick<typeof journal.$inferInsert, 'copyId' | 'before' | 'after' | 'problems'> & {
  state: 'planned' | 'unchanged' | 'blocked';
};

/** What an item does: of a plan that does several things the item may say it, of any other the kind of the plan. */
export function doneBy(kind: PlanKind, { after }: { after: Record<string, unknown> }): PlanKind {
  return kind === 'afterList' || kind === 'shelve' ? planKindSchema.parse(after['does'] ?? kind) : kind;
}

/** The plans of which the items say to which drive files go, which is the one that they change. */
const TO: readonly PlanKind[] = ['copy', 'shelve', 'cut'];

/** The drive that an item of a plan changes: the one to which its file goes, else that of its copy. Both are columns. */
export function driveChanged(kind: PlanKind, after: SQLWrapper, driveId: SQLWrapper): SQL<string> {
  return TO.includes(kind)
    ? sql<string>`coalesce(${after} ->> 'driveId', ${driveId}::text)`
    : sql<string>`${driveId}::text`;
}

/** Plans rows page by page; one that has to know all of them beforehand is told of them first. */
export interface Planner {
  meet?: (rows: SoundRow[]) => Promise<void>;
  plan: (rows: SoundRow[]) => Promise<NewItem[]>;
}
