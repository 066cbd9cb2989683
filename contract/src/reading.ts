import { RELATION_KINDS } from '@flagstone/core/words/thesaurus';
import { z } from 'zod';
import { as, endpoint, idParams } from './endpoint.ts';
import { filterSchema } from './selection.ts';

const word = z
  .string()
  .trim()
  .toLowerCase()
  .min(2)
  .max(60)
  .regex(/^[\p{L}\p{N}' ]+$/u, 'is no word or phrase');

/** A word of the search line: how many sounds have it, what is searched for instead, and related words that occur. */
const wordReadingSchema = z.object({
  text: z.string(),
  at: z.number(),
  length: z.number(),
  sounds: z.number(),
  instead: z.string().nullable(),
  related: z.array(z.object({ word: z.string(), kind: z.enum(RELATION_KINDS), sounds: z.number() })),
});
export type WordReading = z.infer<typeof wordReadingSchema>;

export const queryReadingSchema = z.object({
  /** The line with misspelt words put right; null when nothing is. */
  corrected: z.string().nullable(),
  words: z.array(wordReadingSchema),
});
export type QueryReading = z.infer<typeof queryReadingSchema>;

/** A value that the field at the end of a search line could be asked for. */
export const completionSchema = z.object({
  label: z.string(),
  term: z.string(),
  count: z.number(),
  /** Counted in a sample. */
  isApproximate: z.boolean(),
  /** The whole line with it. */
  line: z.string(),
});
export type Completion = z.infer<typeof completionSchema>;

/** A relation that somebody adds, or (`hidden`) takes away from those that are there. */
export const newRelationSchema = z.strictObject({
  word,
  related: word,
  kind: z.enum(RELATION_KINDS),
  hidden: z.boolean().default(false),
});
export const relationSchema = z.object({
  id: z.number(),
  word: z.string(),
  related: z.string(),
  kind: z.enum(RELATION_KINDS),
  hidden: z.boolean(),
  person: z.string(),
});
export type WordRelation = z.infer<typeof relationSchema>;

export const readingEndpoints = {
  completeQuery: endpoint('GET', '/catalogue/completions', {
    needs: as('listener', 'anything'),
    query: filterSchema,
    response: z.array(completionSchema),
  }),
  /** What the words of a search line mean for this collection: slips put right, related words that occur. */
  readQuery: endpoint('GET', '/catalogue/reading', {
    needs: as('listener', 'anything'),
    query: filterSchema.pick({ q: true }),
    response: queryReadingSchema,
  }),
  listRelations: endpoint('GET', '/relations', {
    needs: as('listener', 'anything'),
    response: z.array(relationSchema),
  }),
  saveRelation: endpoint('POST', '/relations', {
    needs: as('librarian', 'anything'),
    body: newRelationSchema,
    response: z.array(relationSchema),
  }),
  removeRelation: endpoint('DELETE', '/relations/:id', {
    needs: as('librarian', 'anything'),
    params: idParams,
    response: z.array(relationSchema),
  }),
};
