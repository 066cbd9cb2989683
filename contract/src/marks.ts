import { z } from 'zod';
import { as, endpoint } from './endpoint.ts';
import { selectionSchema } from './selection.ts';

const tag = z.string().trim().toLowerCase().min(1).max(40);

/** What one person thinks of a sound. */
export const soundMarkSchema = z.object({
  personId: z.number(),
  person: z.string(),
  rating: z.number().nullable(),
  favourite: z.boolean(),
  tags: z.array(z.string()),
  note: z.string(),
});
export type SoundMark = z.infer<typeof soundMarkSchema>;

/** What somebody says of sounds; what is left out stays. A rating of null takes it away. */
export const markSchema = z.strictObject({
  selection: selectionSchema,
  rating: z.number().int().min(1).max(5).nullable().optional(),
  favourite: z.boolean().optional(),
  addTags: z.array(tag).max(20).optional(),
  removeTags: z.array(tag).max(20).optional(),
  note: z.string().trim().max(4000).optional(),
});
export type MarkInput = z.infer<typeof markSchema>;

export const marksEndpoints = {
  /** Ratings, favourites, tags and notes of the person who asks. */
  markSounds: endpoint('POST', '/marks', {
    needs: as('listener', 'selection'),
    body: markSchema,
    response: z.object({ sounds: z.number() }),
  }),
};
