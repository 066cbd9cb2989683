import { sql } from 'drizzle-orm';
import { bigint, boolean, index, integer, pgTable, primaryKey, real, smallint } from 'drizzle-orm/pg-core';
import { bytea, sounds } from './schema.ts';

const soundId = (name: string) =>
  bigint(name, { mode: 'number' })
    .notNull()
    .references(() => sounds.id, { onDelete: 'cascade' });

/** By what the recording in a sound is known again in another form: core's audio/fingerprint. */
export const fingerprints = pgTable(
  'fingerprints',
  {
    soundId: soundId('sound_id').primaryKey(),
    /** core's FINGERPRINT_VERSION: others are not compared. */
    version: smallint('version').notNull(),
    print: bytea('print').notNull(),
    /** Of the print: what differs in these is not looked at. */
    heardSeconds: real('heard_seconds').notNull(),
    centreHz: real('centre_hz').notNull(),
    /** Its most certain words, by which it is found; unsigned numbers of 32 bits, kept as signed ones. */
    keys: integer('keys').array().notNull(),
    /** Whether `same_recordings` says which of the others hold the same recording. */
    isCompared: boolean('is_compared').notNull().default(false),
  },
  (table) => [
    // Without a list of what waits: each look-up would read it from end to end.
    index('fingerprints_keys').using('gin', table.keys).with({ fastupdate: false }),
    index('fingerprints_waiting')
      .on(table.soundId)
      .where(sql`not ${table.isCompared}`),
  ],
);

/** Sounds that hold the same recording in another form, each pair both ways. */
export const sameRecordings = pgTable(
  'same_recordings',
  {
    soundId: soundId('sound_id'),
    otherId: soundId('other_id'),
    /** The share of bits that differ: 0 to 0.45. */
    difference: real('difference').notNull(),
    isCertain: boolean('is_certain').notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.soundId, table.otherId] }),
    index('same_recordings_other').on(table.otherId),
  ],
);
