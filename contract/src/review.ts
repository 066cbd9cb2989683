import { z } from 'zod';
import { as, endpoint } from './endpoint.ts';
import { proposalSchema } from './proposal.ts';
import { asOfSchema, editConflictSchema } from './record.ts';

export const DECISIONS = ['accepted', 'returned'] as const;

/** A proposal in the queue, with the sound that it is of. */
export const queuedProposalSchema = proposalSchema.extend({
  soundId: z.number(),
  copyId: z.number(),
  /** Of its first file. */
  name: z.string(),
  durationSeconds: z.number(),
  /** What the record says now. */
  now: z.unknown(),
  /** The record's now. */
  revision: z.number(),
  /** Whether whoever asks may decide it: it is no proposal of a collection in which they only propose. */
  mayDecide: z.boolean(),
});
export type QueuedProposal = z.infer<typeof queuedProposalSchema>;

/** What became of somebody's proposals. */
export const proposerSchema = z.object({
  personId: z.number(),
  person: z.string(),
  waiting: z.number(),
  accepted: z.number(),
  returned: z.number(),
});
export type Proposer = z.infer<typeof proposerSchema>;

/** A proposal that came back to whoever made it, with the remark of whoever returned it. */
export const returnedProposalSchema = proposalSchema.extend({
  soundId: z.number(),
  name: z.string(),
  remark: z.string(),
  decidedBy: z.string(),
  decidedAt: z.string(),
});
export type ReturnedProposal = z.infer<typeof returnedProposalSchema>;

const ids = z.array(z.number().int().positive()).min(1).max(500);

export const reviewEndpoints = {
  /** The oldest first: all that wait in collections of which whoever asks is a librarian, and their own. */
  listProposals: endpoint('GET', '/review', {
    needs: as('assistant', 'anything'),
    query: z.object({
      personId: z.coerce.number().int().positive().optional(),
      /** The last one of the page before. */
      after: z.coerce.number().int().nonnegative().default(0),
    }),
    response: z.object({
      proposals: z.array(queuedProposalSchema),
      next: z.number().nullable(),
      returned: z.array(returnedProposalSchema),
    }),
  }),
  /** What became of everybody's proposals that whoever asks may decide, and of their own. */
  countProposals: endpoint('GET', '/review/figures', {
    needs: as('assistant', 'anything'),
    response: z.array(proposerSchema),
  }),
  /** Accepted proposals become a change of their records, as one; returned ones go back with the remark. Those that are decided already stay as they are. */
  decideProposals: endpoint('POST', '/review/decide', {
    needs: as('librarian', 'proposals'),
    /** `asOf`: what the records said to whoever decides, as for every edit. */
    body: z.strictObject({
      ids,
      decision: z.enum(DECISIONS),
      remark: z.string().trim().max(2000).default(''),
      asOf: asOfSchema.optional(),
    }),
    response: z.object({
      decided: z.number(),
      /** Decided or taken back already. */
      gone: z.number(),
      /** What somebody else made of the fields of accepted proposals since: these wait on, with all that was accepted of the same sound. */
      conflicts: z.array(editConflictSchema),
    }),
  }),
  /** Takes back proposals of one's own that still wait, or puts returned ones away. */
  withdrawProposals: endpoint('POST', '/review/withdraw', {
    needs: as('assistant', 'anything'),
    body: z.strictObject({ ids }),
    response: z.object({ withdrawn: z.number() }),
  }),
};
