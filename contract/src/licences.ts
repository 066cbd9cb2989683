import { ANSWERS } from '@flagstone/core/licences/terms';
import { z } from 'zod';
import { authoritySchema } from './authorities.ts';
import { as, endpoint, idParams } from './endpoint.ts';

const day = z.iso.date().or(z.literal(''));
const answer = z.enum(ANSWERS);

/** What a licence says; core's licences/terms.ts says what each part means. */
export const licenceTermsSchema = z.strictObject({
  spdx: z.string().trim().max(100),
  commercial: answer,
  adapted: answer,
  broadcast: answer,
  games: answer,
  redistribution: answer,
  shareAlike: z.boolean(),
  attribution: z.boolean(),
  credit: z.string().trim().max(500),
  territories: z.string().trim().max(300),
  from: day,
  until: day,
  onlyShow: z.string().trim().max(200),
  seats: z.number().int().min(1).max(100_000).nullable(),
  notes: z.string().trim().max(4000),
});

/** A licence that ends before long, or has ended, and how many records say it. */
export const endingLicenceSchema = z.object({ name: z.string(), until: z.string(), sounds: z.number() });
export type EndingLicence = z.infer<typeof endingLicenceSchema>;

export const licencesEndpoints = {
  /** The terms of the licence that a record names, of the lists or as a public licence has them; null where nobody read them. */
  getLicence: endpoint('GET', '/licences', {
    needs: as('listener', 'anything'),
    query: z.object({ name: z.string().max(1000).default(''), url: z.string().max(2000).default('') }),
    response: z.object({ name: z.string(), terms: licenceTermsSchema.nullable() }),
  }),
  /** Those that end within two months, or have ended, and that sounds have. */
  listEndingLicences: endpoint('GET', '/licences/ending', {
    needs: as('assistant', 'anything'),
    response: z.array(endingLicenceSchema),
  }),
  /** Says what a licence of the lists allows; null for nothing that is known. */
  saveLicenceTerms: endpoint('PATCH', '/authorities/:id/terms', {
    needs: as('librarian', 'everything'),
    audit: 'says what a licence allows',
    params: idParams,
    body: z.strictObject({ terms: licenceTermsSchema.nullable() }),
    response: z.array(authoritySchema),
  }),
};
