import { z } from 'zod';
import { as, endpoint } from './endpoint.ts';
import { filterSchema } from './selection.ts';

/** What the index counts, in the order in which it is shown. */
export const FACETS = [
  'form',
  'channels',
  'length',
  'rate',
  'depth',
  'loudness',
  'rating',
  'library',
  'publisher',
  'creator',
  'licence',
  'container',
  'drive',
] as const;
export type Facet = (typeof FACETS)[number];

/** What a search finds, value by value; each value with the term of the search line that stands for it. */
export const facetsSchema = z.object({
  /** More was found than is counted: the counts are in proportion. */
  isApproximate: z.boolean(),
  facets: z.array(
    z.object({
      facet: z.enum(FACETS),
      values: z.array(z.object({ label: z.string(), term: z.string(), count: z.number() })),
    }),
  ),
});
export type Facets = z.infer<typeof facetsSchema>;

/** Every category with how many sounds it holds. */
export const categoryCountsSchema = z.object({
  isApproximate: z.boolean(),
  categories: z.array(
    z.object({ category: z.string(), subCategory: z.string(), catId: z.string(), count: z.number() }),
  ),
});
export type CategoryCounts = z.infer<typeof categoryCountsSchema>;

/** How much a search finds in all. */
export const hitCountSchema = z.object({
  count: z.number(),
  /** It is in proportion to a sample. */
  isApproximate: z.boolean(),
});
export type HitCount = z.infer<typeof hitCountSchema>;

/** What stands beside the list: its sounds in all, and by category, form, channels, length and so on. */
export const indexCountsSchema = z.object({
  total: hitCountSchema,
  facets: facetsSchema,
  categories: categoryCountsSchema,
});
export type IndexCounts = z.infer<typeof indexCountsSchema>;

/** Which level of the tree of folders: below a drive or folder, `Drive/folder/folder`; the drives themselves when empty. */
export const folderQuerySchema = filterSchema.extend({ below: z.string().max(5000).default('') });

/** The folders of one level with what a search finds in and below each. */
export const folderLevelSchema = z.object({
  isApproximate: z.boolean(),
  /** There are more than are listed. */
  more: z.boolean(),
  folders: z.array(
    z.object({
      name: z.string(),
      /** `Drive/folder/folder`. */
      path: z.string(),
      /** The term of the search line that stands for it. */
      term: z.string(),
      /** Null where a sample met none: few, if any. */
      count: z.number().nullable(),
      /** Whether folders lie in it. */
      isParent: z.boolean(),
    }),
  ),
});
export type FolderLevel = z.infer<typeof folderLevelSchema>;

export const facetsEndpoints = {
  /** What the list holds by category (a chosen one does not narrow them), and by form, channels, length and so on, each value with the term that narrows to it. */
  countIndex: endpoint('GET', '/catalogue/index', {
    needs: as('listener', 'anything'),
    query: filterSchema,
    response: indexCountsSchema,
  }),
  listFolderLevel: endpoint('GET', '/catalogue/folders', {
    needs: as('listener', 'anything'),
    query: folderQuerySchema,
    response: folderLevelSchema,
  }),
};
