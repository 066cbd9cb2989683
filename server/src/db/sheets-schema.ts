import type { SheetEntry, SheetManifest } from '@flagstone/contract/change-sheet';
import type { HistoryLine, PartFile } from '@flagstone/contract/sheet-parts';
import type { SheetMatch, SheetWinner, sheetStateSchema } from '@flagstone/contract/sheets';
import type { SoundRecord } from '@flagstone/core/record/fields';
import { bigint, boolean, index, integer, jsonb, pgTable, primaryKey, text, uuid } from 'drizzle-orm/pg-core';
import type { z } from 'zod';
import { at, created, people, sounds } from './schema.ts';

/** A change sheet that was received: what it says of itself, and how far it is. */
export const sheets = pgTable('sheets', {
  id: uuid('id').primaryKey().defaultRandom(),
  manifest: jsonb('manifest').$type<SheetManifest>().notNull(),
  signedBy: text('signed_by').$type<'known' | 'new' | 'nobody'>().notNull(),
  state: text('state').$type<z.infer<typeof sheetStateSchema>>().notNull(),
  wins: text('wins').$type<SheetWinner>().notNull().default('ours'),
  personId: integer('person_id')
    .notNull()
    .references(() => people.id),
  /** Shared by the changes of records that it made: they are undone in one go. */
  runId: uuid('run_id').notNull().defaultRandom(),
  createdAt: created(),
});

/** Its lines, each with what was found for it here; without a match until it was looked for. */
export const sheetItems = pgTable(
  'sheet_items',
  {
    sheetId: uuid('sheet_id')
      .notNull()
      .references(() => sheets.id, { onDelete: 'cascade' }),
    line: integer('line').notNull(),
    entry: jsonb('entry').$type<SheetEntry>().notNull(),
    match: text('match').$type<SheetMatch>(),
    certain: boolean('certain').notNull().default(false),
    candidates: integer('candidates').notNull().default(0),
    soundId: bigint('sound_id', { mode: 'number' }).references(() => sounds.id),
    appliedAt: at('applied_at'),
  },
  (table) => [
    primaryKey({ columns: [table.sheetId, table.line] }),
    index('sheet_items_sound').on(table.sheetId, table.soundId),
  ],
);

/** What a sheet brings beside its records, line by line. */
export const sheetPartLines = pgTable(
  'sheet_part_lines',
  {
    sheetId: uuid('sheet_id')
      .notNull()
      .references(() => sheets.id, { onDelete: 'cascade' }),
    file: text('file').$type<PartFile>().notNull(),
    line: integer('line').notNull(),
    /** The line of the sheet whose sound is meant; null where none is. */
    ofLine: integer('of_line'),
    said: jsonb('said').notNull(),
    appliedAt: at('applied_at'),
  },
  (table) => [
    primaryKey({ columns: [table.sheetId, table.file, table.line] }),
    index('sheet_part_lines_of').on(table.sheetId, table.ofLine, table.file),
  ],
);

/** For whom here people of another house stand, as somebody said; who is not named stands for a guest, who is made when needed. */
export const housePeople = pgTable(
  'house_people',
  {
    houseId: uuid('house_id').notNull(),
    name: text('name').notNull(),
    /** Null for one whose marks are left out. */
    personId: integer('person_id').references(() => people.id),
    /** Whether that person was made for them. */
    isGuest: boolean('is_guest').notNull().default(false),
  },
  (table) => [primaryKey({ columns: [table.houseId, table.name] }), index('house_people_person').on(table.personId)],
);

/** Which pull list or entry here is which of another house. */
export const toldRows = pgTable(
  'told_rows',
  {
    kind: text('kind').$type<'list' | 'entry'>().notNull(),
    home: uuid('home').notNull(),
    homeNumber: bigint('home_number', { mode: 'number' }).notNull(),
    rowId: bigint('row_id', { mode: 'number' }).notNull(),
    /** Of the acts that made it: where those were undone, it is as if it never came. */
    runId: uuid('run_id').notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.kind, table.home, table.homeNumber] }),
    index('told_rows_row').on(table.kind, table.rowId),
  ],
);

/** What the last sheet of a house said of a mark, a list, an entry or a pair of words: what both houses agreed on, when the next one comes. */
export const toldBases = pgTable(
  'told_bases',
  {
    houseId: uuid('house_id').notNull(),
    what: text('what').notNull(),
    said: jsonb('said').$type<Record<string, unknown>>().notNull(),
    runId: uuid('run_id').notNull(),
  },
  (table) => [primaryKey({ columns: [table.houseId, table.what] })],
);

/** What happened to records in other houses, as they tell it. */
export const toldRevisions = pgTable(
  'told_revisions',
  {
    soundId: bigint('sound_id', { mode: 'number' })
      .notNull()
      .references(() => sounds.id),
    houseId: uuid('house_id').notNull(),
    revision: integer('revision').notNull(),
    house: text('house').notNull(),
    said: jsonb('said').$type<Omit<HistoryLine, 'line' | 'revision'>>().notNull(),
  },
  (table) => [primaryKey({ columns: [table.soundId, table.houseId, table.revision] })],
);

/** What the last sheet of a house said of a sound: what both houses agreed on, when the next one comes. */
export const sheetBases = pgTable(
  'sheet_bases',
  {
    houseId: uuid('house_id').notNull(),
    soundId: bigint('sound_id', { mode: 'number' })
      .notNull()
      .references(() => sounds.id),
    record: jsonb('record').$type<Partial<SoundRecord>>().notNull(),
    /** Of the changes that it made: where those were undone, nothing was agreed on. */
    runId: uuid('run_id').notNull(),
  },
  (table) => [primaryKey({ columns: [table.houseId, table.soundId] })],
);

/** What was sent to whom: a digest of the names and the revision of each sound, so that the next sheet holds only what changed. */
export const sheetsSent = pgTable(
  'sheets_sent',
  {
    forWhom: text('for_whom').notNull(),
    soundId: bigint('sound_id', { mode: 'number' })
      .notNull()
      .references(() => sounds.id),
    mark: text('mark').notNull(),
  },
  (table) => [primaryKey({ columns: [table.forWhom, table.soundId] })],
);

/** Sheets that were made. */
export const sheetsMade = pgTable('sheets_made', {
  id: uuid('id').primaryKey(),
  forWhom: text('for_whom').notNull(),
  sounds: integer('sounds').notNull(),
  personId: integer('person_id')
    .notNull()
    .references(() => people.id),
  madeAt: at('made_at').notNull().defaultNow(),
});

/** Houses of which sheets came, each with the key of its first one. */
export const knownHouses = pgTable('known_houses', {
  id: uuid('id').primaryKey(),
  name: text('name').notNull(),
  publicKey: text('public_key').notNull(),
  firstSeenAt: at('first_seen_at').notNull().defaultNow(),
});
