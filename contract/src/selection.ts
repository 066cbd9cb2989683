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
]);
export type SortKey = z.infer<typeof sortKeySchema>;

/** What narrows a list: words, a category, a subcategory, a field whose places in the file do not say the same. Numbers and booleans arrive as text in a query string. */
export const filterSchema = z.object({
  q: z.string().max(10_000).default(''),
  category: z.string().max(200).default(''),
  catId: z.string().max(50).default(''),
  disagrees: z.enum(['', ...FIELD_NAMES]).default(''),
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
