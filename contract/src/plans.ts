import { SHORTENINGS } from '@flagstone/core/naming/shorten-name';
import { isAudioName } from '@flagstone/core/formats/container';
import { z } from 'zod';
import { as, endpoint, idParams } from './endpoint.ts';
import { jobSchema } from './jobs.ts';
import { selectionSchema } from './selection.ts';

export const planKindSchema = z.enum([
  'rename',
  'write',
  'relocate',
  'cut',
  'restore',
  'copy',
  'shelve',
  'setAside',
  'delete',
  'afterList',
]);
export type PlanKind = z.infer<typeof planKindSchema>;

export const planStateSchema = z.enum(['ready', 'running', 'done', 'undoing', 'undone']);
export type PlanState = z.infer<typeof planStateSchema>;

export const planSchema = z.object({
  id: z.number(),
  kind: planKindSchema,
  state: planStateSchema,
  batchId: z.number().nullable(),
  person: z.string(),
  createdAt: z.string(),
  counts: z.object({
    all: z.number(),
    /** Items that will change something. */
    runnable: z.number(),
    /** Items that run by themselves as soon as their drives are back. */
    waiting: z.number(),
    /** Items that are right already. */
    unchanged: z.number(),
    /** Items that cannot run until somebody corrects something. */
    blocked: z.number(),
    done: z.number(),
    failed: z.number(),
    undone: z.number(),
  }),
});
export type Plan = z.infer<typeof planSchema>;

export const itemStateSchema = z.enum([
  'planned',
  'unchanged',
  'blocked',
  'started',
  'done',
  'failed',
  'undoing',
  'undone',
]);
export type ItemState = z.infer<typeof itemStateSchema>;

export const planItemSchema = z.object({
  id: z.number(),
  /** What the item does: that of its plan, but for a plan that does several things. */
  does: planKindSchema,
  copyId: z.number(),
  folder: z.string(),
  driveName: z.string(),
  state: itemStateSchema,
  before: z.record(z.string(), z.unknown()),
  after: z.record(z.string(), z.unknown()),
  /** Null where the name is not laid in blocks. */
  blocks: z.record(z.string(), z.string()).nullable(),
  problems: z.array(
    z.object({
      code: z.string(),
      severity: z.enum(['error', 'notice']),
      block: z.string().optional(),
      message: z.string(),
      remedy: z.string().optional(),
    }),
  ),
});
export type PlanItem = z.infer<typeof planItemSchema>;

/** The copies below a folder of a drive (empty for the whole drive) stand below another folder now, on the same drive or on another. */
export const relocationSchema = z.strictObject({
  driveId: z.uuid(),
  folder: z.string().max(4096),
  toPath: z.string().min(1).max(4096),
});
export type Relocation = z.infer<typeof relocationSchema>;

/** How files are renamed. */
export const renameChoicesSchema = z.strictObject({
  /** What becomes of names that are too long. */
  shorten: z.enum(SHORTENINGS).default('no'),
  /** What names end in: as they do, what belongs to their content where they end in that of another, or all in one that another program asks for. Nothing is converted. */
  extensions: z
    .union([
      z.enum(['kept', 'right']),
      z
        .string()
        .regex(/^\.[a-z0-9]{1,8}$/)
        .refine((extension) => isAudioName(`x${extension}`), 'no extension of audio files that are taken up'),
    ])
    .default('kept'),
  /** Whether files that bear the name of an audio file, with another extension, take its new one. */
  companions: z.boolean().default(true),
});
export type RenameChoices = z.infer<typeof renameChoicesSchema>;

export const newPlanSchema = z.strictObject({
  kind: planKindSchema.exclude(['relocate', 'cut', 'copy', 'shelve', 'setAside', 'delete', 'afterList']),
  selection: selectionSchema,
  batchId: z.number().int().positive().optional(),
  /** Also the other copies of the selected sounds, on whatever drive. */
  allCopies: z.boolean().default(false),
  rename: renameChoicesSchema.prefault({}),
});
export type NewPlan = z.infer<typeof newPlanSchema>;

/** Everything that is selected also below a folder of another drive. */
export const copyPlanSchema = z.strictObject({
  selection: selectionSchema,
  toPath: z.string().min(1).max(4096),
  /** The collection that the folder is of, where it is new; else that of the folder above it. */
  collectionId: z.number().int().positive().optional(),
  /** A template of names by which folders are laid; empty for those in which the files stand. */
  folders: z.string().max(500).default(''),
  /** As the files are called, or after the naming pattern of their collection. */
  names: z.enum(['kept', 'pattern']).default('kept'),
});
export type CopyPlan = z.infer<typeof copyPlanSchema>;

export const plansEndpoints = {
  /** Previews telling Flagstone that the files of a folder stand elsewhere now; see relocationSchema. */
  planRelocation: endpoint('POST', '/relocations', {
    needs: as('librarian', 'place'),
    body: relocationSchema,
    response: planSchema,
  }),
  makePlan: endpoint('POST', '/plans', { needs: as('librarian', 'files'), body: newPlanSchema, response: planSchema }),
  /** Previews copying onto another drive; see copyPlanSchema. */
  planCopies: endpoint('POST', '/copy-plans', {
    needs: as('librarian', 'files'),
    body: copyPlanSchema,
    response: planSchema,
  }),
  /** Previews laying files on the shelves of their collections. */
  planShelving: endpoint('POST', '/shelf-plans', {
    needs: as('librarian', 'files'),
    body: z.strictObject({ selection: selectionSchema, batchId: z.number().int().positive().optional() }),
    response: planSchema,
  }),
  /** Previews clearing files away: into the folder of their drive that is kept for that, or for good where another copy is kept. */
  planClearing: endpoint('POST', '/clearing-plans', {
    needs: as('librarian', 'files'),
    body: z.strictObject({ selection: selectionSchema, way: z.enum(['setAside', 'delete']) }),
    response: planSchema,
  }),
  getPlan: endpoint('GET', '/plans/:id', { needs: as('librarian', 'plan'), params: idParams, response: planSchema }),
  listPlanItems: endpoint('GET', '/plans/:id/items', {
    needs: as('librarian', 'plan'),
    params: idParams,
    query: z.object({
      after: z.coerce.number().int().min(0).default(0),
      limit: z.coerce.number().int().min(1).max(1000).default(300),
    }),
    response: z.object({ items: z.array(planItemSchema), next: z.number().nullable() }),
  }),
  runPlan: endpoint('POST', '/plans/:id/run', {
    needs: as('librarian', 'plan'),
    audit: 'runs a plan',
    params: idParams,
    body: z.strictObject({
      onlyItemId: z.number().int().positive().optional(),
      /** How much of the time it works, in percent; for the rest of it the disk is left to others. */
      share: z.number().int().min(1).max(100).optional(),
    }),
    response: jobSchema,
  }),
  undoPlan: endpoint('POST', '/plans/:id/undo', {
    needs: as('librarian', 'plan'),
    audit: 'undoes a plan',
    params: idParams,
    response: jobSchema,
  }),
};
