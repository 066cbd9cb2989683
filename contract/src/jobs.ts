import { z } from 'zod';
import { as, endpoint, rawEndpoint } from './endpoint.ts';
import { presenceSchema } from './presence.ts';

export const jobKindSchema = z.enum([
  'index',
  'rename',
  'write',
  'relocate',
  'cut',
  'undo',
  'measure',
  'copyOut',
  'deliver',
  'arrive',
  'sheet',
  'prove',
  'restore',
  'copy',
  'shelve',
  'setAside',
  'delete',
  'backup',
  'afterList',
]);
export type JobKind = z.infer<typeof jobKindSchema>;

export const jobStateSchema = z.enum(['waiting', 'running', 'paused', 'done', 'failed', 'cancelled']);
export type JobState = z.infer<typeof jobStateSchema>;
export const jobAskedSchema = z.enum(['pause', 'cancel']);
export type JobAsked = z.infer<typeof jobAskedSchema>;

export const jobSchema = z.object({
  id: z.string(),
  kind: jobKindSchema,
  title: z.string(),
  state: jobStateSchema,
  /** Items in all; null while they are still being counted. */
  total: z.number().nullable(),
  done: z.number(),
  failed: z.number(),
  /** What the job worked on: a batch or a plan. */
  batchId: z.number().nullable(),
  planId: z.number().nullable(),
  /** Whoever asked for it. */
  personId: z.number(),
  /** Whose files it works on; empty for a job that only administrators and whoever asked for it see. */
  collectionIds: z.array(z.number()),
  /** The drive that a waiting job needs and that is away. */
  awaitsDrive: z.string().nullable(),
  result: z.record(z.string(), z.number()),
  /** Failed items by the code of their error: how many, and the first of them with what was wrong. */
  failures: z.array(
    z.object({ code: z.string(), count: z.number(), examples: z.array(z.string()), remedy: z.string() }),
  ),
  /** What a running job was asked for and will do soon. */
  asked: jobAskedSchema.nullable(),
  error: z.object({ code: z.string(), message: z.string(), remedy: z.string() }).nullable(),
  createdAt: z.string(),
  /** When it was last taken up; null while it waits for the first time. */
  startedAt: z.string().nullable(),
  finishedAt: z.string().nullable(),
});
export type Job = z.infer<typeof jobSchema>;

/** What travels by server-sent events. */
export const liveEventSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('job'), job: jobSchema }),
  /** `measured`: what was measured of the sounds is known now; their records say what they said. */
  z.object({ type: z.literal('records'), soundIds: z.array(z.number()), measured: z.boolean().optional() }),
  /** Another category list is in force. */
  z.object({ type: z.literal('categories') }),
  /** A pull list was made, changed or removed. */
  z.object({ type: z.literal('pullLists') }),
  /** Somebody came, left, or may do other things than before; sessions or tokens ended. */
  z.object({ type: z.literal('people') }),
  /** Somebody came, went, or has something else open. */
  z.object({ type: z.literal('presence'), presence: presenceSchema, isHere: z.boolean() }),
  /** Events were lost: everything that is on show is to be asked for again. */
  z.object({ type: z.literal('missed') }),
]);
export type LiveEvent = z.infer<typeof liveEventSchema>;

const jobParams = z.object({ id: z.uuid() });

export const jobsEndpoints = {
  listJobs: endpoint('GET', '/jobs', { needs: 'asker', response: z.array(jobSchema) }),
  cancelJob: endpoint('POST', '/jobs/:id/cancel', {
    needs: as('librarian', 'job'),
    params: jobParams,
    response: jobSchema,
  }),
  pauseJob: endpoint('POST', '/jobs/:id/pause', {
    needs: as('librarian', 'job'),
    params: jobParams,
    response: jobSchema,
  }),
  /** Lets a paused job go on, and one that ended try again what failed. */
  resumeJob: endpoint('POST', '/jobs/:id/resume', {
    needs: as('librarian', 'job'),
    params: jobParams,
    response: jobSchema,
  }),
};

export const jobsRawEndpoints = {
  /** Live events, as server-sent events. A page that names itself by a number of its own is here while it listens. */
  followEvents: rawEndpoint('GET', '/events', { needs: 'asker', query: z.object({ page: z.uuid().optional() }) }),
};
