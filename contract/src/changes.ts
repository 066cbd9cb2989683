import { z } from 'zod';
import { as, endpoint, idParams } from './endpoint.ts';
import { jobSchema } from './jobs.ts';

export const changeSchema = z.object({
  changeId: z.number().nullable(),
  changed: z.number(),
  /** Records of which it waits for review: they say what they said. */
  proposed: z.number().default(0),
  /** Of an undoing: records that kept what was changed in them since. */
  kept: z.number().default(0),
  /** Records that somebody else changed in the same field since the edit was decided; they are as they left them. */
  leftOut: z.number().default(0),
  summary: z.string(),
});
export type ChangeResult = z.infer<typeof changeSchema>;

/** What undoing did; `asks` instead, when it would touch files: it is done when the plan is named. */
const undoAnswerSchema = z.object({
  summary: z.string(),
  job: jobSchema.nullable(),
  asks: z.object({ planId: z.number(), title: z.string() }).nullable(),
});
export type UndoAnswer = z.infer<typeof undoAnswerSchema>;

export const changesEndpoints = {
  undoLast: endpoint('POST', '/undo', {
    needs: 'asker',
    body: z.strictObject({ planId: z.number().int().positive().optional() }).optional(),
    response: undoAnswerSchema,
  }),
  /** Does again what the person undid last, unless they changed something since. */
  redoLast: endpoint('POST', '/redo', { needs: 'asker', response: z.object({ summary: z.string() }) }),
  undoChange: endpoint('POST', '/changes/:id/undo', {
    needs: as('assistant', 'change'),
    params: idParams,
    response: changeSchema,
  }),
};
