import { sql } from 'drizzle-orm';
import { bigint, bigserial, index, integer, jsonb, pgTable, text, uniqueIndex } from 'drizzle-orm/pg-core';
import type { FieldName } from '@flagstone/core/record/fields';
import { acts } from './acts-schema.ts';
import { at, created, people, sounds } from './schema.ts';

/** `ended`: replaced by a later one of the same person, or taken back by them. */
export type ProposalState = 'waiting' | 'accepted' | 'returned' | 'ended';

/** What assistants would have fields say, in collections that ask for review. Rows are not edited: a later proposal for the same field ends the one before. */
export const proposals = pgTable(
  'proposals',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    soundId: bigint('sound_id', { mode: 'number' })
      .notNull()
      .references(() => sounds.id),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    field: text('field').$type<FieldName>().notNull(),
    /** The record's value when it was proposed. */
    before: jsonb('before').notNull(),
    value: jsonb('value').notNull(),
    state: text('state').$type<ProposalState>().notNull().default('waiting'),
    createdAt: created(),
    /** The acts that made it and that ended it, which can be taken back. */
    actId: bigint('act_id', { mode: 'number' })
      .notNull()
      .references(() => acts.id),
    endedBy: bigint('ended_by', { mode: 'number' }).references(() => acts.id),
    decidedBy: integer('decided_by').references(() => people.id),
    decidedAt: at('decided_at'),
    /** Of whoever returned it. */
    remark: text('remark').notNull().default(''),
  },
  (table) => [
    uniqueIndex('proposals_waiting')
      .on(table.soundId, table.personId, table.field)
      .where(sql`state = 'waiting'`),
    index('proposals_queue')
      .on(table.id)
      .where(sql`state = 'waiting'`),
    index('proposals_person').on(table.personId, table.state, table.id),
    index('proposals_act').on(table.actId),
    index('proposals_ended').on(table.endedBy),
  ],
);
