import { FIELDS } from '@flagstone/core/record/fields';
import { z } from 'zod';
import { as, endpoint, idParams } from './endpoint.ts';
import { selectionSchema } from './selection.ts';

/** Fields that a path can say something about: plain texts. */
export const RULE_FIELDS = FIELDS.filter(({ kind }) => kind === 'text').map(({ name }) => name);

/** A pattern on paths with the fields that it sets where they are empty. */
export const pathRuleSchema = z.object({
  id: z.number(),
  pattern: z.string(),
  sets: z.partialRecord(z.enum(RULE_FIELDS), z.string()),
  person: z.string(),
});
export type PathRule = z.infer<typeof pathRuleSchema>;

export const newPathRuleSchema = z.strictObject({
  pattern: z.string().trim().min(1).max(500),
  sets: z
    .partialRecord(z.enum(RULE_FIELDS), z.string().trim().min(1).max(500))
    .refine((sets) => Object.keys(sets).length > 0, 'Set at least one field.'),
});

export const rulesEndpoints = {
  listPathRules: endpoint('GET', '/path-rules', {
    needs: as('assistant', 'anything'),
    response: z.array(pathRuleSchema),
  }),
  addPathRule: endpoint('POST', '/path-rules', {
    needs: as('librarian', 'everything'),
    audit: 'adds a path rule',
    body: newPathRuleSchema,
    response: z.array(pathRuleSchema),
  }),
  removePathRule: endpoint('DELETE', '/path-rules/:id', {
    needs: as('librarian', 'everything'),
    audit: 'removes a path rule',
    params: idParams,
    response: z.array(pathRuleSchema),
  }),
  /** Sets the fields of the rules where they are empty, each rule as a change of its own. */
  runPathRules: endpoint('POST', '/path-rules/run', {
    needs: as('assistant', 'selection'),
    body: z.strictObject({ selection: selectionSchema }),
    response: z.object({ changed: z.number() }),
  }),
};
