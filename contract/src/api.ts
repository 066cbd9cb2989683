import { SUGGESTED_FIELDS } from '@flagstone/core/suggest/suggest-record';
import { z } from 'zod';
import {
  adoptListSchema,
  categoryListSchema,
  categorySchema,
  listComparisonSchema,
  wantedListSchema,
} from './category-lists.ts';
import { collectionChangeSchema, collectionSchema, newCollectionSchema } from './collections.ts';
import { contentsSchema, disagreementsQuerySchema, disagreementsSchema } from './contents.ts';
import { copyOutSchema, copyOutSizeSchema, copyOutToFolderSchema } from './copy-out.ts';
import { endpoint, idParams } from './endpoint.ts';
import { folderLevelSchema, folderQuerySchema, indexCountsSchema } from './facets.ts';
import { jobSchema } from './jobs.ts';
import { columnLayoutSchema, namedLayoutSchema } from './layouts.ts';
import {
  alikeSchema,
  cutSchema,
  foundSlicesSchema,
  kinSchema,
  newPullEntrySchema,
  newPullListSchema,
  pullListChangeSchema,
  pullEntryChangeSchema,
  pullEntrySchema,
  pullListSchema,
  sliceOptionsSchema,
} from './listening.ts';
import { lostPageSchema, settleLostSchema } from './lost.ts';
import { markSchema } from './marks.ts';
import { analysisSchema, wavesQuerySchema, wavesSchema } from './measures.ts';
import { newPlanSchema, planItemSchema, planSchema, relocationSchema } from './plans.ts';
import { copySchema, fieldValuesSchema, recordEditSchema, revisionSchema, soundRowSchema } from './record.ts';
import {
  newRecipeSchema,
  recipeCountSchema,
  recipePreviewQuerySchema,
  recipePreviewSchema,
  recipeRunSchema,
  recipeSchema,
} from './recipes.ts';
import { completionSchema, newRelationSchema, queryReadingSchema, relationSchema } from './reading.ts';
import { authoritySchema, newAuthoritySchema, newPathRuleSchema, pathRuleSchema } from './rules.ts';
import { newSavedSearchSchema, savedSearchSchema } from './saved-searches.ts';
import { statisticsSchema } from './statistics.ts';
import { filterSchema, listQuerySchema, selectionSchema } from './selection.ts';

export const personSchema = z.object({ id: z.number(), name: z.string(), initials: z.string() });
export type Person = z.infer<typeof personSchema>;

export const driveSchema = z.object({
  id: z.string(),
  name: z.string(),
  rootPath: z.string(),
  state: z.enum(['here', 'away', 'readOnly']),
  copies: z.number(),
  sizeBytes: z.number(),
  /** What it is known by wherever it is mounted: the marker file in its root, its file system, or only its path. */
  knownBy: z.enum(['marker', 'fileSystem', 'path']),
  /** Null while it is away. */
  capacityBytes: z.number().nullable(),
  freeBytes: z.number().nullable(),
  lastIndexedAt: z.string().nullable(),
  /** Kept for its history, and neither looked for nor offered any more. */
  retired: z.boolean(),
});
export type Drive = z.infer<typeof driveSchema>;

/** A folder that was read, and how it is read again. */
export const readFolderSchema = z.object({
  id: z.number(),
  driveId: z.string(),
  driveName: z.string(),
  /** Below the drive's root; empty for the whole drive. */
  path: z.string(),
  files: z.number(),
  watched: z.boolean(),
  /** It is read again so often; null for never. */
  rereadMinutes: z.number().nullable(),
  exclude: z.array(z.string()),
  collectionId: z.number(),
  /** The recipe that runs on what is new in it. */
  recipeId: z.number().nullable(),
});
export type ReadFolder = z.infer<typeof readFolderSchema>;

export const batchSchema = z.object({
  id: z.number(),
  name: z.string(),
  folder: z.string(),
  driveName: z.string(),
  createdBy: z.string(),
  createdAt: z.string(),
  filedAt: z.string().nullable(),
  counts: z.object({
    all: z.number(),
    categorised: z.number(),
    named: z.number(),
    behind: z.number(),
    filed: z.number(),
    unreadable: z.number(),
  }),
  /** Audio that is not taken up: how many files of each kind. */
  otherAudio: z.record(z.string(), z.number()),
});
export type Batch = z.infer<typeof batchSchema>;

export const unreadableSchema = z.object({
  id: z.number(),
  folder: z.string(),
  name: z.string(),
  code: z.string(),
  message: z.string(),
  remedy: z.string(),
});
export type Unreadable = z.infer<typeof unreadableSchema>;

export const suggestionSchema = z.object({
  catId: z.string(),
  category: z.string(),
  subCategory: z.string(),
  score: z.number(),
  because: z.array(z.string()),
});

const pageSchema = z.object({
  rows: z.array(soundRowSchema),
  next: z.string().nullable(),
  /** How many there are in all, said with the first page. */
  total: z.number().nullable(),
  /** The total is in proportion to a sample. */
  isApproximate: z.boolean(),
});
export type SoundPage = z.infer<typeof pageSchema>;

/** How many sounds each category holds; in proportion to a sample where a search finds very many. */
const changeSchema = z.object({
  changeId: z.number().nullable(),
  changed: z.number(),
  /** Of an undoing: records that kept what was changed in them since. */
  kept: z.number().default(0),
  summary: z.string(),
});
export type ChangeResult = z.infer<typeof changeSchema>;

/** What undoing did; `asks` instead, when it would touch files: it is done when the plan is named. */
const undoAnswerSchema = z.object({
  summary: z.string(),
  job: jobSchema.nullable(),
  asks: z.object({ planId: z.number(), title: z.string() }).nullable(),
});
export type UndoAnswer = z.infer<typeof undoAnswerSchema>;

const jobParams = z.object({ id: z.uuid() });

/** Every address of the API that speaks JSON. Audio, peaks and live events have plain routes; see docs/architecture.md. */
export const api = {
  getOverview: endpoint('GET', '/overview', {
    response: z.object({
      version: z.string(),
      roots: z.array(z.string()),
      categorySource: z.string(),
      counts: z.object({
        sounds: z.number(),
        filed: z.number(),
        copies: z.number(),
        behind: z.number(),
        unreadable: z.number(),
        openBatches: z.number(),
      }),
    }),
  }),
  listPeople: endpoint('GET', '/people', { response: z.array(personSchema) }),
  listCategories: endpoint('GET', '/categories', {
    response: z.object({ source: z.string(), categories: z.array(categorySchema) }),
  }),
  /** How many records have each CatID, those that are not filed too. */
  countCategoryUses: endpoint('GET', '/categories/uses', {
    response: z.array(z.object({ catId: z.string(), records: z.number() })),
  }),
  listCategoryLists: endpoint('GET', '/category-lists', { response: z.array(categoryListSchema) }),
  /** What taking another list would change; nothing is changed. */
  compareCategoryList: endpoint('POST', '/category-lists/compare', {
    body: z.strictObject({ list: wantedListSchema }),
    response: listComparisonSchema,
  }),
  /** Takes another list and moves the records over, as one change. */
  adoptCategoryList: endpoint('POST', '/category-lists/adopt', { body: adoptListSchema, response: changeSchema }),
  listDrives: endpoint('GET', '/drives', { response: z.array(driveSchema) }),
  updateDrive: endpoint('PATCH', '/drives/:id', {
    params: z.object({ id: z.uuid() }),
    body: z.strictObject({
      name: z.string().trim().min(1).max(200).optional(),
      rootPath: z.string().min(1).max(4096).optional(),
      retired: z.boolean().optional(),
    }),
    response: z.array(driveSchema),
  }),
  listCollections: endpoint('GET', '/collections', { response: z.array(collectionSchema) }),
  makeCollection: endpoint('POST', '/collections', {
    body: newCollectionSchema,
    response: z.array(collectionSchema),
  }),
  updateCollection: endpoint('PATCH', '/collections/:id', {
    params: idParams,
    body: collectionChangeSchema,
    response: z.array(collectionSchema),
  }),
  /** Puts its folders and people into another collection and removes it. */
  mergeCollection: endpoint('POST', '/collections/:id/merge', {
    params: idParams,
    body: z.strictObject({ intoId: z.number().int().positive() }),
    response: z.array(collectionSchema),
  }),
  /** What suggestions have learned from decisions in a collection. */
  listLearned: endpoint('GET', '/collections/:id/learned', {
    params: idParams,
    response: z.object({
      total: z.number(),
      entries: z.array(z.object({ word: z.string(), catId: z.string(), times: z.number() })),
    }),
  }),
  forgetLearned: endpoint('POST', '/collections/:id/forget', {
    params: idParams,
    body: z.strictObject({ word: z.string().max(5000).optional() }),
    response: z.object({}),
  }),
  listReadFolders: endpoint('GET', '/read-folders', { response: z.array(readFolderSchema) }),
  updateReadFolder: endpoint('PATCH', '/read-folders/:id', {
    params: idParams,
    body: z.strictObject({
      watched: z.boolean().optional(),
      rereadMinutes: z
        .number()
        .int()
        .min(1)
        .max(60 * 24 * 30)
        .nullable()
        .optional(),
      collectionId: z.number().int().positive().optional(),
      recipeId: z.number().int().positive().nullable().optional(),
      exclude: z.array(z.string().trim().min(1).max(500)).max(100).optional(),
    }),
    response: readFolderSchema,
  }),
  /** Reads a folder again; what is filed and the same does not come into preparation once more. */
  readAgain: endpoint('POST', '/read-folders/:id/read', { params: idParams, response: jobSchema }),
  /** What reading a folder would find; nothing is recorded. */
  countIntake: endpoint('POST', '/intake/count', {
    body: z.strictObject({ path: z.string().min(1).max(4096) }),
    response: z.object({
      files: z.number(),
      sizeBytes: z.number(),
      same: z.number(),
      newOrChanged: z.number(),
      faults: z.number(),
      otherAudio: z.number(),
    }),
  }),
  listFolders: endpoint('GET', '/folders', {
    query: z.object({ path: z.string().max(4096).default('') }),
    response: z.object({
      path: z.string(),
      parent: z.string().nullable(),
      folders: z.array(z.object({ name: z.string(), path: z.string() })),
    }),
  }),
  startIntake: endpoint('POST', '/intake', {
    body: z.strictObject({
      path: z.string().min(1).max(4096),
      batchName: z.string().trim().max(200).optional(),
      /** The collection of a folder that is read for the first time; else that of the folder above it, or the first. */
      collectionId: z.number().int().positive().optional(),
    }),
    response: z.object({ batch: batchSchema, job: jobSchema }),
  }),
  listBatches: endpoint('GET', '/batches', { response: z.array(batchSchema) }),
  getBatch: endpoint('GET', '/batches/:id', { params: idParams, response: batchSchema }),
  listBatchRows: endpoint('GET', '/batches/:id/rows', {
    params: idParams,
    query: listQuerySchema,
    response: pageSchema,
  }),
  listUnreadable: endpoint('GET', '/batches/:id/unreadable', { params: idParams, response: z.array(unreadableSchema) }),
  fileBatch: endpoint('POST', '/batches/:id/file', {
    params: idParams,
    response: z.object({ filed: z.number(), batch: batchSchema }),
  }),
  listCatalogue: endpoint('GET', '/catalogue', { query: listQuerySchema, response: pageSchema }),
  /** What the list holds by category (a chosen one does not narrow them), and by form, channels, length and so on, each value with the term that narrows to it. */
  countIndex: endpoint('GET', '/catalogue/index', { query: filterSchema, response: indexCountsSchema }),
  listFolderLevel: endpoint('GET', '/catalogue/folders', { query: folderQuerySchema, response: folderLevelSchema }),
  completeQuery: endpoint('GET', '/catalogue/completions', {
    query: filterSchema,
    response: z.array(completionSchema),
  }),
  /** What the words of a search line mean for this collection: slips put right, related words that occur. */
  readQuery: endpoint('GET', '/catalogue/reading', {
    query: filterSchema.pick({ q: true }),
    response: queryReadingSchema,
  }),
  listRelations: endpoint('GET', '/relations', { response: z.array(relationSchema) }),
  saveRelation: endpoint('POST', '/relations', { body: newRelationSchema, response: z.array(relationSchema) }),
  removeRelation: endpoint('DELETE', '/relations/:id', { params: idParams, response: z.array(relationSchema) }),
  /** Ratings, favourites, tags and notes of the person who asks. */
  markSounds: endpoint('POST', '/marks', { body: markSchema, response: z.object({ sounds: z.number() }) }),
  listSavedSearches: endpoint('GET', '/saved-searches', { response: z.array(savedSearchSchema) }),
  saveSearch: endpoint('POST', '/saved-searches', { body: newSavedSearchSchema, response: z.array(savedSearchSchema) }),
  removeSavedSearch: endpoint('DELETE', '/saved-searches/:id', {
    params: idParams,
    response: z.array(savedSearchSchema),
  }),
  visitSavedSearch: endpoint('POST', '/saved-searches/:id/visit', {
    params: idParams,
    response: z.array(savedSearchSchema),
  }),
  listLayouts: endpoint('GET', '/layouts', { response: z.array(namedLayoutSchema) }),
  saveLayout: endpoint('POST', '/layouts', {
    body: z.strictObject({ name: z.string().trim().min(1).max(60), layout: columnLayoutSchema }),
    response: z.array(namedLayoutSchema),
  }),
  removeLayout: endpoint('DELETE', '/layouts/:id', { params: idParams, response: z.array(namedLayoutSchema) }),
  getSound: endpoint('GET', '/sounds/:id', {
    params: idParams,
    response: z.object({ row: soundRowSchema, copies: z.array(copySchema), revisions: z.array(revisionSchema) }),
  }),
  /** The slices that a sound falls into; nothing is recorded. */
  findSlices: endpoint('POST', '/sounds/:id/slices/find', {
    params: idParams,
    body: sliceOptionsSchema,
    response: foundSlicesSchema,
  }),
  /** Previews cutting parts out into files of their own. */
  planCut: endpoint('POST', '/sounds/:id/cut', { params: idParams, body: cutSchema, response: planSchema }),
  /** What only the file itself says: where it stands in time, in samples since midnight. */
  getFileTime: endpoint('GET', '/sounds/:id/file-time', {
    params: idParams,
    response: z.object({ timeReference: z.number().nullable() }),
  }),
  getKin: endpoint('GET', '/sounds/:id/kin', { params: idParams, response: kinSchema }),
  listAlike: endpoint('GET', '/sounds/:id/alike', { params: idParams, response: alikeSchema }),
  /** Copies nothing yet: says how much it would be. */
  prepareCopyOut: endpoint('POST', '/copy-out', { body: copyOutSchema, response: copyOutSizeSchema }),
  copyOutToFolder: endpoint('POST', '/copy-out/folder', { body: copyOutToFolderSchema, response: jobSchema }),
  listPullLists: endpoint('GET', '/pull-lists', { response: z.array(pullListSchema) }),
  makePullList: endpoint('POST', '/pull-lists', { body: newPullListSchema, response: z.array(pullListSchema) }),
  updatePullList: endpoint('PATCH', '/pull-lists/:id', {
    params: idParams,
    body: pullListChangeSchema,
    response: z.array(pullListSchema),
  }),
  removePullList: endpoint('DELETE', '/pull-lists/:id', { params: idParams, response: z.array(pullListSchema) }),
  listPullEntries: endpoint('GET', '/pull-lists/:id/entries', {
    params: idParams,
    response: z.array(pullEntrySchema),
  }),
  addPullEntry: endpoint('POST', '/pull-lists/:id/entries', {
    params: idParams,
    body: newPullEntrySchema,
    response: z.array(pullEntrySchema),
  }),
  /** All sounds of a selection, whole, at the end of a list. */
  addPullSounds: endpoint('POST', '/pull-lists/:id/sounds', {
    params: idParams,
    body: z.strictObject({ selection: selectionSchema }),
    response: z.object({ added: z.number() }),
  }),
  updatePullEntry: endpoint('PATCH', '/pull-entries/:id', {
    params: idParams,
    body: pullEntryChangeSchema,
    response: z.array(pullEntrySchema),
  }),
  removePullEntry: endpoint('DELETE', '/pull-entries/:id', { params: idParams, response: z.array(pullEntrySchema) }),
  getAnalysis: endpoint('GET', '/sounds/:id/analysis', { params: idParams, response: analysisSchema }),
  /** The small waveforms of rows, of those sounds that were measured. */
  getWaves: endpoint('GET', '/waves', { query: wavesQuerySchema, response: wavesSchema }),
  listLost: endpoint('GET', '/lost', {
    query: z.object({ after: z.coerce.number().int().min(0).default(0) }),
    response: lostPageSchema,
  }),
  settleLost: endpoint('POST', '/lost/settle', {
    body: settleLostSchema,
    response: z.object({ settled: z.number() }),
  }),
  getStatistics: endpoint('GET', '/statistics', { response: statisticsSchema }),
  countAdded: endpoint('GET', '/added', {
    query: z.object({ since: z.iso.datetime() }),
    response: z.object({ filed: z.number(), inPreparation: z.number() }),
  }),
  getContents: endpoint('GET', '/copies/:id/contents', { params: idParams, response: contentsSchema }),
  countDisagreements: endpoint('POST', '/disagreements', {
    body: disagreementsQuerySchema,
    response: disagreementsSchema,
  }),
  /** What the selected sounds say in each field, for a card that edits many. */
  countValues: endpoint('POST', '/records/values', {
    body: z.strictObject({ selection: selectionSchema }),
    response: fieldValuesSchema,
  }),
  /** Gives a record the values that it had with a revision; 1 is what was read first. A change of its own. */
  goBack: endpoint('POST', '/sounds/:id/go-back', {
    params: idParams,
    body: z.strictObject({ revision: z.number().int().positive() }),
    response: changeSchema,
  }),
  editRecords: endpoint('PATCH', '/records', {
    body: z.strictObject({ selection: selectionSchema, edit: recordEditSchema }),
    response: changeSchema,
  }),
  /** An edit for each row of its own, as one change: what was pasted from a spreadsheet, what was copied from one sound onto others. */
  editRows: endpoint('PATCH', '/rows', {
    body: z.strictObject({
      summary: z.string().trim().min(1).max(200),
      edits: z
        .array(z.strictObject({ copyId: z.number().int().positive(), edit: recordEditSchema }))
        .min(1)
        .max(5000),
    }),
    response: changeSchema,
  }),
  listPathRules: endpoint('GET', '/path-rules', { response: z.array(pathRuleSchema) }),
  addPathRule: endpoint('POST', '/path-rules', { body: newPathRuleSchema, response: z.array(pathRuleSchema) }),
  removePathRule: endpoint('DELETE', '/path-rules/:id', { params: idParams, response: z.array(pathRuleSchema) }),
  /** Sets the fields of the rules where they are empty, each rule as a change of its own. */
  runPathRules: endpoint('POST', '/path-rules/run', {
    body: z.strictObject({ selection: selectionSchema }),
    response: z.object({ changed: z.number() }),
  }),
  listAuthorities: endpoint('GET', '/authorities', { response: z.array(authoritySchema) }),
  saveAuthority: endpoint('POST', '/authorities', { body: newAuthoritySchema, response: z.array(authoritySchema) }),
  removeAuthority: endpoint('DELETE', '/authorities/:id', { params: idParams, response: z.array(authoritySchema) }),
  /** Takes over the names that records say. */
  gatherAuthorities: endpoint('POST', '/authorities/gather', { response: z.array(authoritySchema) }),
  mergeAuthority: endpoint('POST', '/authorities/:id/merge', {
    params: idParams,
    body: z.strictObject({ intoId: z.number().int().positive() }),
    response: z.object({ changed: z.number(), authorities: z.array(authoritySchema) }),
  }),
  listRecipes: endpoint('GET', '/recipes', { response: z.array(recipeSchema) }),
  saveRecipe: endpoint('POST', '/recipes', { body: newRecipeSchema, response: z.array(recipeSchema) }),
  removeRecipe: endpoint('DELETE', '/recipes/:id', { params: idParams, response: z.array(recipeSchema) }),
  /** The next rows that the steps change, with their values before and after; nothing is changed. */
  previewRecipe: endpoint('POST', '/recipes/preview', {
    body: recipePreviewQuerySchema,
    response: recipePreviewSchema,
  }),
  countRecipe: endpoint('POST', '/recipes/count', { body: recipeRunSchema, response: recipeCountSchema }),
  runRecipe: endpoint('POST', '/recipes/run', {
    body: recipeRunSchema.extend({ name: z.string().max(100).optional() }),
    response: changeSchema,
  }),
  suggest: endpoint('POST', '/suggestions', {
    body: z.strictObject({ copyIds: z.array(z.number().int().positive()).min(1).max(1000) }),
    response: z.array(z.object({ copyId: z.number(), suggestions: z.array(suggestionSchema) })),
  }),
  acceptSuggestions: endpoint('POST', '/suggestions/accept', {
    body: z.strictObject({
      selection: selectionSchema,
      minimumScore: z.number().min(0).max(1),
      fields: z.array(z.enum(SUGGESTED_FIELDS)).min(1).default(['catId', 'fxName']),
    }),
    response: changeSchema,
  }),
  undoLast: endpoint('POST', '/undo', {
    body: z.strictObject({ planId: z.number().int().positive().optional() }).optional(),
    response: undoAnswerSchema,
  }),
  /** Does again what the person undid last, unless they changed something since. */
  redoLast: endpoint('POST', '/redo', { response: z.object({ summary: z.string() }) }),
  undoChange: endpoint('POST', '/changes/:id/undo', { params: idParams, response: changeSchema }),
  /** Previews telling Flagstone that the files of a folder stand elsewhere now; see relocationSchema. */
  planRelocation: endpoint('POST', '/relocations', { body: relocationSchema, response: planSchema }),
  makePlan: endpoint('POST', '/plans', { body: newPlanSchema, response: planSchema }),
  getPlan: endpoint('GET', '/plans/:id', { params: idParams, response: planSchema }),
  listPlanItems: endpoint('GET', '/plans/:id/items', {
    params: idParams,
    query: z.object({
      after: z.coerce.number().int().min(0).default(0),
      limit: z.coerce.number().int().min(1).max(1000).default(300),
    }),
    response: z.object({ items: z.array(planItemSchema), next: z.number().nullable() }),
  }),
  runPlan: endpoint('POST', '/plans/:id/run', {
    params: idParams,
    body: z.strictObject({ onlyItemId: z.number().int().positive().optional() }),
    response: jobSchema,
  }),
  undoPlan: endpoint('POST', '/plans/:id/undo', { params: idParams, response: jobSchema }),
  listJobs: endpoint('GET', '/jobs', { response: z.array(jobSchema) }),
  cancelJob: endpoint('POST', '/jobs/:id/cancel', { params: jobParams, response: jobSchema }),
  pauseJob: endpoint('POST', '/jobs/:id/pause', { params: jobParams, response: jobSchema }),
  /** Lets a paused job go on, and one that ended try again what failed. */
  resumeJob: endpoint('POST', '/jobs/:id/resume', { params: jobParams, response: jobSchema }),
};

export type Api = typeof api;
