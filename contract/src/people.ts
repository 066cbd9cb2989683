import { z } from 'zod';
import { collectionRoleSchema, collectionRolesSchema, roleChangesSchema, ROLES } from './roles.ts';
import { endpoint, idParams } from './endpoint.ts';

export const personSchema = z.object({ id: z.number(), name: z.string(), initials: z.string() });
/** Somebody by whom something may have been done; not here are those who left, guests of other houses, and the program itself. */
export const knownPersonSchema = personSchema.extend({ isHere: z.boolean() });
export type Person = z.infer<typeof knownPersonSchema>;

/** Longer ones are refused before anything is done with them. */
const secret = z.string().min(1).max(200);
const password = z.string().min(1).max(200);
const personName = z.string().trim().min(1).max(80);
/** What a person signs in with: letters, numbers and `.`, `-`, `_`, `@`, in whatever case. */
const accountName = z
  .string()
  .trim()
  .min(2)
  .max(80)
  .regex(/^[\p{L}\p{N}.\-_@]+$/u, 'An account name has letters, numbers and . - _ @ only.');

export const signedInSchema = personSchema.extend({
  isAdministrator: z.boolean(),
  /** In the collections that they see; an administrator may do everything in all of them. */
  roles: z.array(collectionRoleSchema),
});
/** Who is signed in. */
export type SignedIn = z.infer<typeof signedInSchema>;

export const signInSchema = z.strictObject({ account: z.string().min(1).max(80), password });
export type SignIn = z.infer<typeof signInSchema>;

/** Somebody of the demo, who is signed in by a click. */
export const demoPersonSchema = z.object({ id: z.number(), name: z.string(), does: z.string() });
export type DemoPerson = z.infer<typeof demoPersonSchema>;

export const linkFactsSchema = z.object({
  /** It makes the first administrator, who says their name too. */
  isFirst: z.boolean(),
  name: z.string(),
  account: z.string(),
});
export type LinkFacts = z.infer<typeof linkFactsSchema>;

export const usedLinkSchema = z.strictObject({
  secret,
  password,
  /** For the first administrator; of others they are known. */
  name: z.string().trim().max(80).default(''),
  account: z.union([z.literal(''), accountName]).default(''),
});
export type UsedLink = z.infer<typeof usedLinkSchema>;

export const sessionSeenSchema = z.object({
  id: z.number(),
  beganAt: z.string(),
  seenAt: z.string(),
  browser: z.string(),
  address: z.string(),
  /** The one that asks. */
  isThis: z.boolean(),
});
export type SessionSeen = z.infer<typeof sessionSeenSchema>;

export const accountSchema = personSchema.extend({
  /** Null for one who cannot sign in. */
  account: z.string().nullable(),
  isAdministrator: z.boolean(),
  roles: z.array(collectionRoleSchema),
  /** A password was chosen. */
  hasPassword: z.boolean(),
  sessions: z.number(),
  seenAt: z.string().nullable(),
  hasLeft: z.boolean(),
});
export type Account = z.infer<typeof accountSchema>;

export const newAccountSchema = z.strictObject({
  name: personName,
  account: accountName,
  isAdministrator: z.boolean().default(false),
  roles: collectionRolesSchema.default([]),
});
export type NewAccount = z.infer<typeof newAccountSchema>;

export const accountChangeSchema = z.strictObject({
  name: personName.optional(),
  isAdministrator: z.boolean().optional(),
  roles: roleChangesSchema.optional(),
  hasLeft: z.boolean().optional(),
});
export type AccountChange = z.infer<typeof accountChangeSchema>;

export const accountLinkSchema = z.object({ accounts: z.array(accountSchema), secret: z.string() });

/** What a token may do at most: nothing that its person may not. */
export const tokenRoleSchema = z.enum([...ROLES, 'administrator']);
export type TokenRole = z.infer<typeof tokenRoleSchema>;

export const apiTokenSchema = z.object({
  id: z.number(),
  name: z.string(),
  /** The most that it may do; null for all that the person may. */
  role: tokenRoleSchema.nullable(),
  madeAt: z.string(),
  endsAt: z.string(),
  usedAt: z.string().nullable(),
});
export type ApiToken = z.infer<typeof apiTokenSchema>;

export const newTokenSchema = z.strictObject({
  name: z.string().trim().min(1).max(80),
  role: tokenRoleSchema.nullable().default(null),
  days: z.number().int().min(1).max(365),
});
export type NewToken = z.infer<typeof newTokenSchema>;

export const passkeySchema = z.object({
  id: z.number(),
  name: z.string(),
  madeAt: z.string(),
  usedAt: z.string().nullable(),
});
export type Passkey = z.infer<typeof passkeySchema>;

/** What the browser's Web Authentication answers, as JSON; its parts are looked at where it is verified. */
export const passkeyAnswerSchema = z.looseObject({
  id: z.string().min(1).max(2000),
  rawId: z.string().min(1).max(2000),
  type: z.literal('public-key'),
  response: z.looseObject({}),
  clientExtensionResults: z.looseObject({}),
});
export type PasskeyAnswer = z.infer<typeof passkeyAnswerSchema>;
/** What it is to be asked: W3C Web Authentication Level 3, PublicKeyCredentialCreationOptionsJSON and PublicKeyCredentialRequestOptionsJSON. */
const passkeyOptionsSchema = z.looseObject({ challenge: z.string() });

export const peopleEndpoints = {
  listPeople: endpoint('GET', '/people', { needs: 'asker', response: z.array(knownPersonSchema) }),
  getSignedIn: endpoint('GET', '/signed-in', { needs: 'asker', response: signedInSchema }),
  signIn: endpoint('POST', '/sign-in', { needs: 'nobody', body: signInSchema, response: signedInSchema }),
  signOut: endpoint('POST', '/sign-out', { needs: 'nobody', response: z.object({}) }),
  /** None but in the demo. */
  listDemoPeople: endpoint('GET', '/demo-people', { needs: 'nobody', response: z.array(demoPersonSchema) }),
  signInDemo: endpoint('POST', '/demo-people/:id/sign-in', {
    needs: 'nobody',
    params: idParams,
    response: signedInSchema,
  }),
  /** In the body, so that the secret of a link stands in no log. */
  getLink: endpoint('POST', '/sign-in-link', {
    needs: 'nobody',
    body: z.strictObject({ secret }),
    response: linkFactsSchema,
  }),
  takeLink: endpoint('POST', '/sign-in-link/take', { needs: 'nobody', body: usedLinkSchema, response: signedInSchema }),
  /** Ends all other sessions of whoever asks. */
  changePassword: endpoint('POST', '/password', {
    needs: 'session',
    body: z.strictObject({ current: password, password }),
    response: z.array(sessionSeenSchema),
  }),
  listSessions: endpoint('GET', '/sessions', { needs: 'asker', response: z.array(sessionSeenSchema) }),
  endSession: endpoint('DELETE', '/sessions/:id', {
    needs: 'session',
    params: idParams,
    response: z.array(sessionSeenSchema),
  }),
  beginPasskeySignIn: endpoint('POST', '/passkey-sign-in/begin', { needs: 'nobody', response: passkeyOptionsSchema }),
  signInByPasskey: endpoint('POST', '/passkey-sign-in', {
    needs: 'nobody',
    body: z.strictObject({ response: passkeyAnswerSchema }),
    response: signedInSchema,
  }),
  listPasskeys: endpoint('GET', '/passkeys', { needs: 'asker', response: z.array(passkeySchema) }),
  beginPasskey: endpoint('POST', '/passkeys/begin', { needs: 'session', response: passkeyOptionsSchema }),
  addPasskey: endpoint('POST', '/passkeys', {
    needs: 'session',
    body: z.strictObject({ name: z.string().trim().min(1).max(80), response: passkeyAnswerSchema }),
    response: z.array(passkeySchema),
  }),
  endPasskey: endpoint('DELETE', '/passkeys/:id', {
    needs: 'session',
    params: idParams,
    response: z.array(passkeySchema),
  }),
  listTokens: endpoint('GET', '/tokens', { needs: 'asker', response: z.array(apiTokenSchema) }),
  /** The answer alone tells the token. */
  makeToken: endpoint('POST', '/tokens', {
    needs: 'session',
    body: newTokenSchema,
    response: z.object({ tokens: z.array(apiTokenSchema), token: z.string() }),
  }),
  endToken: endpoint('DELETE', '/tokens/:id', {
    needs: 'session',
    params: idParams,
    response: z.array(apiTokenSchema),
  }),
  listAccounts: endpoint('GET', '/accounts', { needs: 'administrator', response: z.array(accountSchema) }),
  /** With the secret of a link by which the person chooses a password. */
  addAccount: endpoint('POST', '/accounts', {
    needs: 'administrator',
    body: newAccountSchema,
    response: accountLinkSchema,
  }),
  changeAccount: endpoint('PATCH', '/accounts/:id', {
    needs: 'administrator',
    params: idParams,
    body: accountChangeSchema,
    response: z.array(accountSchema),
  }),
  /** A new link for somebody who lost the first one, or the password. */
  makeAccountLink: endpoint('POST', '/accounts/:id/link', {
    needs: 'administrator',
    params: idParams,
    response: accountLinkSchema,
  }),
};
