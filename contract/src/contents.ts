import { FIELD_NAMES } from '@flagstone/core/record/fields';
import { z } from 'zod';
import { as, endpoint, idParams } from './endpoint.ts';
import { issueSchema } from './record.ts';
import { selectionSchema } from './selection.ts';

const fieldSchema = z.enum(FIELD_NAMES);

/** One place of one field in a file; of each field one place counts, the others say the same or differ. */
export const placeSchema = z.object({
  field: fieldSchema,
  place: z.string(),
  value: z.union([z.string(), z.number(), z.array(z.string())]),
  offsetBytes: z.number(),
  encoding: z.string().optional(),
  standing: z.enum(['counts', 'agrees', 'differs']),
});
export type PlaceDetail = z.infer<typeof placeSchema>;

export const blockSchema = z.object({
  id: z.string(),
  what: z.string(),
  offsetBytes: z.number(),
  sizeBytes: z.number(),
  kind: z.enum(['structure', 'metadata', 'audio', 'padding', 'unknown']),
  details: z.array(z.object({ name: z.string(), value: z.string() })),
  hex: z.string().optional(),
});
export type BlockDetail = z.infer<typeof blockSchema>;

/** Everything that stands in the file of a copy, read when it is asked for. */
export const contentsSchema = z.object({
  copyId: z.number(),
  name: z.string(),
  container: z.string(),
  sizeBytes: z.number(),
  blocks: z.array(blockSchema),
  places: z.array(placeSchema),
  issues: z.array(issueSchema),
});
export type FileContents = z.infer<typeof contentsSchema>;

export const disagreementsQuerySchema = z.strictObject({ selection: selectionSchema });
/** How many files of a selection say different things in different places, and in which fields. */
export const disagreementsSchema = z.object({
  files: z.number(),
  disagreeing: z.number(),
  fields: z.array(z.object({ field: fieldSchema, files: z.number() })),
});
export type Disagreements = z.infer<typeof disagreementsSchema>;

/** A field in which a record and a file differ, with what both last agreed on, and who made the record say what it says. */
export const fieldThreeWaysSchema = z.object({
  field: fieldSchema,
  base: z.unknown(),
  record: z.unknown(),
  file: z.unknown(),
  /** Who changed it since. */
  standing: z.enum(['record', 'file', 'both']),
  /** What follows by itself; left out where somebody has to choose. */
  merged: z.unknown().optional(),
  /** Of the record's last change of the field since. */
  changedBy: z.object({ person: z.string(), at: z.string() }).nullable(),
});
export type FieldThreeWaysSeen = z.infer<typeof fieldThreeWaysSchema>;

export const threeWaysSchema = z.object({
  copyId: z.number(),
  soundId: z.number(),
  /** The record's, of which the comparison speaks. */
  revision: z.number(),
  /** The revision that the file carried when both last agreed; null where they never did. */
  agreedRevision: z.number().nullable(),
  /** The file is as it was when it was last read; what it says may be older than what stands in it by now. */
  indexedAt: z.string(),
  fields: z.array(fieldThreeWaysSchema),
  /** What else the file says, by place, which no field takes; null when it was last read before that was kept. */
  otherTexts: z.array(z.object({ place: z.string(), text: z.string() })).nullable(),
});
export type ThreeWays = z.infer<typeof threeWaysSchema>;

export const contentsEndpoints = {
  getContents: endpoint('GET', '/copies/:id/contents', {
    needs: as('listener', 'copy'),
    params: idParams,
    response: contentsSchema,
  }),
  /** The record, the file as it was last read, and what both last agreed on, field by field. */
  getThreeWays: endpoint('GET', '/copies/:id/three-ways', {
    needs: as('listener', 'copy'),
    params: idParams,
    response: threeWaysSchema,
  }),
  countDisagreements: endpoint('POST', '/disagreements', {
    needs: as('listener', 'selection'),
    body: disagreementsQuerySchema,
    response: disagreementsSchema,
  }),
  /** What only the file itself says: where it stands in time, in samples since midnight. */
  getFileTime: endpoint('GET', '/sounds/:id/file-time', {
    needs: as('listener', 'sound'),
    params: idParams,
    response: z.object({ timeReference: z.number().nullable() }),
  }),
};
