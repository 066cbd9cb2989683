import { DELIVERED_CHANNELS, DELIVERED_CONTAINERS, DELIVERED_DEPTHS } from '@flagstone/core/delivery/profile';
import { MOST_PATH_BYTES } from '@flagstone/core/arrivals/arriving-path';
import { z } from 'zod';
import { as, endpoint, idParams } from './endpoint.ts';
import { jobSchema } from './jobs.ts';

/** `receiving` until all was sent; `placing` while it is put into its folder; `done` when its batch is read. */
export const arrivalStateSchema = z.enum(['receiving', 'placing', 'done']);
/** `announced`: to be sent; `here`: sent whole, or known where it lies; `placed`; `left` out, and why. */
export const arrivalFileStateSchema = z.enum(['announced', 'here', 'placed', 'left']);

/** What sounds become on their way in; as they are by default. */
export const arrivalAudioSchema = z.strictObject({
  container: z.enum(DELIVERED_CONTAINERS),
  sampleRateHz: z.number().int().min(8000).max(384_000).nullable(),
  depth: z.enum(DELIVERED_DEPTHS),
  dither: z.boolean(),
  channels: z.enum(DELIVERED_CHANNELS).exclude(['split']),
});
export type ArrivalAudio = z.infer<typeof arrivalAudioSchema>;

export const arrivalSchema = z.object({
  id: z.number(),
  name: z.string(),
  collectionId: z.number(),
  person: z.string(),
  /** The folder that they are copied from; empty for what is sent. */
  source: z.string(),
  /** Where they are put: a path on the drive that is named. */
  driveName: z.string(),
  folder: z.string(),
  state: arrivalStateSchema,
  batchId: z.number().nullable(),
  /** A job works on it, or is going to. */
  isUnderWay: z.boolean(),
  createdAt: z.string(),
  files: z.object({ announced: z.number(), here: z.number(), placed: z.number(), left: z.number() }),
  /** Of the files that are to be sent, and of those that are here. */
  bytes: z.object({ all: z.number(), here: z.number() }),
});
export type Arrival = z.infer<typeof arrivalSchema>;

export const newArrivalSchema = z.strictObject({
  name: z.string().trim().min(1).max(120),
  collectionId: z.number().int().positive(),
  /** A folder that the server sees, to be copied from; without it, files are sent. */
  source: z.string().trim().min(1).max(4096).optional(),
  audio: arrivalAudioSchema.nullable().default(null),
  onlyNew: z.boolean().default(true),
});
export type NewArrival = z.infer<typeof newArrivalSchema>;

/** A file that is to be sent: where it lay, and how many bytes it has. */
export const announcedFileSchema = z.strictObject({
  path: z.string().min(1).max(MOST_PATH_BYTES),
  bytes: z
    .number()
    .int()
    .min(0)
    .max(2 ** 40),
  /** The sound that it holds already, by name: then it is not sent, and listed as left out. */
  heldAs: z.string().max(300).optional(),
});
/** Most files of one request, and of one arrival. */
export const MOST_ANNOUNCED = 500;
export const MOST_ARRIVING = 100_000;

/** What of a file is known: whether it is still to be sent, and whether sending it began. */
export const arrivalFileSchema = z.object({
  id: z.uuid(),
  path: z.string(),
  bytes: z.number(),
  state: arrivalFileStateSchema,
  begun: z.boolean(),
  code: z.string(),
  message: z.string(),
});
export type ArrivalFile = z.infer<typeof arrivalFileSchema>;

const digests = z.array(z.string().regex(/^[\da-f]{64}$/)).max(1000);

/**
 * Bringing in by handing over. Files are sent by the tus protocol, version 1.0.0, to /api/uploads, each with its number of the arrival's list as metadata `file` and, where it is known, its SHA-256 as
 * `sha256`.
 */
export const arrivalsEndpoints = {
  /** Which of these quick audio digests (docs/formats.md) belong to sounds that are held and seen. */
  findHeld: endpoint('POST', '/intake/held', {
    needs: as('librarian', 'anything'),
    body: z.strictObject({ digests }),
    response: z.array(z.object({ digest: z.string(), soundId: z.number(), name: z.string() })),
  }),
  /** Those that are not done, and the newest that are. */
  listArrivals: endpoint('GET', '/arrivals', {
    needs: as('librarian', 'anything'),
    response: z.array(arrivalSchema),
  }),
  /** Begins one: a folder of its own is made for it in the landing folder of the collection. One that copies from a folder begins at once. */
  makeArrival: endpoint('POST', '/arrivals', {
    needs: as('librarian', 'folder'),
    audit: 'brings sounds in',
    body: newArrivalSchema,
    response: z.object({ arrival: arrivalSchema, job: jobSchema.nullable() }),
  }),
  /** Says what is to be sent, and asks for what became of what was said before: a file that is known by its path is not begun anew. */
  announceFiles: endpoint('POST', '/arrivals/:id/files', {
    needs: as('librarian', 'arrival'),
    params: idParams,
    body: z.strictObject({ files: z.array(announcedFileSchema).max(MOST_ANNOUNCED) }),
    response: z.array(arrivalFileSchema),
  }),
  /** What was left out, and why. */
  listLeftOut: endpoint('GET', '/arrivals/:id/left-out', {
    needs: as('librarian', 'arrival'),
    params: idParams,
    response: z.array(arrivalFileSchema),
  }),
  /** Has what was sent put into its folder and read; what was not sent whole is left out. One that was stopped on the way goes on. */
  finishArrival: endpoint('POST', '/arrivals/:id/finish', {
    needs: as('librarian', 'arrival'),
    audit: 'brings sounds in',
    params: idParams,
    response: jobSchema,
  }),
  /** Gives one up that is still being sent, with what of it is here. */
  giveUpArrival: endpoint('DELETE', '/arrivals/:id', {
    needs: as('librarian', 'arrival'),
    audit: 'gives up what was being sent',
    params: idParams,
    response: z.object({}),
  }),
};
