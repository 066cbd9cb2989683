import { bigint, bigserial, boolean, index, integer, pgTable, serial, text, uuid } from 'drizzle-orm/pg-core';
import type { TokenRole } from '@flagstone/contract/people';
import { at, bytea, created, people } from './schema.ts';

/** Who is signed in where. Of the secret in the browser's cookie only the digest is kept, so that a copy of the database opens no door. */
export const sessions = pgTable(
  'sessions',
  {
    id: serial('id').primaryKey(),
    /** SHA-256 of the secret. */
    digest: bytea('digest').notNull().unique(),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
    createdAt: created(),
    /** The last request, kept to the minute. */
    seenAt: at('seen_at').notNull().defaultNow(),
    /** When it ends whatever is done in it. */
    endsAt: at('ends_at').notNull(),
    /** What the browser calls itself. */
    browser: text('browser').notNull(),
    address: text('address').notNull(),
  },
  (table) => [index('sessions_person').on(table.personId)],
);

/** Links by which a person chooses a password, once. Without a person it makes the first administrator. */
export const signInLinks = pgTable('sign_in_links', {
  digest: bytea('digest').primaryKey(),
  personId: integer('person_id').references(() => people.id, { onDelete: 'cascade' }),
  createdAt: created(),
  endsAt: at('ends_at').notNull(),
});

/** What scripts show instead of signing in. */
export const apiTokens = pgTable('api_tokens', {
  id: serial('id').primaryKey(),
  digest: bytea('digest').notNull().unique(),
  personId: integer('person_id')
    .notNull()
    .references(() => people.id, { onDelete: 'cascade' }),
  name: text('name').notNull(),
  /** The most that it may do; null for all that the person may. */
  role: text('role').$type<TokenRole>(),
  createdAt: created(),
  endsAt: at('ends_at').notNull(),
  /** The last request with it, kept to the minute. */
  usedAt: at('used_at'),
});

/** Keys of Web Authentication, by which people sign in without a password. */
export const passkeys = pgTable(
  'passkeys',
  {
    id: serial('id').primaryKey(),
    /** As the authenticator names it, base64url. */
    credentialId: text('credential_id').notNull().unique(),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
    /** COSE. */
    publicKey: bytea('public_key').notNull(),
    /** How often the authenticator says that it signed; one that goes back was copied. */
    counter: bigint('counter', { mode: 'number' }).notNull(),
    transports: text('transports').array().notNull(),
    name: text('name').notNull(),
    createdAt: created(),
    usedAt: at('used_at'),
  },
  (table) => [index('passkeys_person').on(table.personId)],
);

/** What passkeys are asked to sign, each once. */
export const passkeyChallenges = pgTable('passkey_challenges', {
  challenge: text('challenge').primaryKey(),
  /** For whom a passkey is made; null to sign in. */
  personId: integer('person_id').references(() => people.id, { onDelete: 'cascade' }),
  endsAt: at('ends_at').notNull(),
});

/** How often signing in failed lately, for an account or from an address. */
export const signInFailures = pgTable('sign_in_failures', {
  /** `account NAME` or `address IP`. */
  key: text('key').primaryKey(),
  failures: integer('failures').notNull(),
  lastAt: at('last_at').notNull(),
});

/** Pages that are open, each by the number that it gave itself: see people/presence.ts. */
export const presence = pgTable(
  'presence',
  {
    page: uuid('page').primaryKey(),
    personId: integer('person_id')
      .notNull()
      .references(() => people.id, { onDelete: 'cascade' }),
    /** The stream of events by which it listens, whichever process of the server holds it. */
    stream: uuid('stream').notNull(),
    batchId: integer('batch_id'),
    soundId: bigint('sound_id', { mode: 'number' }),
    seenAt: at('seen_at').notNull().defaultNow(),
  },
  (table) => [index('presence_stream').on(table.stream)],
);

/** What was done that concerns who may do what. The application may add to it and read it, nothing else (restricted-role.ts). */
export const auditLog = pgTable(
  'audit_log',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    happenedAt: at('happened_at').notNull().defaultNow(),
    /** Who did it; null where nobody was signed in. Kept as a name too: the log says the same when the person has gone. */
    personId: integer('person_id'),
    personName: text('person_name').notNull(),
    /** In words, as “signs in”. */
    what: text('what').notNull(),
    /** On whom or on what, in words. */
    about: text('about').notNull(),
    address: text('address').notNull(),
    /** It was refused. */
    refused: boolean('refused').notNull().default(false),
  },
  (table) => [index('audit_log_what').on(table.what, table.id)],
);
