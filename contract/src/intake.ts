import { z } from 'zod';
import { as, endpoint, idParams } from './endpoint.ts';
import { jobSchema } from './jobs.ts';
import { soundPageSchema } from './record.ts';
import { listQuerySchema, selectionSchema } from './selection.ts';

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
  collectionId: z.number(),
  /** Who is to prepare it; null for whoever comes. */
  givenTo: z.object({ id: z.number(), name: z.string() }).nullable(),
  /** The batch that it was split off from. */
  partOf: z.object({ id: z.number(), name: z.string() }).nullable(),
  counts: z.object({
    all: z.number(),
    categorised: z.number(),
    named: z.number(),
    behind: z.number(),
    filed: z.number(),
    unreadable: z.number(),
    /** Sounds whose recording is in the catalogue already in another form. */
    held: z.number(),
    /** Files that were not taken up, by their names or since they came twice. */
    leftOut: z.number(),
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

/** A file that was not taken up into a batch, and why. */
export const leftOutFileSchema = z.object({ path: z.string(), code: z.string(), message: z.string() });
export type LeftOutFile = z.infer<typeof leftOutFileSchema>;

/** How a batch is split: by the folders below the one that holds all of it, by the ends of names, by length, or so many files each. */
export const batchSplitSchema = z.strictObject({
  by: z.enum(['folder', 'type', 'length', 'number']),
  size: z.number().int().min(1).max(1_000_000).default(500),
});
export type BatchSplit = z.infer<typeof batchSplitSchema>;
export const splitPartSchema = z.object({ place: z.number(), name: z.string(), files: z.number() });
export type SplitPart = z.infer<typeof splitPartSchema>;
const batchName = z.string().trim().min(1).max(200);

export const intakeEndpoints = {
  listReadFolders: endpoint('GET', '/read-folders', {
    needs: as('listener', 'anything'),
    response: z.array(readFolderSchema),
  }),
  updateReadFolder: endpoint('PATCH', '/read-folders/:id', {
    needs: as('librarian', 'readFolder'),
    audit: 'changes a folder that was read',
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
  readAgain: endpoint('POST', '/read-folders/:id/read', {
    needs: as('librarian', 'readFolder'),
    params: idParams,
    response: jobSchema,
  }),
  /** What reading a folder would find; nothing is recorded. */
  countIntake: endpoint('POST', '/intake/count', {
    needs: as('librarian', 'folder'),
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
  startIntake: endpoint('POST', '/intake', {
    needs: as('librarian', 'folder'),
    audit: 'reads a folder',
    body: z.strictObject({
      path: z.string().min(1).max(4096),
      batchName: z.string().trim().max(200).optional(),
      /** The collection of a folder that is read for the first time; else that of the folder above it, or the first. */
      collectionId: z.number().int().positive().optional(),
    }),
    response: z.object({ batch: batchSchema, job: jobSchema }),
  }),
  listBatches: endpoint('GET', '/batches', { needs: as('listener', 'anything'), response: z.array(batchSchema) }),
  getBatch: endpoint('GET', '/batches/:id', {
    needs: as('assistant', 'batch'),
    params: idParams,
    response: batchSchema,
  }),
  listBatchRows: endpoint('GET', '/batches/:id/rows', {
    needs: as('assistant', 'batch'),
    params: idParams,
    query: listQuerySchema,
    response: soundPageSchema,
  }),
  /** Which of some copies are in the batch. */
  findBatchRows: endpoint('POST', '/batches/:id/rows/find', {
    needs: as('assistant', 'batch'),
    params: idParams,
    body: z.strictObject({ copyIds: z.array(z.number().int().positive()).min(1).max(2000) }),
    response: z.object({ copyIds: z.array(z.number()) }),
  }),
  updateBatch: endpoint('PATCH', '/batches/:id', {
    needs: as('librarian', 'batch'),
    params: idParams,
    body: z.strictObject({ name: batchName.optional(), givenTo: z.number().int().positive().nullable().optional() }),
    response: batchSchema,
  }),
  /** What splitting would give; the first part is what stays in the batch. */
  previewSplit: endpoint('POST', '/batches/:id/split-preview', {
    needs: as('librarian', 'batch'),
    params: idParams,
    body: batchSplitSchema,
    response: z.array(splitPartSchema),
  }),
  splitBatch: endpoint('POST', '/batches/:id/split', {
    needs: as('librarian', 'batch'),
    params: idParams,
    body: batchSplitSchema,
    response: z.array(batchSchema),
  }),
  /** Rows of the batch go to another one that is not filed, or to a new one. */
  moveRows: endpoint('POST', '/batches/:id/move', {
    needs: as('librarian', 'batch'),
    params: idParams,
    body: z.strictObject({
      selection: selectionSchema,
      to: z.union([z.strictObject({ batchId: z.number().int().positive() }), z.strictObject({ name: batchName })]),
    }),
    response: z.object({ moved: z.number(), batch: batchSchema }),
  }),
  /** A part goes back into the batch that it was split off from. */
  foldBatch: endpoint('POST', '/batches/:id/fold', {
    needs: as('librarian', 'batch'),
    params: idParams,
    response: batchSchema,
  }),
  /** Files that are in no row of the batch: those that no reading takes up, and those that were left out when they were handed over. */
  listNotTaken: endpoint('GET', '/batches/:id/not-taken', {
    needs: as('assistant', 'batch'),
    params: idParams,
    response: z.array(leftOutFileSchema),
  }),
  listUnreadable: endpoint('GET', '/batches/:id/unreadable', {
    needs: as('assistant', 'batch'),
    params: idParams,
    response: z.array(unreadableSchema),
  }),
  fileBatch: endpoint('POST', '/batches/:id/file', {
    needs: as('librarian', 'batch'),
    audit: 'files a batch',
    params: idParams,
    response: z.object({ filed: z.number(), batch: batchSchema }),
  }),
};
