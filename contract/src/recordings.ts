import { z } from 'zod';
import { as, endpoint, idParams } from './endpoint.ts';
import { soundRowSchema } from './record.ts';

/** Another sound that holds the same recording in another form. */
export const otherFormSchema = z.object({
  row: soundRowSchema,
  /** Of the bits of both fingerprints, the share that differs: 0 to 0.45. */
  difference: z.number(),
  isCertain: z.boolean(),
  /** How it compares with the one that is asked about. */
  quality: z.enum(['better', 'worse', 'alike']),
});
export type OtherForm = z.infer<typeof otherFormSchema>;

export const recordingsEndpoints = {
  /** The sounds that hold the same recording as one, by its fingerprint, the best first. */
  listOtherForms: endpoint('GET', '/sounds/:id/other-forms', {
    needs: as('listener', 'sound'),
    params: idParams,
    response: z.array(otherFormSchema),
  }),
};
