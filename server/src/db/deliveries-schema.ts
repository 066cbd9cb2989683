import type { deliveryItemStateSchema, DeliveryWhat } from '@flagstone/contract/deliveries';
import type { TryOut } from '@flagstone/core/audio/try-out/try-out';
import type { DeliveryProblem } from '@flagstone/core/delivery/audio-form';
import type { Use } from '@flagstone/core/licences/terms';
import type { DeliveryProfile } from '@flagstone/core/delivery/profile';
import {
  bigint,
  boolean,
  date,
  index,
  integer,
  jsonb,
  pgTable,
  primaryKey,
  serial,
  smallint,
  text,
} from 'drizzle-orm/pg-core';
import type { z } from 'zod';
import { at, created, people, sounds, textField } from './schema.ts';

/** What goes to somebody, again and again: whatever is asked for each time, in one form, to one place. */
export const deliveries = pgTable('deliveries', {
  id: serial('id').primaryKey(),
  name: text('name').notNull(),
  forWhom: textField('for_whom'),
  /** What the sounds are used for, by which licences are held; empty where nobody said. */
  use: textField('intended_use').$type<Use | ''>(),
  isCommercial: boolean('is_commercial').notNull().default(true),
  show: textField('show'),
  deadline: date('deadline', { mode: 'string' }),
  what: jsonb('what').$type<DeliveryWhat>().notNull(),
  profileName: textField('profile_name'),
  profile: jsonb('profile').$type<DeliveryProfile>().notNull(),
  folder: text('folder').notNull(),
  personId: integer('person_id')
    .notNull()
    .references(() => people.id),
  createdAt: created(),
  /** How often its tree was laid: items of the last time are part of it. */
  turn: integer('turn').notNull().default(0),
  plannedAt: at('planned_at'),
  deliveredAt: at('delivered_at'),
  /** Files beside the sounds that were made, by their paths, with their digests. */
  besides: jsonb('besides').$type<Record<string, string>>().notNull().default({}),
});

/** The files of a delivery: those of its tree, and those that were delivered before. */
export const deliveryItems = pgTable(
  'delivery_items',
  {
    deliveryId: integer('delivery_id')
      .notNull()
      .references(() => deliveries.id, { onDelete: 'cascade' }),
    /** Below its folder, `/` between parts. */
    path: text('path').notNull(),
    /** The path before it was numbered, by which a sound keeps its path from one time to the next. */
    wanted: text('wanted').notNull(),
    soundId: bigint('sound_id', { mode: 'number' })
      .notNull()
      .references(() => sounds.id),
    copyId: bigint('copy_id', { mode: 'number' }).notNull(),
    from: text('from_path').notNull(),
    /** The part of the sound, in frames; null for all of it. */
    part: jsonb('part').$type<{ from: number; to: number }>(),
    tryOut: jsonb('try_out').$type<TryOut>().notNull(),
    /** Which of the files that the sound becomes. */
    file: smallint('file').notNull(),
    made: text('made').notNull(),
    bytes: bigint('bytes', { mode: 'number' }).notNull(),
    state: text('state').$type<z.infer<typeof deliveryItemStateSchema>>().notNull(),
    problems: jsonb('problems').$type<DeliveryProblem[]>().notNull(),
    /** Says the same while the file would be made the same. */
    mark: text('mark').notNull(),
    turn: integer('turn').notNull(),
    /** Of the file that was delivered, and what its mark was then; empty until one was. */
    digest: textField('digest'),
    deliveredMark: textField('delivered_mark'),
    deliveredAt: at('delivered_at'),
  },
  (table) => [primaryKey({ columns: [table.deliveryId, table.path] }), index('delivery_items_sound').on(table.soundId)],
);

/** Licences that somebody let a delivery have although their terms stop it, and why. */
export const deliveryDecisions = pgTable(
  'delivery_decisions',
  {
    deliveryId: integer('delivery_id')
      .notNull()
      .references(() => deliveries.id, { onDelete: 'cascade' }),
    /** As records say it, by its address where it has no name; in lower case. */
    licence: text('licence').notNull(),
    reason: text('reason').notNull(),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    decidedAt: at('decided_at').notNull().defaultNow(),
  },
  (table) => [primaryKey({ columns: [table.deliveryId, table.licence] })],
);

export type DeliveryRow = typeof deliveries.$inferSelect;
export type DeliveryItemRow = typeof deliveryItems.$inferSelect;

/** Profiles that somebody kept for everybody. */
export const deliveryProfiles = pgTable('delivery_profiles', {
  id: serial('id').primaryKey(),
  name: text('name').notNull().unique(),
  profile: jsonb('profile').$type<DeliveryProfile>().notNull(),
  personId: integer('person_id')
    .notNull()
    .references(() => people.id),
});
