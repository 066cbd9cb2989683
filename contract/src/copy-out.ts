import { z } from 'zod';
import { as, endpoint, rawEndpoint } from './endpoint.ts';
import { jobSchema } from './jobs.ts';
import { selectionSchema } from './selection.ts';

/** Files to be copied out: those of sounds, whole or cut at their slices, or what stands in a pull list, parts and try-outs as they are. */
export const copyOutSchema = z.strictObject({
  what: z.discriminatedUnion('kind', [
    z.strictObject({ kind: z.literal('sounds'), selection: selectionSchema, cut: z.enum(['whole', 'slices']) }),
    z.strictObject({ kind: z.literal('list'), listId: z.number().int().positive() }),
  ]),
  /** Into the same folders as on the drives; else all side by side. */
  tree: z.boolean(),
  /** Each record is written into its copy; the files stay as they are. */
  withRecord: z.boolean().default(false),
});
export type CopyOut = z.infer<typeof copyOutSchema>;

export const copyOutToFolderSchema = copyOutSchema.extend({ folder: z.string().min(1).max(4096) });

/** What a licence forbids or asks for, and of how many sounds; an empty name for those of which none is known. */
export const licenceToldSchema = z.object({ licence: z.string(), sounds: z.number(), says: z.array(z.string()) });
export type LicenceTold = z.infer<typeof licenceToldSchema>;

/** How much would be copied out. */
export const copyOutSizeSchema = z.object({
  files: z.number(),
  /** Of whole files; parts and try-outs are not known before they are made. */
  bytes: z.number(),
  /** Files that were not there when their folders were last read; left out, and named in a list. */
  gone: z.number(),
  /** Files that do not say what their records say now: they go out as they are. */
  behind: z.number(),
  /** What the licences of these sounds forbid or ask for, and of how many none is known (an empty name); the most frequent first. */
  licences: z.array(licenceToldSchema),
  /** By which the ZIP file is fetched, once. */
  ticket: z.string(),
});

export type CopyOutSize = z.infer<typeof copyOutSizeSchema>;

export const copyOutEndpoints = {
  /** Copies nothing yet: says how much it would be. */
  prepareCopyOut: endpoint('POST', '/copy-out', {
    needs: as('editor', 'copyOut'),
    body: copyOutSchema,
    response: copyOutSizeSchema,
  }),
  copyOutToFolder: endpoint('POST', '/copy-out/folder', {
    needs: as('editor', 'copyOut'),
    audit: 'copies sounds out',
    body: copyOutToFolderSchema,
    response: jobSchema,
  }),
};

export const copyOutRawEndpoints = {
  downloadZip: rawEndpoint('GET', '/copy-out/:ticket', {
    needs: as('editor', 'anything'),
    audit: 'takes a ZIP file',
    params: z.object({ ticket: z.uuid() }),
  }),
};
