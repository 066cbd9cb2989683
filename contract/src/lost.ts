import { z } from 'zod';
import { as, endpoint } from './endpoint.ts';

const placeSchema = z.object({ copyId: z.number(), driveName: z.string(), folder: z.string(), name: z.string() });

/** How sure it is that a file is the lost one: the same audio, or only what is written on it. */
export const confidenceSchema = z.enum(['certain', 'likely', 'possible']);

/** A file that is gone, and the files that may be it, the surest first. */
export const lostSchema = placeSchema.extend({
  soundId: z.number(),
  fxName: z.string(),
  candidates: z.array(placeSchema.extend({ confidence: confidenceSchema, because: z.string() })),
});
export type Lost = z.infer<typeof lostSchema>;

export const lostPageSchema = z.object({
  lost: z.array(lostSchema),
  total: z.number(),
  /** Of all, those whose sound is held by another file that is not gone. */
  certain: z.number(),
  next: z.number().nullable(),
});

/** Which lost files to settle: all that are certain, one with its candidate, or one without. */
export const settleLostSchema = z.discriminatedUnion('what', [
  z.strictObject({ what: z.literal('certain') }),
  z.strictObject({
    what: z.literal('reconnect'),
    lostCopyId: z.number().int().positive(),
    copyId: z.number().int().positive(),
  }),
  z.strictObject({ what: z.literal('clear'), lostCopyId: z.number().int().positive() }),
]);
export type SettleLost = z.infer<typeof settleLostSchema>;

export const lostEndpoints = {
  listLost: endpoint('GET', '/lost', {
    needs: as('librarian', 'anything'),
    query: z.object({ after: z.coerce.number().int().min(0).default(0) }),
    response: lostPageSchema,
  }),
  settleLost: endpoint('POST', '/lost/settle', {
    needs: as('librarian', 'anything'),
    audit: 'settles lost files',
    body: settleLostSchema,
    response: z.object({ settled: z.number() }),
  }),
};
