import { z } from 'zod';
import { endpoint } from './endpoint.ts';

const id = z.number().int().positive();
/** What somebody has open: a batch, a sound, both or neither. */
export const whereaboutsSchema = z.object({ batchId: id.nullable(), soundId: id.nullable() });
export type Whereabouts = z.infer<typeof whereaboutsSchema>;

/** A page that somebody has open, by the number that it gave itself, and what is open on it. */
export const presenceSchema = whereaboutsSchema.extend({ page: z.uuid(), personId: z.number() });
export type Presence = z.infer<typeof presenceSchema>;

export const presenceEndpoints = {
  /** Who is here; what they have open is told of what whoever asks sees. */
  listPresence: endpoint('GET', '/presence', { needs: 'asker', response: z.array(presenceSchema) }),
  /** Says what is open on a page of one's own, whose stream of events is open. */
  tellWhereabouts: endpoint('POST', '/presence', {
    needs: 'asker',
    body: whereaboutsSchema.extend({ page: z.uuid() }),
    response: z.object({}),
  }),
};
