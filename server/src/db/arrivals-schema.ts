import type { arrivalFileStateSchema, arrivalStateSchema } from '@flagstone/contract/arrivals';
import type { DeliveredAudio } from '@flagstone/core/delivery/profile';
import { sql } from 'drizzle-orm';
import { bigint, boolean, index, integer, jsonb, pgTable, serial, text, uniqueIndex, uuid } from 'drizzle-orm/pg-core';
import type { z } from 'zod';
import { at, batches, collections, created, drives, people, textField } from './schema.ts';

/** Files that are handed over together: sent by a browser, or copied from a folder that the server sees. */
export const arrivals = pgTable(
  'arrivals',
  {
    id: serial('id').primaryKey(),
    name: text('name').notNull(),
    collectionId: integer('collection_id')
      .notNull()
      .references(() => collections.id),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    /** The folder that they are copied from, an absolute path; empty for what is sent. */
    source: textField('source'),
    /** Where they are put. */
    driveId: uuid('drive_id')
      .notNull()
      .references(() => drives.id),
    folder: text('folder').notNull(),
    /** What they become; null for as they are. */
    audio: jsonb('audio').$type<DeliveredAudio>(),
    /** What the catalogue holds already is left out. */
    onlyNew: boolean('only_new').notNull().default(true),
    state: text('state').$type<z.infer<typeof arrivalStateSchema>>().notNull(),
    batchId: integer('batch_id').references(() => batches.id, { onDelete: 'set null' }),
    createdAt: created(),
    closedAt: at('closed_at'),
  },
  (table) => [uniqueIndex('arrivals_place').on(table.driveId, table.folder)],
);

/** What was handed over, file by file; those in a ZIP file have rows of their own. */
export const arrivalFiles = pgTable(
  'arrival_files',
  {
    id: uuid('id').primaryKey().defaultRandom(),
    arrivalId: integer('arrival_id')
      .notNull()
      .references(() => arrivals.id, { onDelete: 'cascade' }),
    /** The ZIP file that it lies in, and which of its entries it is. */
    packId: uuid('pack_id'),
    entry: integer('entry'),
    /** As it was handed over, `/` between its parts. */
    path: text('path').notNull(),
    bytes: bigint('bytes', { mode: 'number' }).notNull(),
    /** SHA-256 as whoever sent it says; empty where nobody did. */
    sha256: textField('sha256'),
    state: text('state').$type<z.infer<typeof arrivalFileStateSchema>>().notNull(),
    /** The quick digest of its audio, once it was read. */
    quickDigest: textField('quick_digest'),
    /** Sending began: it is gone on with, not begun anew. */
    begunAt: at('begun_at'),
    /** Where it is put, below the folder of its arrival. */
    target: textField('target'),
    /** Why it was left out, or what there is to tell. */
    code: textField('code'),
    message: textField('message'),
  },
  (table) => [
    uniqueIndex('arrival_files_path').on(table.arrivalId, sql`md5(${table.path})`),
    index('arrival_files_state').on(table.arrivalId, table.state, table.id),
  ],
);
