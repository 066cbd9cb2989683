import type { LicenceTerms } from '@flagstone/core/licences/terms';
import { SHAPE_FEATURES } from '@flagstone/core/audio/measure/feature-vector';
import type { TryOut } from '@flagstone/core/audio/try-out/try-out';
import type { Issue } from '@flagstone/core/errors';
import type { OtherTexts } from '@flagstone/core/formats/other-texts';
import type { FieldName, SoundRecord } from '@flagstone/core/record/fields';
import type { Category } from '@flagstone/core/ucs/category-list';
import type { NamingPattern } from '@flagstone/core/naming/naming-pattern';
import type { Measures } from '@flagstone/core/audio/measure/sound-meter';
import type { RecipeStep } from '@flagstone/core/recipes/recipe';
import type { JobAsked, JobKind, JobState } from '@flagstone/contract/jobs';
import type { ProofTimes } from '@flagstone/contract/proof';
import type { Role } from '@flagstone/contract/roles';
import type { ItemState, PlanKind, PlanState } from '@flagstone/contract/plans';
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
  timestamp,
  unique,
  uniqueIndex,
  uuid,
  type AnyPgColumn,
} from 'drizzle-orm/pg-core';

/**
 * The tables, laid out for a million sounds. A sound is its audio; copies are files that hold it; the record is its metadata with a
 * revision number. Whether a copy is in step follows from `carriesRevision` and `changedOutside`, so that editing ten thousand
 * records rewrites no copy.
 */
export const bytea = customType<{ data: Buffer }>({ dataType: () => 'bytea' });
/** A point of the extension cube: the feature vector of a sound. */
const cube = customType<{ data: string }>({ dataType: () => 'cube' });
/** The number of a transaction, which is never given again. */
const xid8 = customType<{ data: string }>({ dataType: () => 'xid8' });
export const at = (name: string) => timestamp(name, { withTimezone: true });
export const created = () => at('created_at').notNull().defaultNow();
export const textField = (name: string) => text(name).notNull().default('');

export const people = pgTable('people', {
  id: serial('id').primaryKey(),
  name: text('name').notNull().unique(),
  initials: text('initials').notNull(),
  /** What the person signs in with, in small letters; null for one who cannot, such as the program itself. */
  account: text('account').unique(),
  /** By argon2id, with its parameters; null until a password was chosen. */
  passwordHash: text('password_hash'),
  /** May do everything in the whole house: people, drives, roots, the category list. */
  isAdministrator: boolean('is_administrator').notNull().default(false),
  createdAt: created(),
  /** Has left: what they did keeps their name, and they sign in no more. */
  endedAt: at('ended_at'),
});

export const collections = pgTable('collections', {
  id: serial('id').primaryKey(),
  name: text('name').notNull().unique(),
  /** How the sounds of its folders are named; null for the standard as it is. */
  pattern: jsonb('pattern').$type<NamingPattern>(),
  /** What its assistants change waits until a librarian accepts it. */
  asksReview: boolean('asks_review').notNull().default(false),
  /** Where files that are handed over to it are put, and where they stand once they are laid out; null until somebody chose it. */
  landingDriveId: uuid('landing_drive_id').references((): AnyPgColumn => drives.id),
  landingFolder: textField('landing_folder'),
  shelfDriveId: uuid('shelf_drive_id').references((): AnyPgColumn => drives.id),
  shelfFolder: textField('shelf_folder'),
  /** The template of fields by which folders are laid there. */
  shelfTemplate: text('shelf_template').notNull().default('{library}/{category}/{subCategory}'),
  createdAt: created(),
  /** Closed: no folder is added to it, and its sounds are listed only when it is asked for; null while it is in use. */
  retiredAt: at('retired_at'),
});

/** Who may do what in a collection; administrators may do everything in all of them. */
export const collectionPeople = pgTable(
  'collection_people',
  {
    collectionId: integer('collection_id')
      .notNull()
      .references(() => collections.id, { onDelete: 'cascade' }),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    role: text('role').$type<Role>().notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.collectionId, table.personId] }),
    index('collection_people_person').on(table.personId),
  ],
);

export const drives = pgTable('drives', {
  id: uuid('id').primaryKey().defaultRandom(),
  name: text('name').notNull(),
  /** What tells the drive from others wherever it is mounted. */
  identity: text('identity').notNull().unique(),
  rootPath: text('root_path').notNull(),
  createdAt: created(),
  lastIndexedAt: at('last_indexed_at'),
  /** Kept for its history, and neither looked for nor offered any more; null while it is in use. */
  retiredAt: at('retired_at'),
  /** As the server saw it last: nothing of it could be read. */
  away: boolean('away').notNull().default(false),
  /** When its files are proved by themselves; null where nobody asked for it. */
  proof: jsonb('proof').$type<ProofTimes>(),
  /** When that was last begun. */
  proofQueuedAt: at('proof_queued_at'),
});

export const folders = pgTable(
  'folders',
  {
    id: serial('id').primaryKey(),
    driveId: uuid('drive_id')
      .notNull()
      .references(() => drives.id),
    /** Below the drive's root, `/` between parts, empty for the root itself. */
    path: text('path').notNull(),
    collectionId: integer('collection_id')
      .notNull()
      .references(() => collections.id),
    addedBy: integer('added_by')
      .notNull()
      .references(() => people.id),
    /** Changes in it are read as they happen. */
    watched: boolean('watched').notNull().default(false),
    /** It is read again so often, for drives whose file system tells of no changes; null for never. */
    rereadMinutes: integer('reread_minutes'),
    lastReadAt: at('last_read_at'),
    /** Patterns (globs, below the folder) of what is left out when it is read. */
    exclude: text('exclude')
      .array()
      .notNull()
      .default(sql`'{}'`),
    /** The recipe that runs on what is new when it is read. */
    recipeId: integer('recipe_id').references(() => recipes.id, { onDelete: 'set null' }),
    createdAt: created(),
  },
  (table) => [unique().on(table.driveId, table.path)],
);

export const sounds = pgTable(
  'sounds',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    /** Identity while indexing, see core's audio/digest.ts. */
    quickDigest: text('quick_digest').notNull(),
    /** Follows in the background; null until then. */
    fullDigest: text('full_digest'),
    digestVersion: smallint('digest_version').notNull(),
    codec: text('codec').notNull(),
    sampleFormat: text('sample_format').notNull(),
    sampleRateHz: integer('sample_rate_hz').notNull(),
    bitDepth: smallint('bit_depth').notNull(),
    channels: smallint('channels').notNull(),
    channelMask: bigint('channel_mask', { mode: 'number' }),
    frames: bigint('frames', { mode: 'number' }).notNull(),
    durationSeconds: doublePrecision('duration_seconds').notNull(),
    /** Its file ends before its audio does; "cut" elsewhere is cut out on purpose. */
    isCutShort: boolean('is_cut_short').notNull().default(false),
    addedBy: integer('added_by')
      .notNull()
      .references(() => people.id),
    createdAt: created(),
    /** When it was filed into the catalogue; null while in preparation. */
    filedAt: at('filed_at'),
    /** The sound that it was cut out of, and the frames of it; null for one that was not. */
    parentId: bigint('parent_id', { mode: 'number' }).references((): AnyPgColumn => sounds.id),
    parentFrom: bigint('parent_from', { mode: 'number' }),
    parentTo: bigint('parent_to', { mode: 'number' }),
  },
  (table) => [
    uniqueIndex('sounds_quick_digest').on(table.quickDigest),
    index('sounds_full_digest').on(table.fullDigest),
    index('sounds_filed')
      .on(table.id)
      .where(sql`${table.filedAt} is not null`),
    index('sounds_duration').on(table.durationSeconds, table.id),
    index('sounds_cut_short')
      .on(table.id)
      .where(sql`${table.isCutShort}`),
    index('sounds_parent')
      .on(table.parentId)
      .where(sql`${table.parentId} is not null`),
  ],
);

/** When sounds were taken out of the catalogue, and why. Their files stay, and reading them again does not bring them back. */
export const removals = pgTable('removals', {
  id: serial('id').primaryKey(),
  personId: integer('person_id')
    .notNull()
    .references(() => people.id),
  reason: text('reason').notNull(),
  removedAt: at('removed_at').notNull().defaultNow(),
  /** Taken back as a whole; null while it holds. */
  undoneAt: at('undone_at'),
});

export const removedSounds = pgTable(
  'removed_sounds',
  {
    removalId: integer('removal_id')
      .notNull()
      .references(() => removals.id, { onDelete: 'cascade' }),
    soundId: bigint('sound_id', { mode: 'number' })
      .notNull()
      .references(() => sounds.id, { onDelete: 'cascade' }),
    /** When it had been filed. */
    filedAt: at('filed_at').notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.removalId, table.soundId] }),
    index('removed_sounds_sound').on(table.soundId),
  ],
);

export const records = pgTable(
  'records',
  {
    soundId: bigint('sound_id', { mode: 'number' })
      .primaryKey()
      .references(() => sounds.id),
    revision: integer('revision').notNull().default(1),
    fxName: textField('fx_name'),
    description: textField('description'),
    keywords: text('keywords')
      .array()
      .notNull()
      .default(sql`'{}'`),
    notes: textField('notes'),
    category: textField('category'),
    subCategory: textField('sub_category'),
    catId: textField('cat_id'),
    userCategory: textField('user_category'),
    vendorCategory: textField('vendor_category'),
    userData: textField('user_data'),
    library: textField('library'),
    sourceId: textField('source_id'),
    creator: textField('creator'),
    creatorId: textField('creator_id'),
    publisher: textField('publisher'),
    copyright: textField('copyright'),
    licence: textField('licence'),
    licenceUrl: textField('licence_url'),
    recordedOn: textField('recorded_on'),
    location: textField('location'),
    microphone: textField('microphone'),
    project: textField('project'),
    form: textField('form'),
    weight: smallint('weight'),
    activity: smallint('activity'),
    rating: smallint('rating'),
    tempo: doublePrecision('tempo'),
    key: textField('key'),
    composer: textField('composer'),
    slices: textField('slices'),
    syncPoints: textField('sync_points'),
    updatedAt: at('updated_at').notNull().defaultNow(),
  },
  (table) => [
    // What lists are sorted by, so that a page of a million needs no more than its own rows.
    index('records_description').on(sql`lower(left(${table.description}, 60))`, table.soundId),
    index('records_keywords').on(sql`flagstone_list(${table.keywords})`, table.soundId),
    index('records_creator_id').on(sql`left(${table.creatorId}, 60)`, table.soundId),
    index('records_source_id').on(sql`left(${table.sourceId}, 60)`, table.soundId),
  ],
);

/** Ordered steps on the texts of fields, kept under a name; core's text/recipe.ts says what they do. */
export const recipes = pgTable('recipes', {
  id: serial('id').primaryKey(),
  name: text('name').notNull(),
  steps: jsonb('steps').$type<RecipeStep[]>().notNull(),
  personId: integer('person_id')
    .notNull()
    .references(() => people.id),
  /** Others may see and run it too. */
  shared: boolean('shared').notNull().default(false),
  createdAt: created(),
});

/** Paths that say whose sounds these are: fields that are set where the pattern fits. */
export const pathRules = pgTable('path_rules', {
  id: serial('id').primaryKey(),
  pattern: text('pattern').notNull(),
  sets: jsonb('sets').$type<Partial<Record<FieldName, string>>>().notNull(),
  personId: integer('person_id')
    .notNull()
    .references(() => people.id),
  createdAt: created(),
});

/** Releases of the category list that were brought in; the built-in one counts while none of them is in force. */
export const categoryLists = pgTable(
  'category_lists',
  {
    id: serial('id').primaryKey(),
    source: text('source').notNull(),
    categories: jsonb('categories').$type<Category[]>().notNull(),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    createdAt: created(),
    inForce: boolean('in_force').notNull().default(false),
  },
  (table) => [
    uniqueIndex('category_lists_in_force')
      .on(table.inForce)
      .where(sql`${table.inForce}`),
  ],
);

/** Controlled names: creators with their CreatorID, libraries with their SourceID, publishers, licences, microphones. */
export const authorities = pgTable(
  'authorities',
  {
    id: serial('id').primaryKey(),
    kind: text('kind').notNull(),
    name: text('name').notNull(),
    /** CreatorID, SourceID, or the address of a licence; empty for the others. */
    code: textField('code'),
    /** Of a licence, as somebody read them; null until then. */
    terms: jsonb('terms').$type<LicenceTerms>(),
    createdAt: created(),
  },
  (table) => [uniqueIndex('authorities_name').on(table.kind, sql`lower(${table.name})`)],
);

/** How often people gave a sound with a word in its name or folders a category, counted for each collection. */
export const learnedWords = pgTable(
  'learned_words',
  {
    collectionId: integer('collection_id')
      .notNull()
      .references(() => collections.id, { onDelete: 'cascade' }),
    word: text('word').notNull(),
    catId: text('cat_id').notNull(),
    times: integer('times').notNull(),
  },
  (table) => [primaryKey({ columns: [table.collectionId, table.word, table.catId] })],
);

/** One act of a person that changed records: an edit, accepted suggestions, an undo. Undone as one. */
export const changes = pgTable(
  'changes',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    kind: text('kind').notNull(),
    summary: text('summary').notNull(),
    /** Shared by changes that were made in one go, as those of several path rules: they are undone in one go. */
    runId: uuid('run_id'),
    /** The change that this one took back. */
    undoes: bigint('undoes', { mode: 'number' }),
    undoneBy: bigint('undone_by', { mode: 'number' }),
    /** By which a snapshot of the database tells whether it was there. */
    transaction: xid8('transaction')
      .notNull()
      .default(sql`pg_current_xact_id()`),
    createdAt: created(),
  },
  (table) => [
    index('changes_run')
      .on(table.runId)
      .where(sql`${table.runId} is not null`),
  ],
);

export const recordRevisions = pgTable(
  'record_revisions',
  {
    soundId: bigint('sound_id', { mode: 'number' })
      .notNull()
      .references(() => sounds.id),
    revision: integer('revision').notNull(),
    changeId: bigint('change_id', { mode: 'number' })
      .notNull()
      .references(() => changes.id),
    /** The changed fields only. */
    before: jsonb('before').$type<Partial<SoundRecord>>().notNull(),
    after: jsonb('after').$type<Partial<SoundRecord>>().notNull(),
  },
  (table) => [
    primaryKey({ columns: [table.soundId, table.revision] }),
    index('record_revisions_change').on(table.changeId),
  ],
);

export const copies = pgTable(
  'copies',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    soundId: bigint('sound_id', { mode: 'number' })
      .notNull()
      .references(() => sounds.id),
    driveId: uuid('drive_id')
      .notNull()
      .references(() => drives.id),
    folder: text('folder').notNull(),
    name: text('name').notNull(),
    /** The deepest read folder that holds it: by it the copy belongs to a collection. */
    readFolderId: integer('read_folder_id').references(() => folders.id),
    sizeBytes: bigint('size_bytes', { mode: 'number' }).notNull(),
    /** Modification time in milliseconds since 1970, with fractions. */
    mtimeMs: doublePrecision('mtime_ms').notNull(),
    inode: text('inode').notNull(),
    container: text('container').notNull(),
    /** What the file calls its channels, in their order; empty where it does not say. */
    trackNames: text('track_names')
      .array()
      .notNull()
      .default(sql`'{}'`),
    gone: boolean('gone').notNull().default(false),
    /** When somebody took a gone copy off the lists; its record stays. Null until then, and again when the file comes back. */
    clearedAt: at('cleared_at'),
    /** The record's revision that the file was last written with or read as; 0 when it never agreed. */
    carriesRevision: integer('carries_revision').notNull(),
    changedOutside: boolean('changed_outside').notNull().default(false),
    /** What the file said when it was last read or written. */
    inFile: jsonb('in_file').$type<Partial<SoundRecord>>().notNull(),
    /** What it said then that no field takes, by place; null when it was last read before that was kept. */
    otherTexts: jsonb('other_texts').$type<OtherTexts>(),
    issues: jsonb('issues').$type<Issue[]>().notNull(),
    /** Fields that stand in several places of the file which do not say the same. */
    disagreeing: text('disagreeing')
      .array()
      .$type<FieldName[]>()
      .notNull()
      .default(sql`'{}'`),
    /** The full audio digest of this very file; null until it is read as a whole, empty when that failed. */
    fullDigest: text('full_digest'),
    /** When the file was last read as a whole and held the audio of its sound; null when that never was, or its file has changed since. */
    provedAt: at('proved_at'),
    /** When a proof found that this very file does not hold its audio any more, and how; null while it does, or when its file has changed since. */
    damagedAt: at('damaged_at'),
    damage: jsonb('damage').$type<{ code: string; message: string }>(),
    indexedAt: at('indexed_at').notNull().defaultNow(),
  },
  (table) => [
    unique('copies_path').on(table.driveId, table.folder, table.name),
    index('copies_sound').on(table.soundId),
    index('copies_read_folder').on(table.readFolderId, table.soundId),
    index('copies_inode').on(table.driveId, table.inode),
    index('copies_name').on(sql`lower(${table.name})`, table.soundId),
    index('copies_lost')
      .on(table.id)
      .where(sql`${table.gone} and ${table.clearedAt} is null`),
    index('copies_disagreeing').using('gin', table.disagreeing),
    index('copies_unproved')
      .on(table.driveId, table.id)
      .where(sql`${table.fullDigest} is null and not ${table.gone}`),
    index('copies_proved')
      .on(table.driveId, sql`${table.provedAt} nulls first`, table.id)
      .where(sql`not ${table.gone}`),
    index('copies_damaged')
      .on(table.soundId)
      .where(sql`${table.damagedAt} is not null`),
  ],
);

/**
 * What a folder looked like when all its audio files stood in `copies` as they are: while neither changed, reading it again needs no look at
 * its rows. A trigger on copies takes the stamp away with the first change.
 */
export const folderStamps = pgTable(
  'folder_stamps',
  {
    driveId: uuid('drive_id')
      .notNull()
      .references(() => drives.id),
    folder: text('folder').notNull(),
    stamp: text('stamp').notNull(),
    files: integer('files').notNull(),
  },
  (table) => [primaryKey({ columns: [table.driveId, table.folder] })],
);

export const batches = pgTable('batches', {
  id: serial('id').primaryKey(),
  name: text('name').notNull(),
  folderId: integer('folder_id')
    .notNull()
    .references(() => folders.id),
  createdBy: integer('created_by')
    .notNull()
    .references(() => people.id),
  createdAt: created(),
  filedAt: at('filed_at'),
  filedBy: integer('filed_by').references(() => people.id),
  /** Who is to prepare it; null for whoever comes. */
  givenTo: integer('given_to').references(() => people.id),
  /** The batch that it was split off from, into which it is folded back; null for one that was read. */
  partOf: integer('part_of').references((): AnyPgColumn => batches.id),
  /** Audio in its folder that is not taken up, as the last reading found it: how many files of each kind. */
  otherAudio: jsonb('other_audio')
    .$type<Record<string, number>>()
    .notNull()
    .default(sql`'{}'`),
});

export const batchItems = pgTable(
  'batch_items',
  {
    batchId: integer('batch_id')
      .notNull()
      .references(() => batches.id),
    copyId: bigint('copy_id', { mode: 'number' })
      .notNull()
      .references(() => copies.id),
    /** What the last reading of the folder found the file to be: see the contract's FOUND. */
    found: text('found').notNull().default('same'),
    /** The reading that found that: one that was cut short and goes on leaves it as it is. */
    scanId: uuid('scan_id'),
    /** Put into this batch by somebody: reading its folder again leaves it there. */
    isMoved: boolean('is_moved').notNull().default(false),
  },
  (table) => [primaryKey({ columns: [table.batchId, table.copyId] }), index('batch_items_copy').on(table.copyId)],
);

export const unreadable = pgTable(
  'unreadable',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    driveId: uuid('drive_id')
      .notNull()
      .references(() => drives.id),
    folder: text('folder').notNull(),
    name: text('name').notNull(),
    batchId: integer('batch_id')
      .notNull()
      .references(() => batches.id),
    code: text('code').notNull(),
    message: text('message').notNull(),
    seenAt: at('seen_at').notNull().defaultNow(),
  },
  (table) => [
    unique('unreadable_path').on(table.driveId, table.folder, table.name),
    index('unreadable_batch').on(table.batchId),
  ],
);

/** Files that the last reading of a batch's folder did not take up by their names; no sounds, or of formats that are not read. */
export const leftOut = pgTable(
  'left_out',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    batchId: integer('batch_id')
      .notNull()
      .references(() => batches.id, { onDelete: 'cascade' }),
    folder: text('folder').notNull(),
    name: text('name').notNull(),
  },
  (table) => [index('left_out_batch').on(table.batchId)],
);

export const plans = pgTable('plans', {
  id: bigserial('id', { mode: 'number' }).primaryKey(),
  kind: text('kind').$type<PlanKind>().notNull(),
  state: text('state').$type<PlanState>().notNull(),
  personId: integer('person_id')
    .notNull()
    .references(() => people.id),
  batchId: integer('batch_id').references(() => batches.id),
  createdAt: created(),
  finishedAt: at('finished_at'),
});

/** The journal: every item of every plan, written before the disk is touched and brought up to date after. */
export const journal = pgTable(
  'journal',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    planId: bigint('plan_id', { mode: 'number' })
      .notNull()
      .references(() => plans.id),
    copyId: bigint('copy_id', { mode: 'number' })
      .notNull()
      .references(() => copies.id),
    state: text('state').$type<ItemState>().notNull(),
    before: jsonb('before').$type<Record<string, unknown>>().notNull(),
    after: jsonb('after').$type<Record<string, unknown>>().notNull(),
    problems: jsonb('problems').$type<JournalProblem[]>().notNull().default([]),
    /** For a write: the bytes before and after the audio as they were, so that undoing gives the very same file. */
    headBytes: bytea('head_bytes'),
    tailBytes: bytea('tail_bytes'),
    changedAt: at('changed_at').notNull().defaultNow(),
  },
  (table) => [
    index('journal_plan').on(table.planId, table.id),
    index('journal_copy').on(table.copyId),
    index('journal_started')
      .on(table.id)
      .where(sql`${table.state} in ('started', 'undoing')`),
    // Former names, by which sounds of change sheets are found.
    index('journal_former_name')
      .on(sql`lower(${table.before} ->> 'name')`)
      .where(sql`${table.before} ? 'companions'`),
  ],
);

export interface JournalProblem {
  code: string;
  severity: 'error' | 'notice';
  message: string;
  block?: string;
  remedy?: string;
}

export interface JobFailures {
  /** How many items failed so, and the first of them. */
  count: number;
  examples: string[];
}

/** What all processes on one database share: one row. */
export const installation = pgTable('installation', {
  id: smallint('id').primaryKey(),
  /** Signs the journals of writes in place, so that no other file is taken for one. */
  writeKey: bytea('write_key').notNull(),
  /** By which other houses know where a change sheet comes from, and the key that it is signed with (PKCS #8); made when it is first needed. */
  houseId: uuid('house_id').notNull().defaultRandom(),
  houseName: textField('house_name'),
  signingKey: bytea('signing_key'),
  createdAt: created(),
});

export const jobs = pgTable(
  'jobs',
  {
    id: uuid('id').primaryKey().defaultRandom(),
    kind: text('kind').$type<JobKind>().notNull(),
    title: text('title').notNull(),
    state: text('state').$type<JobState>().notNull().default('waiting'),
    /** What no two running jobs share: the drives whose files they change, the drive whose sounds they measure. */
    lanes: text('lanes')
      .array()
      .notNull()
      .default(sql`'{}'`),
    /** Whose files it works on: see the contract. */
    collectionIds: integer('collection_ids')
      .array()
      .notNull()
      .default(sql`'{}'`),
    total: integer('total'),
    done: integer('done').notNull().default(0),
    failed: integer('failed').notNull().default(0),
    payload: jsonb('payload').$type<Record<string, unknown>>().notNull(),
    result: jsonb('result').$type<Record<string, number>>().notNull().default({}),
    /** Failed items by the code of their error. */
    failures: jsonb('failures').$type<Record<string, JobFailures>>().notNull().default({}),
    error: jsonb('error').$type<{ code: string; message: string; remedy: string }>(),
    /** What somebody asked of a running job: cancel or pause. */
    asked: text('asked').$type<JobAsked>(),
    /** The process that runs it, as `host:pid token`, how often one took it up, and when it last said that it lives. */
    worker: text('worker'),
    lease: integer('lease').notNull().default(0),
    heartbeatAt: at('heartbeat_at'),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id),
    createdAt: created(),
    startedAt: at('started_at'),
    finishedAt: at('finished_at'),
  },
  (table) => [
    index('jobs_created').on(table.createdAt),
    index('jobs_open')
      .on(table.state)
      .where(sql`${table.state} in ('waiting', 'running', 'paused')`),
  ],
);

/** As a constant, which is what an index can be made of and found by. */
export const SHAPE = sql.raw(`array[${SHAPE_FEATURES.join(', ')}]`);

/** What was measured of a sound (core's audio/measure), once for all its copies; what lists sort by stands in columns of its own. */
export const analyses = pgTable(
  'analyses',
  {
    soundId: bigint('sound_id', { mode: 'number' })
      .primaryKey()
      .references(() => sounds.id),
    /** core's MEASURES_VERSION. */
    version: smallint('version').notNull(),
    /** Null where measuring failed. */
    measures: jsonb('measures').$type<Omit<Measures, 'features'>>(),
    error: jsonb('error').$type<{ code: string; message: string }>(),
    /** Integrated, or the loudest moment of a sound too short for that. */
    loudnessLufs: real('loudness_lufs'),
    truePeakDbtp: real('true_peak_dbtp'),
    channelLayout: text('channel_layout').notNull().default(''),
    form: text('form').notNull().default(''),
    features: cube('features'),
    /** The spectral centroid over time: a byte every `brightnessHop` seconds, 24 steps to the octave from 20 Hz; 0 where nothing is heard. */
    brightness: bytea('brightness'),
    brightnessHop: real('brightness_hop'),
    /** Momentary loudness every 100 ms, a byte each: half LU steps from -100 LUFS; 0 where nothing is heard. */
    loudnessCurve: bytea('loudness_curve'),
    measuredAt: at('measured_at').notNull().defaultNow(),
  },
  (table) => [
    index('analyses_loudness').on(table.loudnessLufs, table.soundId),
    index('analyses_features').using('gist', table.features),
    index('analyses_shape').using('gist', sql`cube_subset(${table.features}, ${SHAPE})`),
  ],
);

/** Copies that are being measured: how often that was begun and never ended. A file that takes the whole process with it is left alone after a while. */
export const measuringNow = pgTable('measuring_now', {
  copyId: bigint('copy_id', { mode: 'number' })
    .primaryKey()
    .references(() => copies.id, { onDelete: 'cascade' }),
  begun: smallint('begun').notNull(),
});

/** The picture of a waveform at one zoom; core's audio/peaks.ts says what the bytes mean. */
export const soundPeaks = pgTable(
  'sound_peaks',
  {
    soundId: bigint('sound_id', { mode: 'number' })
      .notNull()
      .references(() => sounds.id),
    /** 0 is the finest. */
    level: smallint('level').notNull(),
    channels: smallint('channels').notNull(),
    framesPerBucket: integer('frames_per_bucket').notNull(),
    buckets: integer('buckets').notNull(),
    /** Kept uncompressed (STORAGE EXTERNAL), so that a part of it is read without the rest. */
    values: bytea('values').notNull(),
  },
  (table) => [primaryKey({ columns: [table.soundId, table.level] })],
);

/** Sounds pulled for a show or a scene. */
export const pullLists = pgTable('pull_lists', {
  id: serial('id').primaryKey(),
  name: text('name').notNull(),
  show: textField('show'),
  scene: textField('scene'),
  notes: textField('notes'),
  personId: integer('person_id')
    .notNull()
    .references(() => people.id),
  createdAt: created(),
});

export const pullEntries = pgTable(
  'pull_entries',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    listId: integer('list_id')
      .notNull()
      .references(() => pullLists.id, { onDelete: 'cascade' }),
    /** Entries stand in the order of these; one that is moved gets a number between its neighbours. */
    place: doublePrecision('place').notNull(),
    soundId: bigint('sound_id', { mode: 'number' })
      .notNull()
      .references(() => sounds.id),
    /** The part that is meant, in frames; both null for the whole sound. */
    fromFrame: bigint('from_frame', { mode: 'number' }),
    toFrame: bigint('to_frame', { mode: 'number' }),
    /** How it is to sound (core's audio/try-out); null for as it is. */
    tryOut: jsonb('try_out').$type<TryOut>(),
    comment: textField('comment'),
    addedBy: integer('added_by')
      .notNull()
      .references(() => people.id),
    addedAt: at('added_at').notNull().defaultNow(),
  },
  (table) => [index('pull_entries_list').on(table.listId, table.place), index('pull_entries_sound').on(table.soundId)],
);
