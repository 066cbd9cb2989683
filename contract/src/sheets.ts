import { z } from 'zod';
import { sheetManifestSchema } from './change-sheet.ts';
import { as, endpoint, rawEndpoint } from './endpoint.ts';
import { jobSchema } from './jobs.ts';
import { planSchema } from './plans.ts';
import { selectionSchema } from './selection.ts';
import { newRelationSchema } from './reading.ts';
import { settledFieldSchema } from './settling.ts';
import { sheetPartsSchema } from './sheet-parts.ts';

/** By what a sound of a sheet was found here. */
export const SHEET_MATCHES = ['digest', 'fingerprint', 'facts', 'none'] as const;
export type SheetMatch = (typeof SHEET_MATCHES)[number];

/** Who wins where both houses changed the same field since they agreed: the record here stays, or takes what the sheet says. */
export const sheetWinnerSchema = z.enum(['ours', 'theirs']);
export type SheetWinner = z.infer<typeof sheetWinnerSchema>;

export const newSheetSchema = z.strictObject({
  selection: selectionSchema,
  forWhom: z.string().trim().max(200).default(''),
  /** Only what changed since the sheet before for the same people. */
  onlyChanged: z.boolean().default(false),
  /** What it brings beside the records. */
  parts: sheetPartsSchema.default([]),
});
export type NewSheet = z.infer<typeof newSheetSchema>;

export const sheetStateSchema = z.enum(['comparing', 'ready', 'applying', 'applied']);

export const sheetSchema = z.object({
  id: z.uuid(),
  manifest: sheetManifestSchema,
  /** Whether its signature is that of the house: by a key that is known of it, by one that was not seen before, or not signed at all. */
  signedBy: z.enum(['known', 'new', 'nobody']),
  state: sheetStateSchema,
  person: z.string(),
  receivedAt: z.string(),
  wins: sheetWinnerSchema,
  counts: z.object({
    total: z.number(),
    compared: z.number(),
    certain: z.number(),
    probable: z.number(),
    several: z.number(),
    none: z.number(),
    applied: z.number(),
  }),
});
export type Sheet = z.infer<typeof sheetSchema>;

/** A sound of a sheet with what was found for it here, and what its record would become. */
export const sheetItemSchema = z.object({
  line: z.number(),
  /** What its first file is called where the sheet comes from. */
  theirName: z.string(),
  match: z.enum(SHEET_MATCHES),
  certain: z.boolean(),
  candidates: z.number(),
  soundId: z.number().nullable(),
  copyId: z.number().nullable(),
  path: z.string().nullable(),
  fields: z.array(settledFieldSchema),
  /** What the file would be called; null where it has that name, or none follows. */
  newName: z.string().nullable(),
  problem: z.string().nullable(),
  applied: z.boolean(),
});
export type SheetItem = z.infer<typeof sheetItemSchema>;

/** For whom here somebody of another house stands: a guest, who is made when needed and cannot sign in; a person of this house; or nobody, then their marks are left out. */
export const standsForSchema = z.discriminatedUnion('as', [
  z.strictObject({ as: z.literal('guest') }),
  z.strictObject({ as: z.literal('nobody') }),
  z.strictObject({ as: z.literal('person'), personId: z.number().int().positive() }),
]);
export type StandsFor = z.infer<typeof standsForSchema>;

/** How a relation of words of a sheet stands to what is said of the two words here. */
export const WORD_STANDINGS = ['new', 'same', 'theirs', 'ours', 'both'] as const;

const relationOfSheet = z.object(newRelationSchema.shape);
export const sheetPartsOverviewSchema = z.object({
  people: z.array(
    z.object({
      name: z.string(),
      marks: z.number(),
      lists: z.number(),
      stands: standsForSchema,
      changeable: z.boolean(),
    }),
  ),
  marks: z.object({ total: z.number(), held: z.number() }),
  lists: z.object({
    total: z.number(),
    /** Those that hold most. */
    some: z.array(
      z.object({
        name: z.string(),
        show: z.string(),
        scene: z.string(),
        person: z.string(),
        entries: z.number(),
        held: z.number(),
        isKnown: z.boolean(),
      }),
    ),
  }),
  words: z.object({
    counts: z.record(z.enum(WORD_STANDINGS), z.number()),
    /** Those that are not the same here. */
    some: z.array(relationOfSheet.extend({ standing: z.enum(WORD_STANDINGS), ours: relationOfSheet.nullable() })),
  }),
  histories: z.object({ revisions: z.number(), held: z.number() }),
});
export type SheetPartsOverview = z.infer<typeof sheetPartsOverviewSchema>;

const sheetParams = z.object({ id: z.uuid() });

export const sheetsEndpoints = {
  listSheets: endpoint('GET', '/sheets', { needs: as('librarian', 'anything'), response: z.array(sheetSchema) }),
  getSheet: endpoint('GET', '/sheets/:id', {
    needs: as('librarian', 'anything'),
    params: sheetParams,
    response: sheetSchema,
  }),
  listSheetItems: endpoint('GET', '/sheets/:id/items', {
    needs: as('librarian', 'anything'),
    params: sheetParams,
    query: z.object({
      after: z.coerce.number().int().min(0).default(0),
      limit: z.coerce.number().int().min(1).max(200).default(100),
      show: z.enum(['all', 'matched', 'several', 'none']).default('all'),
      wins: sheetWinnerSchema.default('ours'),
    }),
    response: z.object({ items: z.array(sheetItemSchema), next: z.number().nullable() }),
  }),
  /** Has the records take what the sheet says, as changes that are undone as one; with one line, for that sound alone. */
  applySheet: endpoint('POST', '/sheets/:id/apply', {
    needs: as('librarian', 'anything'),
    audit: 'applies a change sheet',
    params: sheetParams,
    body: z.strictObject({
      wins: sheetWinnerSchema,
      onlyLine: z.number().int().positive().optional(),
      /** What is taken beside the records; of one line nothing is. */
      parts: sheetPartsSchema.default([]),
    }),
    response: jobSchema,
  }),
  /** What a sheet brings beside records, and how it stands to what is here. */
  getSheetParts: endpoint('GET', '/sheets/:id/parts', {
    needs: as('librarian', 'anything'),
    params: sheetParams,
    response: sheetPartsOverviewSchema,
  }),
  /** Says for whom here somebody of the sheet's house stands, from now on. */
  placeSheetPerson: endpoint('POST', '/sheets/:id/people', {
    needs: as('librarian', 'anything'),
    audit: 'says for whom somebody of another house stands',
    params: sheetParams,
    body: z.strictObject({ name: z.string().min(1).max(200), stands: standsForSchema }),
    response: sheetPartsOverviewSchema,
  }),
  /** Plans the names that the sheet's house gave the files. */
  planSheetNames: endpoint('POST', '/sheets/:id/names', {
    needs: as('librarian', 'anything'),
    params: sheetParams,
    response: planSchema,
  }),
  /** Forgets a sheet that was received; what it changed stays. */
  removeSheet: endpoint('DELETE', '/sheets/:id', {
    needs: as('librarian', 'anything'),
    params: sheetParams,
    response: z.array(sheetSchema),
  }),
  /** What this house is called where its sheets are read. */
  getHouse: endpoint('GET', '/house', {
    needs: as('editor', 'anything'),
    response: z.object({ id: z.uuid(), name: z.string() }),
  }),
  nameHouse: endpoint('PATCH', '/house', {
    needs: 'administrator',
    audit: 'names the house',
    body: z.strictObject({ name: z.string().trim().max(200) }),
    response: z.object({ id: z.uuid(), name: z.string() }),
  }),
  /** Whom sheets were made for, the latest first. */
  listSheetRecipients: endpoint('GET', '/sheet-recipients', {
    needs: as('editor', 'anything'),
    response: z.array(z.object({ forWhom: z.string(), madeAt: z.string(), sounds: z.number() })),
  }),
};

export const sheetsRawEndpoints = {
  /** A change sheet of a selection, as a ZIP. */
  makeSheet: rawEndpoint('POST', '/sheets/make', {
    needs: as('editor', 'selection'),
    audit: 'makes a change sheet',
    body: { as: 'json', most: '256kb', schema: newSheetSchema },
  }),
  /** Takes a change sheet, which is the body, and begins to compare it. */
  receiveSheet: rawEndpoint('POST', '/sheets', {
    needs: as('librarian', 'anything'),
    audit: 'receives a change sheet',
    body: { as: 'stream' },
  }),
};
