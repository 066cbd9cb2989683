import type { DriftState } from '@flagstone/contract/drift';
import type { SettlingRule } from '@flagstone/core/record/settle';
import { bigserial, date, integer, pgTable, primaryKey, serial, text, uuid } from 'drizzle-orm/pg-core';
import { collections, drives, people } from './schema.ts';

/** What copies are counted as. Whether their drive is away is asked of the drive; files that cannot be read are no copies. */
type StandingState = Exclude<DriftState, 'away' | 'unreadable' | 'unproved' | 'preparing'>;
type CountedState = StandingState | 'unproved' | `preparing ${StandingState | 'unproved'}`;

/**
 * How many copies of each folder that was read are in each state: what statements added and took away, a row each, kept by triggers on copies, records and sounds. Nobody
 * waits for anybody to add a row; the sum is what is so. From time to time the rows are added up (`records/drift.ts`).
 */
export const driftCounts = pgTable('drift_counts', {
  id: bigserial('id', { mode: 'number' }).primaryKey(),
  // Without references: to check them, every statement would hold its drives and folders.
  driveId: uuid('drive_id').notNull(),
  readFolderId: integer('read_folder_id'),
  state: text('state').$type<CountedState>().notNull(),
  copies: integer('copies').notNull(),
});

/** The same as it was at the end of each day, by collection; 0 for copies in no folder that was read. */
export const driftDays = pgTable(
  'drift_days',
  {
    day: date('day').notNull(),
    collectionId: integer('collection_id').notNull(),
    state: text('state').$type<CountedState>().notNull(),
    copies: integer('copies').notNull(),
  },
  (table) => [primaryKey({ columns: [table.day, table.collectionId, table.state] })],
);

/** Who wins where the record and the file of a copy differ: on a drive, in a collection, or everywhere; one rule at most for each field of the same copies. */
export const settlingRules = pgTable('settling_rules', {
  id: serial('id').primaryKey(),
  driveId: uuid('drive_id').references(() => drives.id),
  collectionId: integer('collection_id').references(() => collections.id, { onDelete: 'cascade' }),
  field: text('field').$type<SettlingRule['field']>().notNull(),
  wins: text('wins').$type<SettlingRule['wins']>().notNull(),
  personId: integer('person_id')
    .notNull()
    .references(() => people.id),
});
