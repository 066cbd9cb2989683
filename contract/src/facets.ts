import { z } from 'zod';

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
