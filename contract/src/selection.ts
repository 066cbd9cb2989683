import { COPY_STATE_NAMES } from '@flagstone/core/record/copy-states';
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
  'rating',
  /** How often it was put in a pull list or copied out. */
  'uses',
  /** What answers the words of the search line best. */
  'relevance',
  /** At random, by a seed. */
  'shuffle',
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
 * of a copy, where it lies; lengths in seconds; loudness in LUFS; what reading found (batches only). Numbers and booleans arrive as text in a query string.
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
  /** Words that stand beside words of `q`: `lorry~truck,lorry~farm vehicle`. */
  also: z.string().max(2000).default(''),
  category: z.string().max(200).default(''),
  catId: z.string().max(50).default(''),
  disagrees: z.enum(['', ...FIELD_NAMES]).default(''),
  missing: z.enum(['', ...FIELD_NAMES]).default(''),
  state: z.enum(['', ...COPY_STATE_NAMES, 'notInStep', 'unproved', 'damaged', 'alone']).default(''),
  /** The drive, and the number of the folder that was read, of the very copy that is in that state. */
  drive: z.uuid().or(z.literal('')).default(''),
  readFolder: z
    .string()
    .regex(/^[1-9]\d{0,8}$/)
    .or(z.literal(''))
    .default(''),
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
  /** Further keys, for what is the same in the ones before: `library,-length`, the minus for the other way round. */
  then: z
    .string()
    .max(200)
    .refine(
      (text) => keysIn(text).every(({ key }) => sortKeySchema.safeParse(key).success),
      'names no column of the list',
    )
    .default(''),
  /** Of the order at random: the same seed gives the same order. */
  seed: z.coerce.number().int().min(0).max(1_000_000_000).default(0),
  after: z.string().max(4000).optional(),
  /** Whether the first page says how much there is in all; `free`: only of few, which it has to look at anyway. */
  count: z.enum(['always', 'free']).default('always'),
  limit: z.coerce.number().int().min(1).max(500).default(200),
});
export type ListQuery = z.infer<typeof listQuerySchema>;
/** How a list is sorted, without what narrows it. */
export const listOrderSchema = listQuerySchema.pick({ sort: true, direction: true, then: true, seed: true });
export type ListOrder = z.infer<typeof listOrderSchema>;
/** The keys of a list in their order, each once. What is relevant stands first by itself. */
export function sortKeysOf({ sort, direction, then }: Pick<ListQuery, 'sort' | 'direction' | 'then'>): SortedBy[] {
  const first = { key: sort, descending: (sort === 'relevance') !== (direction === 'desc') };
  const keys = [first, ...keysIn(then).map(({ key, descending }) => ({ key: sortKeySchema.parse(key), descending }))];
  return keys.filter(({ key }, index) => keys.findIndex((other) => other.key === key) === index);
}

interface SortedBy {
  key: SortKey;
  descending: boolean;
}

function keysIn(then: string): { key: string; descending: boolean }[] {
  const parts = then === '' ? [] : then.split(',');
  return parts.map((part) => ({ key: part.replace(/^-/, ''), descending: part.startsWith('-') }));
}

/** Rows to act upon: by hand, or everything that a list shows, so that “all” never sends a list of ids. */
export const selectionSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('copies'), copyIds: z.array(id).min(1).max(100_000) }),
  z.strictObject({ kind: z.literal('batch'), batchId: id, filter: filterSchema.optional() }),
  z.strictObject({ kind: z.literal('catalogue'), filter: filterSchema }),
]);
export type Selection = z.infer<typeof selectionSchema>;
