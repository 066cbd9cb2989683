import type { FieldName } from '@flagstone/core/record/fields';
import { z } from 'zod';
import { as, endpoint, idParams } from './endpoint.ts';

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
  /** Of a licence: whether somebody said what it allows. */
  hasTerms: z.boolean(),
  /** Records that say this name. */
  uses: z.number(),
});
export type Authority = z.infer<typeof authoritySchema>;

export const newAuthoritySchema = z.strictObject({
  kind: z.enum(AUTHORITY_KINDS),
  name: z.string().trim().min(1).max(300),
  code: z.string().trim().max(1000).default(''),
});

export const authoritiesEndpoints = {
  listAuthorities: endpoint('GET', '/authorities', {
    needs: as('assistant', 'anything'),
    response: z.array(authoritySchema),
  }),
  saveAuthority: endpoint('POST', '/authorities', {
    needs: as('librarian', 'everything'),
    body: newAuthoritySchema,
    response: z.array(authoritySchema),
  }),
  removeAuthority: endpoint('DELETE', '/authorities/:id', {
    needs: as('librarian', 'everything'),
    audit: 'takes a name off its list',
    params: idParams,
    response: z.array(authoritySchema),
  }),
  /** Takes over the names that records say. */
  gatherAuthorities: endpoint('POST', '/authorities/gather', {
    needs: as('librarian', 'everything'),
    response: z.array(authoritySchema),
  }),
  mergeAuthority: endpoint('POST', '/authorities/:id/merge', {
    needs: as('librarian', 'everything'),
    audit: 'merges a name',
    params: idParams,
    body: z.strictObject({ intoId: z.number().int().positive() }),
    response: z.object({ changed: z.number(), authorities: z.array(authoritySchema) }),
  }),
};
