import { sql } from 'drizzle-orm';
import { bigint, bigserial, index, integer, jsonb, pgTable, primaryKey, text, uuid } from 'drizzle-orm/pg-core';
import { at, created, people, sounds } from './schema.ts';

/**
 * What people did that is neither a change of records nor a plan: marks, pull lists, filing, proposals, remarks, settings. Kept with what was before and after, so that the key that
 * takes back the last thing takes back these too.
 */
export const acts = pgTable(
  'acts',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    kind: text('kind').$type<ActKind>().notNull(),
    summary: text('summary').notNull(),
    /** Of pull lists and batches, the rows as they were and as they became; null for a row that was not there. */
    rows: jsonb('rows').$type<ActRow[]>().notNull().default([]),
    createdAt: created(),
    undoneAt: at('undone_at'),
    /** Who did it, where it stands for somebody else: a mark of another house's person comes with a sheet that somebody applied. */
    doneBy: integer('done_by').references(() => people.id),
    /** Shared by the acts and changes that were made in one go: they are undone in one go. */
    runId: uuid('run_id'),
  },
  (table) => [
    index('acts_doer').on(sql`coalesce(${table.doneBy}, ${table.personId})`, table.id),
    index('acts_run')
      .on(table.runId)
      .where(sql`${table.runId} is not null`),
  ],
);

export type ActKind = 'marks' | 'pull' | 'file' | 'propose' | 'remark' | 'setting';

/** The tables of settings, small enough to be looked at as a whole. */
export type SettingTable =
  | 'saved_searches'
  | 'column_layouts'
  | 'word_relations'
  | 'path_rules'
  | 'settling_rules'
  | 'authorities'
  | 'recipes'
  | 'collections'
  | 'folders';

/** Of settings, a row that stays has only the columns that differ. */
export interface ActRow {
  table: 'pull_lists' | 'pull_entries' | 'batches' | 'removals' | 'remarks' | 'remark_mentions' | SettingTable;
  id: number;
  before: Record<string, unknown> | null;
  after: Record<string, unknown> | null;
}

/** The marks that an act changed, of which there may be a million. */
export const actMarks = pgTable(
  'act_marks',
  {
    actId: bigint('act_id', { mode: 'number' })
      .notNull()
      .references(() => acts.id, { onDelete: 'cascade' }),
    soundId: bigint('sound_id', { mode: 'number' })
      .notNull()
      .references(() => sounds.id),
    /** Rating, favourite, tags and note; null where there was no mark. */
    before: jsonb('before'),
    after: jsonb('after'),
  },
  (table) => [primaryKey({ columns: [table.actId, table.soundId] })],
);
