import { sql } from 'drizzle-orm';
import { bigint, bigserial, index, integer, pgTable, text, uniqueIndex } from 'drizzle-orm/pg-core';
import { at, created, people, sounds } from './schema.ts';

/** What people say about sounds. One that was taken away stays, so that it can come back. */
export const remarks = pgTable(
  'remarks',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    soundId: bigint('sound_id', { mode: 'number' })
      .notNull()
      .references(() => sounds.id),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    text: text('text').notNull(),
    createdAt: created(),
    removedAt: at('removed_at'),
  },
  (table) => [
    index('remarks_sound')
      .on(table.soundId, table.id)
      .where(sql`removed_at is null`),
  ],
);

/** Whom remarks name, and when they settled them. */
export const remarkMentions = pgTable(
  'remark_mentions',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    remarkId: bigint('remark_id', { mode: 'number' })
      .notNull()
      .references(() => remarks.id),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    doneAt: at('done_at'),
  },
  (table) => [
    uniqueIndex('remark_mentions_person').on(table.remarkId, table.personId),
    index('remark_mentions_waiting')
      .on(table.personId, table.remarkId)
      .where(sql`done_at is null`),
  ],
);
