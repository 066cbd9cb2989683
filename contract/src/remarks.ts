import { z } from 'zod';
import { as, endpoint, idParams } from './endpoint.ts';

/** A remark has at most so many letters. */
export const MOST_REMARK_LETTERS = 4000;
export const REMARKS_AT_ONCE = 50;

/** Somebody whom a remark names, and whether they have settled it. */
export const mentionedSchema = z.object({ personId: z.number(), name: z.string(), isDone: z.boolean() });

/** What somebody says about a sound to those who see it. */
export const remarkSchema = z.object({
  id: z.number(),
  soundId: z.number(),
  personId: z.number(),
  person: z.string(),
  text: z.string(),
  at: z.string(),
  mentioned: z.array(mentionedSchema),
});
export type Remark = z.infer<typeof remarkSchema>;

/** A remark that names whoever asks and waits for them, with its sound. */
export const waitingRemarkSchema = remarkSchema.extend({
  /** Of the sound's first file. */
  name: z.string(),
  durationSeconds: z.number(),
});
export type WaitingRemark = z.infer<typeof waitingRemarkSchema>;

/** What waits for whoever asks. Numbers are at most `MOST_COUNTED`. */
export const waitingSchema = z.object({
  /** The oldest first. */
  remarks: z.array(waitingRemarkSchema),
  counts: z.object({
    remarks: z.number(),
    /** Proposals of theirs that came back. */
    returned: z.number(),
    /** Proposals of others that they may decide. */
    toReview: z.number(),
  }),
});
export type Waiting = z.infer<typeof waitingSchema>;
export const MOST_COUNTED = 1000;

export const remarksEndpoints = {
  /** The newest first, those before one that is named. */
  listRemarks: endpoint('GET', '/sounds/:id/remarks', {
    needs: as('listener', 'sound'),
    params: idParams,
    query: z.object({ before: z.coerce.number().int().positive().optional() }),
    response: z.object({ remarks: z.array(remarkSchema), next: z.number().nullable() }),
  }),
  /** `unseen`: people who are named and do not see the sound, so that it waits for them in vain. */
  addRemark: endpoint('POST', '/sounds/:id/remarks', {
    needs: as('editor', 'sound'),
    params: idParams,
    body: z.strictObject({ text: z.string().trim().min(1).max(MOST_REMARK_LETTERS) }),
    response: z.object({ remark: remarkSchema, unseen: z.array(z.string()) }),
  }),
  /** Takes away a remark of one's own. */
  removeRemark: endpoint('DELETE', '/remarks/:id', {
    needs: as('editor', 'anything'),
    params: idParams,
    response: z.object({}),
  }),
  /** Settles a remark that names whoever asks, or has it wait for them again. */
  settleRemark: endpoint('POST', '/remarks/:id/settle', {
    needs: 'asker',
    params: idParams,
    body: z.strictObject({ isDone: z.boolean() }),
    response: z.object({}),
  }),
  listWaiting: endpoint('GET', '/waiting', { needs: 'asker', response: waitingSchema }),
};
