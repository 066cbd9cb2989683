import { bigint, integer, pgTable, smallint, text, timestamp } from 'drizzle-orm/pg-core';
import { people } from './schema.ts';

const at = (name: string) => timestamp(name, { withTimezone: true });

/** When backups are made by themselves, and how the last one went; no row where none are. */
export const backupSchedule = pgTable('backup_schedule', {
  /** 1: there is one. */
  id: smallint('id').primaryKey(),
  folder: text('folder').notNull(),
  /** By the clock of UTC, 0 to 23. */
  hour: smallint('hour').notNull(),
  /** How many are kept; 0 for all. */
  keep: smallint('keep').notNull(),
  setBy: integer('set_by')
    .notNull()
    .references(() => people.id),
  setAt: at('set_at').notNull().defaultNow(),
  queuedAt: at('queued_at'),
  /** Of the last one that was proved. */
  lastAt: at('last_at'),
  lastPath: text('last_path').notNull().default(''),
  lastBytes: bigint('last_bytes', { mode: 'number' }).notNull().default(0),
  /** Why the last one failed; empty when it did not. */
  lastError: text('last_error').notNull().default(''),
});
