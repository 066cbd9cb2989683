import { FIELD_NAMES } from '@flagstone/core/record/fields';
import { z } from 'zod';

/** A field of a record as an assistant would have it, until a librarian decides. */
export const proposalSchema = z.object({
  id: z.number(),
  personId: z.number(),
  person: z.string(),
  field: z.enum(FIELD_NAMES),
  /** What the record said when it was proposed. */
  before: z.unknown(),
  value: z.unknown(),
  at: z.string(),
});
export type Proposal = z.infer<typeof proposalSchema>;
