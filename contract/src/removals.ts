import { z } from 'zod';
import { as, endpoint } from './endpoint.ts';
import { selectionSchema } from './selection.ts';

/** What taking sounds out of the catalogue would concern. */
export const removalPreviewSchema = z.object({
  sounds: z.number(),
  /** Their files, which stay where they are. */
  files: z.number(),
  /** Those that stand in pull lists, which keep them, and those that were delivered or copied out. */
  inLists: z.number(),
  used: z.number(),
  /** Those that stay: they are also in a collection in which whoever asks is no librarian. */
  kept: z.number(),
});
export type RemovalPreview = z.infer<typeof removalPreviewSchema>;

/** A sound that was taken out and not brought back. */
export const removedSoundSchema = z.object({
  soundId: z.number(),
  name: z.string(),
  folder: z.string(),
  driveName: z.string(),
  reason: z.string(),
  person: z.string(),
  removedAt: z.string(),
});
export type RemovedSound = z.infer<typeof removedSoundSchema>;

export const removalsEndpoints = {
  previewRemoval: endpoint('POST', '/removals/preview', {
    needs: as('librarian', 'selection'),
    body: z.strictObject({ selection: selectionSchema }),
    response: removalPreviewSchema,
  }),
  /** Takes sounds out of the catalogue; their files and records stay, and reading them again does not bring them back. */
  removeSounds: endpoint('POST', '/removals', {
    needs: as('librarian', 'selection'),
    audit: 'takes sounds out of the catalogue',
    body: z.strictObject({ selection: selectionSchema, reason: z.string().trim().min(1).max(500) }),
    response: z.object({ removed: z.number(), kept: z.number() }),
  }),
  /** The newest first. */
  listRemoved: endpoint('GET', '/removals', {
    needs: as('librarian', 'anything'),
    query: z.object({
      q: z.string().max(200).default(''),
      /** After the last one of the page before. */
      after: z.string().max(60).default(''),
    }),
    response: z.object({ sounds: z.array(removedSoundSchema), next: z.string().nullable(), total: z.number() }),
  }),
  bringBack: endpoint('POST', '/removals/bring-back', {
    needs: as('librarian', 'anything'),
    audit: 'brings sounds back into the catalogue',
    body: z.strictObject({ soundIds: z.array(z.number().int().positive()).min(1).max(10_000) }),
    response: z.object({ broughtBack: z.number() }),
  }),
};
