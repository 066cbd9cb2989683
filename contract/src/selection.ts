import { FIELD_NAMES } from '@flagstone/core/record/fields';
import { z } from 'zod';

const id = z.number().int().positive();

/** Which columns a list can be sorted by; the direction stands apart. */
export const sortKeySchema = z.enum([
  'name',
  'folder',
  'catId',
  'fxName',
  'description',
  'keywords',
  'state',
  'library',
  'creatorId',
  'sourceId',
  'length',
  'channels',
  'sampleRate',
  'bitDepth',
  'added',
  'loudness',
]);
export type SortKey = z.infer<typeof sortKeySchema>;

/** From a number up to another, either left out: `2..10`, `..-30`. */
const rangeSchema = z
  .string()
  .max(50)
  .regex(/^(-?\d+(\.\d+)?)?\.\.(-?\d+(\.\d+)?)?$/)
  .or(z.literal(''))
  .default('');

/** What the reading of a folder found a file to be. */
export const FOUND = ['new', 'moved', 'changedOutside', 'alreadyHeld', 'same'] as const;

/**
 * What narrows a list: words; collections; a category, a subcategory; a field whose places in the file do not say the same; a field without a value; the state
 * of a copy; lengths in seconds; loudness in LUFS; what reading found (batches only). Numbers and booleans arrive as text in a query string.
 */
export const filterSchema = z.object({
  q: z.string().max(10_000).default(''),
  /** Numbers of collections, any of which holds the sound: `2,5`. Empty for all that are not retired. */
  collection: z
    .string()
    .max(200)
    .regex(/^\d{1,9}(,\d{1,9})*$/)
    .or(z.literal(''))
    .default(''),
  category: z.string().max(200).default(''),
  catId: z.string().max(50).default(''),
  disagrees: z.enum(['', ...FIELD_NAMES]).default(''),
  missing: z.enum(['', ...FIELD_NAMES]).default(''),
  state: z.enum(['', 'behind', 'ahead', 'split', 'gone', 'notInStep']).default(''),
  length: rangeSchema,
  loudness: rangeSchema,
  found: z.enum(['', ...FOUND]).default(''),
  /** Sounds that were read for the first time since then. */
  since: z.iso.datetime().or(z.literal('')).default(''),
});
export type ListFilter = z.infer<typeof filterSchema>;

export const listQuerySchema = filterSchema.extend({
  sort: sortKeySchema.default('name'),
  direction: z.enum(['asc', 'desc']).default('asc'),
  after: z.string().max(4000).optional(),
  limit: z.coerce.number().int().min(1).max(500).default(200),
});
export type ListQuery = z.infer<typeof listQuerySchema>;

/** Rows to act upon: by hand, or everything that a list shows, so that “all” never sends a list of ids. */
export const selectionSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('copies'), copyIds: z.array(id).min(1).max(100_000) }),
  z.strictObject({ kind: z.literal('batch'), batchId: id, filter: filterSchema.optional() }),
  z.strictObject({ kind: z.literal('catalogue'), filter: filterSchema }),
]);
export type Selection = z.infer<typeof selectionSchema>;
