import type { SoundRow } from '@flagstone/contract/record';
import type { journal } from '../db/schema.ts';

/** An item as a planner makes it; the state says whether it can run. */
export type NewItem = Pick<typeof journal.$inferInsert, 'copyId' | 'before' | 'after' | 'problems'> & {
  state: 'planned' | 'unchanged' | 'blocked';
};

/** Plans rows page by page; one that has to know all of them beforehand is told of them first. */
export interface Planner {
  meet?: (rows: SoundRow[]) => Promise<void>;
  plan: (rows: SoundRow[]) => Promise<NewItem[]>;
}
