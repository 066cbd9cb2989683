import { z } from 'zod';
import { as, endpoint, idParams, rawEndpoint } from './endpoint.ts';
import { licenceToldSchema } from './copy-out.ts';
import { frameSchema, partSchema, tryOutSchema } from './listening.ts';
import { soundRowSchema } from './record.ts';
import { selectionSchema } from './selection.ts';

export const pullListSchema = z.object({
  id: z.number(),
  name: z.string(),
  show: z.string(),
  scene: z.string(),
  notes: z.string(),
  person: z.string(),
  entries: z.number(),
});
export type PullList = z.infer<typeof pullListSchema>;

export const pullEntrySchema = z.object({
  id: z.number(),
  row: soundRowSchema,
  part: z.object({ from: frameSchema, to: frameSchema }).nullable(),
  tryOut: tryOutSchema.nullable(),
  comment: z.string(),
  addedBy: z.string(),
});
export type PullEntry = z.infer<typeof pullEntrySchema>;

export const newPullListSchema = z.strictObject({
  name: z.string().trim().min(1).max(200),
  show: z.string().trim().max(200).default(''),
  scene: z.string().trim().max(200).default(''),
  notes: z.string().trim().max(4000).default(''),
});

/** What changes of a list; the rest stays, whoever else changes it now. */
export const pullListChangeSchema = z.strictObject({
  name: z.string().trim().min(1).max(200).optional(),
  show: z.string().trim().max(200).optional(),
  scene: z.string().trim().max(200).optional(),
  notes: z.string().trim().max(4000).optional(),
});

export const newPullEntrySchema = z.strictObject({
  soundId: z.number().int().positive(),
  part: partSchema.nullable().default(null),
  tryOut: tryOutSchema.nullable().default(null),
  comment: z.string().trim().max(2000).default(''),
});

export const pullEntryChangeSchema = z.strictObject({
  comment: z.string().trim().max(2000).optional(),
  tryOut: tryOutSchema.nullable().optional(),
});

/** So many entries are moved or taken off at once. */
const entryIdsSchema = z.array(z.number().int().positive()).min(1).max(2000);

/** Where a sound was used: pulled onto a list where it still stands; delivered, then to whom; or copied out, to a folder or as a ZIP file (then it is empty). */
export const soundUseSchema = z.object({
  at: z.string(),
  person: z.string(),
  list: pullListSchema.pick({ id: true, name: true, show: true, scene: true }).nullable(),
  folder: z.string(),
  /** What the delivery is called and for whom it is; empty for none. */
  delivery: z.string(),
});
/** So many of them are told, the latest. */
export const MOST_USES = 100;
export type SoundUse = z.infer<typeof soundUseSchema>;

export const pullListsEndpoints = {
  /** Where, when and by whom a sound was used, the latest first. */
  listUses: endpoint('GET', '/sounds/:id/uses', {
    needs: as('editor', 'sound'),
    params: idParams,
    response: z.array(soundUseSchema),
  }),
  listPullLists: endpoint('GET', '/pull-lists', { needs: as('editor', 'anything'), response: z.array(pullListSchema) }),
  makePullList: endpoint('POST', '/pull-lists', {
    needs: as('editor', 'anything'),
    body: newPullListSchema,
    response: z.array(pullListSchema),
  }),
  updatePullList: endpoint('PATCH', '/pull-lists/:id', {
    needs: as('editor', 'pullList'),
    params: idParams,
    body: pullListChangeSchema,
    response: z.array(pullListSchema),
  }),
  removePullList: endpoint('DELETE', '/pull-lists/:id', {
    needs: as('editor', 'pullList'),
    audit: 'removes a pull list',
    params: idParams,
    response: z.array(pullListSchema),
  }),
  listPullEntries: endpoint('GET', '/pull-lists/:id/entries', {
    needs: as('editor', 'pullList'),
    params: idParams,
    response: z.array(pullEntrySchema),
  }),
  /** What the licences of its sounds forbid or ask for, those of most sounds first. */
  listPullLicences: endpoint('GET', '/pull-lists/:id/licences', {
    needs: as('editor', 'pullList'),
    params: idParams,
    response: z.array(licenceToldSchema),
  }),
  addPullEntry: endpoint('POST', '/pull-lists/:id/entries', {
    needs: as('editor', 'pullList'),
    params: idParams,
    body: newPullEntrySchema,
    response: z.array(pullEntrySchema),
  }),
  /** All sounds of a selection, whole, at the end of a list. */
  addPullSounds: endpoint('POST', '/pull-lists/:id/sounds', {
    needs: as('editor', 'pullList'),
    params: idParams,
    body: z.strictObject({ selection: selectionSchema }),
    response: z.object({ added: z.number() }),
  }),
  /** Takes entries, of this list and of others, into this one: in their order, before one of its entries that is not among them, or to its end (null). */
  takePullEntries: endpoint('POST', '/pull-lists/:id/take', {
    needs: as('editor', 'pullList'),
    params: idParams,
    body: z.strictObject({
      entryIds: entryIdsSchema,
      before: z.number().int().positive().nullable().default(null),
    }),
    response: z.array(pullEntrySchema),
  }),
  /** Takes entries off a list; those that stand in another one by now stay there. */
  removePullEntries: endpoint('POST', '/pull-lists/:id/take-off', {
    needs: as('editor', 'pullList'),
    params: idParams,
    body: z.strictObject({ entryIds: entryIdsSchema }),
    response: z.array(pullEntrySchema),
  }),
  updatePullEntry: endpoint('PATCH', '/pull-entries/:id', {
    needs: as('editor', 'pullEntry'),
    params: idParams,
    body: pullEntryChangeSchema,
    response: z.array(pullEntrySchema),
  }),
};

export const pullListsRawEndpoints = {
  exportPullEntry: rawEndpoint('GET', '/pull-entries/:id/export', {
    needs: as('editor', 'pullEntry'),
    params: idParams,
  }),
  /** To be printed: shown by the browser, which prints it. */
  getPullListReport: rawEndpoint('GET', '/pull-lists/:id/report', {
    needs: as('editor', 'pullList'),
    params: idParams,
  }),
};
