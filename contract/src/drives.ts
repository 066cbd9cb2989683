import { z } from 'zod';
import { as, endpoint } from './endpoint.ts';
import { proofTimesSchema } from './proof.ts';

export const driveSchema = z.object({
  id: z.string(),
  name: z.string(),
  rootPath: z.string(),
  state: z.enum(['here', 'away', 'readOnly']),
  copies: z.number(),
  sizeBytes: z.number(),
  /** What it is known by wherever it is mounted: the marker file in its root, its file system, or only its path. */
  knownBy: z.enum(['marker', 'fileSystem', 'path']),
  /** Null while it is away. */
  capacityBytes: z.number().nullable(),
  freeBytes: z.number().nullable(),
  lastIndexedAt: z.string().nullable(),
  /** When its files are proved by themselves; null where that is for people to ask for. */
  proof: proofTimesSchema.nullable(),
  /** Kept for its history, and neither looked for nor offered any more. */
  retired: z.boolean(),
});
export type Drive = z.infer<typeof driveSchema>;

export const drivesEndpoints = {
  listDrives: endpoint('GET', '/drives', { needs: as('listener', 'anything'), response: z.array(driveSchema) }),
  updateDrive: endpoint('PATCH', '/drives/:id', {
    needs: 'administrator',
    audit: 'changes a drive',
    params: z.object({ id: z.uuid() }),
    body: z.strictObject({
      name: z.string().trim().min(1).max(200).optional(),
      rootPath: z.string().min(1).max(4096).optional(),
      retired: z.boolean().optional(),
      proof: proofTimesSchema.nullable().optional(),
    }),
    response: z.array(driveSchema),
  }),
  listFolders: endpoint('GET', '/folders', {
    needs: as('editor', 'anything'),
    query: z.object({ path: z.string().max(4096).default('') }),
    response: z.object({
      path: z.string(),
      parent: z.string().nullable(),
      folders: z.array(z.object({ name: z.string(), path: z.string() })),
    }),
  }),
};
