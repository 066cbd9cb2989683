import { z } from 'zod';
import { endpoint } from './endpoint.ts';
import { jobSchema } from './jobs.ts';

export const backupScheduleSchema = z.strictObject({
  /** A folder that the server sees, below an allowed root. */
  folder: z.string().trim().min(1).max(4096),
  /** By the clock of UTC. */
  hour: z.number().int().min(0).max(23),
  /** How many are kept; 0 for all. */
  keep: z.number().int().min(0).max(1000),
});
export type BackupSchedule = z.infer<typeof backupScheduleSchema>;

export const backupsSchema = z.object({
  /** Null where none are made by themselves. */
  schedule: backupScheduleSchema.nullable(),
  /** Whether the server is told a pass phrase with which they are encrypted. */
  isEncrypted: z.boolean(),
  last: z.object({ at: z.string(), path: z.string(), bytes: z.number() }).nullable(),
  /** Why the last one failed; empty when it did not. */
  error: z.string(),
  /** Whether one should have been made since. */
  isOverdue: z.boolean(),
  /** Those that lie in the folder, the latest first; null where the folder cannot be read. */
  kept: z
    .array(z.object({ name: z.string(), madeAt: z.string(), bytes: z.number(), isEncrypted: z.boolean() }))
    .nullable(),
});
export type Backups = z.infer<typeof backupsSchema>;

export const backupsEndpoints = {
  getBackups: endpoint('GET', '/backups', { needs: 'administrator', response: backupsSchema }),
  /** Has backups made every day, or, with null, no more by themselves. */
  setBackups: endpoint('POST', '/backups', {
    needs: 'administrator',
    audit: 'sets the backups',
    body: z.strictObject({ schedule: backupScheduleSchema.nullable() }),
    response: backupsSchema,
  }),
  /** Makes one now, into the folder of the schedule. */
  makeBackup: endpoint('POST', '/backups/now', {
    needs: 'administrator',
    audit: 'makes a backup',
    response: jobSchema,
  }),
};
