import type { CopyOut } from '@flagstone/contract/copy-out';
import type { ColumnLayout } from '@flagstone/contract/layouts';
import type { RelationKind } from '@flagstone/core/words/thesaurus';
import { sql } from 'drizzle-orm';
import {
  bigint,
  bigserial,
  boolean,
  customType,
  doublePrecision,
  index,
  integer,
  jsonb,
  pgTable,
  primaryKey,
  real,
  serial,
  smallint,
  text,
  unique,
  uuid,
} from 'drizzle-orm/pg-core';
import { at, created, people, sounds, textField } from './schema.ts';

/** The tables of finding: what searches look at, the words of the collection, what people think of sounds, searches and layouts that are kept. */
const tsvector = customType<{ data: string }>({ dataType: () => 'tsvector' });

/**
 * What a search looks at: one narrow row a sound, its texts cut so that they fit into indexes, made from its record, copies and measures by `flagstone_refresh_search` and by triggers, so that
 * finding and counting join nothing. It can be made anew at any time.
 */
export const searchRows = pgTable(
  'search_rows',
  {
    soundId: bigint('sound_id', { mode: 'number' })
      .primaryKey()
      .references(() => sounds.id),
    filed: boolean('filed').notNull(),
    /** 0 to 63, and independently of it 0 to 7, by a hash of the number: the sounds of any of them are a fair sample of all. */
    bucket: smallint('bucket')
      .notNull()
      .generatedAlwaysAs(sql`(hashint8(sound_id) & 63)::smallint`),
    eighth: smallint('eighth')
      .notNull()
      .generatedAlwaysAs(sql`((hashint8(sound_id) >> 6) & 7)::smallint`),
    /** Words of all fields and of the paths of all copies, with weights: A name, B keywords and category, C other fields, D paths. */
    search: tsvector('search').notNull(),
    /** What the fields of the search line find, each as `code=word`: the words of each field, and what is so or not. `flagstone_terms` makes it. */
    terms: tsvector('terms')
      .notNull()
      .default(sql`''`),
    /** Of the first copy, in small letters: what lists are sorted by. */
    name: text('name').notNull(),
    /** Folder and name of the first copy in small letters, and how that copy stands to the record. */
    path: textField('path'),
    state: textField('state'),
    container: text('container').notNull(),
    driveId: uuid('drive_id'),
    /** In small letters. */
    fxName: textField('fx_name'),
    category: textField('category'),
    subCategory: textField('sub_category'),
    catId: textField('cat_id'),
    form: textField('form'),
    library: textField('library'),
    publisher: textField('publisher'),
    creator: textField('creator'),
    licence: textField('licence'),
    rating: smallint('rating'),
    channels: smallint('channels').notNull(),
    sampleRateHz: integer('sample_rate_hz').notNull(),
    bitDepth: smallint('bit_depth').notNull(),
    durationSeconds: doublePrecision('duration_seconds').notNull(),
    loudnessLufs: real('loudness_lufs'),
    truePeakDbtp: real('true_peak_dbtp'),
    channelLayout: textField('channel_layout'),
    weight: smallint('weight'),
    activity: smallint('activity'),
    tempo: real('tempo'),
    /** Copies that are not gone. */
    copies: smallint('copies').notNull().default(0),
    /** How good and how well described: twice the rating, and one for each of eight fields that is filled. */
    merit: smallint('merit').notNull().default(0),
    /** How often it was put in a pull list or copied out. */
    uses: integer('uses').notNull().default(0),
    /** Which collections hold its copies. */
    collectionSet: integer('collection_set').notNull().default(0),
    createdAt: created(),
  },
  (table) => {
    const filed = sql`${table.filed}`;
    return [
      // With what searches are narrowed by most often: sounds that have the words, but not the channels, are never looked at.
      // With merit too: the best sounds that have a frequent word are found without looking at the others.
      index('search_rows_words')
        .using(
          'gin',
          table.bucket,
          table.eighth,
          table.merit,
          table.search,
          table.terms,
          table.channels,
          table.form,
          table.category,
          table.catId,
          sql`lower(${table.library})`,
        )
        .where(filed),
      // One in sixty-four, with all that is counted: what no word narrows is counted in it alone.
      index('search_rows_sample')
        .on(
          table.soundId,
          table.bucket,
          table.category,
          table.subCategory,
          table.catId,
          table.form,
          table.channels,
          table.durationSeconds,
          table.sampleRateHz,
          table.bitDepth,
          table.loudnessLufs,
          table.rating,
          table.library,
          table.publisher,
          table.creator,
          table.licence,
          table.container,
          table.driveId,
          table.filed,
          table.collectionSet,
        )
        .where(sql`${table.filed} and ${table.bucket} = 0`),
      index('search_rows_names')
        .using(
          'gin',
          table.merit,
          sql`flagstone_names(${table.search})`,
          table.channels,
          table.form,
          table.category,
          table.catId,
          sql`lower(${table.library})`,
        )
        .where(filed),
      index('search_rows_collection_set').on(table.collectionSet, table.soundId),
      index('search_rows_merit').on(table.merit, table.soundId).where(filed),
      index('search_rows_name').on(table.name, table.soundId).where(filed),
      index('search_rows_fx_name').on(table.fxName, table.soundId).where(filed),
      index('search_rows_category')
        .on(table.category, table.subCategory, table.catId, table.collectionSet)
        .where(filed),
      index('search_rows_cat_id').on(table.catId, table.soundId).where(filed),
      index('search_rows_library')
        .on(sql`lower(${table.library})`, table.soundId)
        .where(filed),
      index('search_rows_length').on(table.durationSeconds, table.soundId).where(filed),
      index('search_rows_uses').on(table.uses, table.soundId).where(filed),
      index('search_rows_path').on(table.path, table.soundId).where(filed),
      index('search_rows_state').on(table.state, table.soundId).where(filed),
      index('search_rows_channels').on(table.channels, table.soundId).where(filed),
      index('search_rows_rate').on(table.sampleRateHz, table.soundId).where(filed),
      index('search_rows_depth').on(table.bitDepth, table.soundId).where(filed),
      index('search_rows_loudness')
        .on(sql`coalesce(${table.loudnessLufs}, -1000)`, table.soundId)
        .where(filed),
      index('search_rows_rating')
        .on(sql`coalesce(${table.rating}, 0)`, table.soundId)
        .where(filed),
      index('search_rows_peak').on(table.truePeakDbtp).where(filed),
      index('search_rows_created').on(table.createdAt).where(filed),
      // What few sounds have.
      index('search_rows_copies')
        .on(table.copies)
        .where(sql`${table.filed} and ${table.copies} <> 1`),
      index('search_rows_weight')
        .on(table.weight)
        .where(sql`${table.filed} and ${table.weight} is not null`),
      index('search_rows_activity')
        .on(table.activity)
        .where(sql`${table.filed} and ${table.activity} is not null`),
      index('search_rows_tempo')
        .on(table.tempo)
        .where(sql`${table.filed} and ${table.tempo} is not null`),
      index('search_rows_filed').on(table.soundId).where(filed),
    ];
  },
);

/**
 * Sets of collections that hold the copies of some sound, few of them however many sounds there are: what somebody sees is a list of their numbers, which indexes and
 * statistics know. Collection 0 stands for copies in no folder that was read, set 0 for sounds without a copy. Two rows may hold the same set.
 */
export const collectionSets = pgTable('collection_sets', {
  id: serial('id').primaryKey(),
  /** In ascending order. */
  collectionIds: integer('collection_ids').array().notNull(),
});

/** Stems of all words of the search rows with the number of sounds of a set of collections that have them, gathered from time to time: what a misspelt word is held against. */
export const knownWords = pgTable(
  'known_words',
  {
    collectionSet: integer('collection_set').notNull(),
    word: text('word').notNull(),
    sounds: integer('sounds').notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.word, table.collectionSet] }),
    index('known_words_like').using('gin', sql`${table.word} gin_trgm_ops`),
  ],
);

/** What people added to the relations of words, or took away from them (`hidden`). */
export const wordRelations = pgTable(
  'word_relations',
  {
    id: serial('id').primaryKey(),
    word: text('word').notNull(),
    related: text('related').notNull(),
    kind: text('kind').$type<RelationKind>().notNull(),
    hidden: boolean('hidden').notNull().default(false),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    createdAt: created(),
  },
  (table) => [unique('word_relations_pair').on(table.word, table.related)],
);

/** What one person thinks of a sound. The mean of the ratings is the sound's rating in searches; where nobody rated it, the record's. */
export const soundMarks = pgTable(
  'sound_marks',
  {
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    soundId: bigint('sound_id', { mode: 'number' })
      .notNull()
      .references(() => sounds.id),
    rating: smallint('rating'),
    favourite: boolean('favourite').notNull().default(false),
    tags: text('tags')
      .array()
      .notNull()
      .default(sql`'{}'`),
    note: textField('note'),
    changedAt: at('changed_at').notNull().defaultNow(),
  },
  (table) => [primaryKey({ columns: [table.personId, table.soundId] }), index('sound_marks_sound').on(table.soundId)],
);

/** What a browser fetches as a ZIP file by a plain address, which cannot say more than the number of the ticket. It is good once, and not for long. */
export const copyOutTickets = pgTable(
  'copy_out_tickets',
  {
    id: uuid('id').primaryKey().defaultRandom(),
    request: jsonb('request').$type<CopyOut>().notNull(),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    createdAt: created(),
  },
  (table) => [index('copy_out_tickets_created').on(table.createdAt)],
);

/** Sounds that were copied out, each time and by whom: with the pull lists it says how often a sound was used. */
export const copiesOut = pgTable(
  'copies_out',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    soundId: bigint('sound_id', { mode: 'number' })
      .notNull()
      .references(() => sounds.id),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    /** The folder, or empty for a ZIP file. */
    folder: textField('folder'),
    /** The delivery that it was made for, and for whom, in words; empty for none. */
    delivery: textField('delivery'),
    copiedAt: at('copied_at').notNull().defaultNow(),
  },
  (table) => [index('copies_out_sound').on(table.soundId)],
);

/** A search that is kept and stays live: what the address bar says of it. */
export const savedSearches = pgTable('saved_searches', {
  id: serial('id').primaryKey(),
  name: text('name').notNull(),
  query: jsonb('query').$type<Record<string, string>>().notNull(),
  personId: integer('person_id')
    .notNull()
    .references(() => people.id),
  shared: boolean('shared').notNull().default(false),
  createdAt: created(),
});

/** When somebody last looked at a saved search: what came since is marked. */
export const savedSearchVisits = pgTable(
  'saved_search_visits',
  {
    searchId: integer('search_id')
      .notNull()
      .references(() => savedSearches.id, { onDelete: 'cascade' }),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    seenAt: at('seen_at').notNull().defaultNow(),
  },
  (table) => [primaryKey({ columns: [table.searchId, table.personId] })],
);

/** Which columns a table shows, in which order and how wide, under a name of a person's own. */
export const columnLayouts = pgTable(
  'column_layouts',
  {
    id: serial('id').primaryKey(),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    name: text('name').notNull(),
    layout: jsonb('layout').$type<ColumnLayout>().notNull(),
  },
  (table) => [unique('column_layouts_name').on(table.personId, table.name)],
);
