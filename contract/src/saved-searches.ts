import { z } from 'zod';
import { as, endpoint, idParams } from './endpoint.ts';

/** What the address bar says of a search: `q`, `category`, `sort` and so on. */
const searchQuerySchema = z.record(z.string().regex(/^[a-zA-Z]{1,20}$/), z.string().max(10_000));

export const newSavedSearchSchema = z.strictObject({
  name: z.string().trim().min(1).max(80),
  query: searchQuerySchema,
  shared: z.boolean().default(false),
});

export const savedSearchSchema = z.object({
  id: z.number(),
  name: z.string(),
  query: searchQuerySchema,
  shared: z.boolean(),
  own: z.boolean(),
  person: z.string(),
  /** How many sounds it finds now. */
  count: z.number(),
  isApproximate: z.boolean(),
  /** How many of them came since the person who asks last looked. */
  arrived: z.number(),
});
export type SavedSearch = z.infer<typeof savedSearchSchema>;

export const savedSearchesEndpoints = {
  listSavedSearches: endpoint('GET', '/saved-searches', {
    needs: as('listener', 'anything'),
    response: z.array(savedSearchSchema),
  }),
  saveSearch: endpoint('POST', '/saved-searches', {
    needs: as('listener', 'anything'),
    body: newSavedSearchSchema,
    response: z.array(savedSearchSchema),
  }),
  removeSavedSearch: endpoint('DELETE', '/saved-searches/:id', {
    needs: as('listener', 'anything'),
    params: idParams,
    response: z.array(savedSearchSchema),
  }),
  visitSavedSearch: endpoint('POST', '/saved-searches/:id/visit', {
    needs: as('listener', 'anything'),
    params: idParams,
    response: z.array(savedSearchSchema),
  }),
};
