import { FIELDS, type FieldName } from '@flagstone/core/record/fields';
import { z } from 'zod';

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

/** Lists of names that records should agree on; the code is the CreatorID, the SourceID or the address of the licence. */
export const AUTHORITY_KINDS = ['creator', 'library', 'publisher', 'licence', 'microphone'] as const;
export type AuthorityKind = (typeof AUTHORITY_KINDS)[number];

/** The field of a record that holds a name of each list, and the one that holds its code. */
export const AUTHORITY_FIELDS = {
  creator: { name: 'creator', code: 'creatorId' },
  library: { name: 'library', code: 'sourceId' },
  publisher: { name: 'publisher', code: undefined },
  licence: { name: 'licence', code: 'licenceUrl' },
  microphone: { name: 'microphone', code: undefined },
} as const satisfies Record<AuthorityKind, { name: FieldName; code: FieldName | undefined }>;

export const authoritySchema = z.object({
  id: z.number(),
  kind: z.enum(AUTHORITY_KINDS),
  name: z.string(),
  code: z.string(),
  /** Records that say this name. */
  uses: z.number(),
});
export type Authority = z.infer<typeof authoritySchema>;

export const newAuthoritySchema = z.strictObject({
  kind: z.enum(AUTHORITY_KINDS),
  name: z.string().trim().min(1).max(300),
  code: z.string().trim().max(1000).default(''),
});
