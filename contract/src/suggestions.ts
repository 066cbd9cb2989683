import { SUGGESTED_FIELDS } from '@flagstone/core/suggest/suggest-record';
import { z } from 'zod';
import { changeSchema } from './changes.ts';
import { as, endpoint } from './endpoint.ts';
import { selectionSchema } from './selection.ts';

export const suggestionSchema = z.object({
  catId: z.string(),
  category: z.string(),
  subCategory: z.string(),
  score: z.number(),
  because: z.array(z.string()),
});

export const suggestionsEndpoints = {
  suggest: endpoint('POST', '/suggestions', {
    needs: as('assistant', 'copies'),
    body: z.strictObject({ copyIds: z.array(z.number().int().positive()).min(1).max(1000) }),
    response: z.array(z.object({ copyId: z.number(), suggestions: z.array(suggestionSchema) })),
  }),
  acceptSuggestions: endpoint('POST', '/suggestions/accept', {
    needs: as('assistant', 'selection'),
    body: z.strictObject({
      selection: selectionSchema,
      minimumScore: z.number().min(0).max(1),
      fields: z.array(z.enum(SUGGESTED_FIELDS)).min(1).default(['catId', 'fxName']),
    }),
    response: changeSchema,
  }),
};
