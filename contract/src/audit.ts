import { z } from 'zod';
import { endpoint, rawEndpoint } from './endpoint.ts';

export const auditEntrySchema = z.object({
  id: z.number(),
  happenedAt: z.string(),
  /** Empty where nobody was signed in, and at the shell. */
  person: z.string(),
  /** In a few words: “signed in”, “runs a plan”. */
  what: z.string(),
  about: z.string(),
  address: z.string(),
  refused: z.boolean(),
});
export type AuditEntry = z.infer<typeof auditEntrySchema>;

const filter = {
  what: z.string().max(100).default(''),
  person: z.string().max(80).default(''),
  /** A day in UTC, YYYY-MM-DD; the first and the last that is shown. */
  from: z.union([z.literal(''), z.iso.date()]).default(''),
  to: z.union([z.literal(''), z.iso.date()]).default(''),
  refused: z.enum(['', 'only']).default(''),
};
export const auditFilterSchema = z.object(filter);
export type AuditFilter = z.infer<typeof auditFilterSchema>;

export const auditEndpoints = {
  /** The newest first; `before` is the id of the last one that is known. */
  listAudit: endpoint('GET', '/audit', {
    needs: 'administrator',
    query: z.object({
      ...filter,
      before: z.coerce.number().int().positive().optional(),
      limit: z.coerce.number().int().min(1).max(500).default(100),
    }),
    response: z.object({ entries: z.array(auditEntrySchema), next: z.number().nullable() }),
  }),
  /** By what and by whom it can be narrowed. */
  listAuditChoices: endpoint('GET', '/audit/choices', {
    needs: 'administrator',
    response: z.object({ whats: z.array(z.string()), people: z.array(z.string()) }),
  }),
};

export const auditRawEndpoints = {
  /** The same as CSV. */
  exportAudit: rawEndpoint('GET', '/audit.csv', { needs: 'administrator', query: auditFilterSchema }),
};
