import { FIELD_NAMES } from '@flagstone/core/record/fields';
import { WINNERS } from '@flagstone/core/record/settle';
import { z } from 'zod';
import { changeSchema } from './changes.ts';
import { as, endpoint, idParams } from './endpoint.ts';
import { asOfSchema } from './record.ts';
import { selectionSchema } from './selection.ts';

const field = z.enum(FIELD_NAMES);

/** For which copies a rule is: those on a drive, those in a collection, or, with neither, all. */
const scopeSchema = {
  driveId: z.uuid().nullable(),
  collectionId: z.number().int().positive().nullable(),
};
export const newSettlingRuleSchema = z
  .strictObject({ ...scopeSchema, field: z.enum([...FIELD_NAMES, 'any']), wins: z.enum(WINNERS) })
  .refine(
    ({ driveId, collectionId }) => driveId === null || collectionId === null,
    'is for a drive or a collection, not for both',
  );
export type NewSettlingRule = z.infer<typeof newSettlingRuleSchema>;

/** Who wins where the record and the file of a copy differ (core's record/settle.ts). */
export const settlingRuleSchema = z.object({
  ...scopeSchema,
  id: z.number(),
  field: z.enum([...FIELD_NAMES, 'any']),
  wins: z.enum(WINNERS),
  person: z.string(),
});
export type SettlingRuleKept = z.infer<typeof settlingRuleSchema>;

/** What becomes of a field that a file changed: the record takes a value, stays as it is, or waits for somebody to choose. */
export const settledFieldSchema = z.object({
  field,
  record: z.string(),
  file: z.string(),
  outcome: z.enum(['taken', 'kept', 'open']),
  /** What the record says then. */
  becomes: z.string(),
});

/** A copy whose file was changed since it carried the record. */
export const settlingRowSchema = z.object({
  copyId: z.number(),
  name: z.string(),
  folder: z.string(),
  driveName: z.string(),
  fields: z.array(settledFieldSchema),
  /** Why the record cannot take that; null when it can. */
  problem: z.string().nullable(),
});
export type SettlingRow = z.infer<typeof settlingRowSchema>;

const of = z.strictObject({ selection: selectionSchema });

export const settlingEndpoints = {
  listSettlingRules: endpoint('GET', '/settling-rules', {
    needs: as('assistant', 'anything'),
    response: z.array(settlingRuleSchema),
  }),
  /** Keeps a rule; the one that there was for the same field of the same copies is replaced. */
  keepSettlingRule: endpoint('POST', '/settling-rules', {
    needs: as('librarian', 'everything'),
    audit: 'keeps a rule for what differs',
    body: newSettlingRuleSchema,
    response: z.array(settlingRuleSchema),
  }),
  removeSettlingRule: endpoint('DELETE', '/settling-rules/:id', {
    needs: as('librarian', 'everything'),
    audit: 'removes a rule for what differs',
    params: idParams,
    response: z.array(settlingRuleSchema),
  }),
  /** The next copies whose files were changed, with what would become of each field; nothing is changed. */
  previewSettling: endpoint('POST', '/settling/preview', {
    needs: as('assistant', 'selection'),
    body: of.extend({ afterCopyId: z.number().int().min(0).default(0) }),
    response: z.object({
      rows: z.array(settlingRowSchema),
      /** After which copy it goes on; null at the end. */
      next: z.number().nullable(),
      /** The state of the database that the rows are of. */
      snapshot: z.string(),
    }),
  }),
  /** How many copies there are, how many records would take something, and in how many somebody has to choose. */
  countSettling: endpoint('POST', '/settling/count', {
    needs: as('assistant', 'selection'),
    body: of,
    response: z.object({ copies: z.number(), taken: z.number(), open: z.number(), problems: z.number() }),
  }),
  /** Has the records take what the rules say, as one change; what somebody has to choose stays as it is. */
  runSettling: endpoint('POST', '/settling/run', {
    needs: as('assistant', 'selection'),
    body: of.extend({ asOf: asOfSchema.optional() }),
    response: changeSchema,
  }),
};
