import { z } from 'zod';
import { as, endpoint } from './endpoint.ts';
import { jobSchema } from './jobs.ts';

/** How much of the time a proof reads, in percent: for the rest of it the disk is left to others. */
export const PROOF_SHARES = [100, 50, 25, 10] as const;
const shareSchema = z.number().int().min(1).max(100);

/** When the files of a drive are proved by themselves. */
export const proofTimesSchema = z.strictObject({
  /** Each file again after so many days. */
  everyDays: z.number().int().min(1).max(3650),
  /** Only between these hours of the server's clock, over midnight where the first is the later one; the same for the whole day. */
  fromHour: z.number().int().min(0).max(23),
  toHour: z.number().int().min(0).max(23),
  share: shareSchema,
});
export type ProofTimes = z.infer<typeof proofTimesSchema>;

/** What became of files that were proved, as counts of the job. */
export const PROVED_AS = ['same', 'retold', 'damaged', 'repaired'] as const;
export type ProvedAs = (typeof PROVED_AS)[number];

export const proofEndpoints = {
  /** Reads the files of a drive as a whole, those first whose proof is the oldest, and says which do not hold their audio any more. */
  startProof: endpoint('POST', '/proofs', {
    needs: as('librarian', 'anything'),
    body: z.strictObject({
      driveId: z.uuid(),
      /** Only files that were not proved for so many days. */
      olderThanDays: z.number().int().min(0).max(3650).default(0),
      share: shareSchema.default(50),
    }),
    response: jobSchema,
  }),
};
