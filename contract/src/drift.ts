import { z } from 'zod';
import { as, endpoint } from './endpoint.ts';
import { proofTimesSchema } from './proof.ts';

/**
 * What the copies of a folder count as, in the order in which the matrix shows it. Those on a drive that is away count as Away, whatever they were when it was last
 * here. Damaged are files of which a proof
 * found that they do not hold their audio any more, not proved those that were never read as a whole; both have their state beside it. In preparation are those of sounds that are not filed.
 */
export const DRIFT_STATES = [
  'inStep',
  'behind',
  'ahead',
  'split',
  'away',
  'gone',
  'unreadable',
  'damaged',
  'unproved',
  'preparing',
] as const;
export type DriftState = (typeof DRIFT_STATES)[number];

const countsSchema = z.object(
  Object.fromEntries(DRIFT_STATES.map((state) => [state, z.number().int()])) as Record<DriftState, z.ZodNumber>,
);
export type DriftCounts = z.infer<typeof countsSchema>;

export const driftFolderSchema = z.object({
  driveId: z.string(),
  /** Null for copies in no folder that was read. */
  readFolderId: z.number().nullable(),
  folder: z.string(),
  collectionId: z.number().nullable(),
  lastReadAt: z.string().nullable(),
  counts: countsSchema,
  /** How those in preparation stand to their records. */
  prepared: z.object({
    inStep: z.number().int(),
    behind: z.number().int(),
    ahead: z.number().int(),
    split: z.number().int(),
    gone: z.number().int(),
    damaged: z.number().int(),
    unproved: z.number().int(),
  }),
  /** Of copies that are away: how many did not carry their record when their drive was last here. */
  notInStepWhenLastHere: z.number().int(),
});
export type DriftFolder = z.infer<typeof driftFolderSchema>;

export const driftDriveSchema = z.object({
  id: z.string(),
  name: z.string(),
  isAway: z.boolean(),
  isRetired: z.boolean(),
  /** When the file was proved whose proof is the oldest; null where none was. */
  oldestProofAt: z.string().nullable(),
  /** When its files are proved by themselves. */
  proof: proofTimesSchema.nullable(),
});

export const driftSchema = z.object({ drives: z.array(driftDriveSchema), folders: z.array(driftFolderSchema) });
export type Drift = z.infer<typeof driftSchema>;

/** How many copies did not carry their record at the end of a day, or were missing. */
export const driftDaySchema = z.object({
  day: z.iso.date(),
  behind: z.number().int(),
  ahead: z.number().int(),
  split: z.number().int(),
  gone: z.number().int(),
});
export type DriftDay = z.infer<typeof driftDaySchema>;

export const driftEndpoints = {
  /** How copies stand to their records, by drive and folder that was read. */
  getDrift: endpoint('GET', '/drift', { needs: as('listener', 'anything'), response: driftSchema }),
  /** The same by day, with today as it is now. */
  getDriftTrend: endpoint('GET', '/drift/days', {
    needs: as('listener', 'anything'),
    query: z.object({ days: z.coerce.number().int().min(1).max(400).default(60) }),
    response: z.array(driftDaySchema),
  }),
};
