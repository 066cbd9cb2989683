import {
  BAG_DIGESTS,
  DELIVERED_CHANNELS,
  DELIVERED_CONTAINERS,
  DELIVERED_DEPTHS,
  PACKINGS,
  SIDECARS,
} from '@flagstone/core/delivery/profile';
import { LEAST_NAME_BYTES, TARGET_CASES, TARGET_CHARACTERS, TARGET_SPACES } from '@flagstone/core/delivery/target-name';
import { USES } from '@flagstone/core/licences/terms';
import { MAX_NAME_BYTES } from '@flagstone/core/naming/name-blocks';
import { z } from 'zod';
import { as, endpoint, idParams } from './endpoint.ts';
import { copyOutSchema } from './copy-out.ts';
import { jobSchema } from './jobs.ts';

const template = z.string().trim().min(1).max(500);
const level = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('asIs') }),
  z.strictObject({ kind: z.literal('peak'), dbfs: z.number().min(-60).max(0) }),
  z.strictObject({
    kind: z.literal('loudness'),
    lufs: z.number().min(-60).max(0),
    ceilingDbtp: z.number().min(-30).max(0),
  }),
]);

/** How a delivery is made; core's delivery/profile.ts says what each part means. */
export const deliveryProfileSchema = z.strictObject({
  audio: z.strictObject({
    container: z.enum(DELIVERED_CONTAINERS),
    sampleRateHz: z.number().int().min(8000).max(384_000).nullable(),
    depth: z.enum(DELIVERED_DEPTHS),
    dither: z.boolean(),
    channels: z.enum(DELIVERED_CHANNELS),
    level,
  }),
  folders: z.discriminatedUnion('kind', [
    z.strictObject({ kind: z.literal('flat') }),
    z.strictObject({ kind: z.literal('asOnDrives') }),
    z.strictObject({ kind: z.literal('template'), template }),
  ]),
  names: z.discriminatedUnion('kind', [
    z.strictObject({ kind: z.literal('asIs') }),
    z.strictObject({ kind: z.literal('template'), template }),
  ]),
  nameRules: z.strictObject({
    characters: z.enum(TARGET_CHARACTERS),
    letterCase: z.enum(TARGET_CASES),
    spaces: z.enum(TARGET_SPACES),
    mostBytes: z.number().int().min(LEAST_NAME_BYTES).max(MAX_NAME_BYTES),
  }),
  withRecord: z.boolean(),
  sidecars: z.array(z.enum(SIDECARS)).max(SIDECARS.length).readonly(),
  packing: z.enum(PACKINGS),
  bagDigest: z.enum(BAG_DIGESTS),
});

/** A profile that ships or that somebody kept for everybody. */
export const keptProfileSchema = z.object({
  /** Null for one that ships, which cannot be changed. */
  id: z.number().nullable(),
  name: z.string(),
  profile: deliveryProfileSchema,
  person: z.string(),
});
export type KeptProfile = z.infer<typeof keptProfileSchema>;

/** Most sounds of a delivery: its tree is to be looked through by somebody. */
export const MOST_DELIVERED = 100_000;

export const deliveryWhatSchema = copyOutSchema.shape.what;
export type DeliveryWhat = z.infer<typeof deliveryWhatSchema>;

const words = z.string().trim().max(200);
const deliveryParts = {
  name: words.min(1),
  forWhom: words,
  /** By which licences are held to it; empty where nobody said, then they are not. */
  use: z.enum(['', ...USES]),
  isCommercial: z.boolean(),
  /** The show that it is for: some licences are for one only. */
  show: words,
  /** A day, or empty. */
  deadline: z.iso.date().or(z.literal('')),
  /** Where it goes: a folder that the server sees. */
  folder: z.string().trim().min(1).max(4096),
  profileName: words,
  profile: deliveryProfileSchema,
};

export const newDeliverySchema = z.strictObject({
  ...deliveryParts,
  forWhom: deliveryParts.forWhom.default(''),
  use: deliveryParts.use.default(''),
  isCommercial: deliveryParts.isCommercial.default(true),
  show: deliveryParts.show.default(''),
  deadline: deliveryParts.deadline.default(''),
  profileName: deliveryParts.profileName.default(''),
  what: deliveryWhatSchema,
});
export type NewDelivery = z.infer<typeof newDeliverySchema>;

/** What changes of a delivery; the rest stays. */
export const deliveryChangeSchema = z.strictObject(deliveryParts).partial();

/** `blocked`: it cannot be delivered as it is wanted; `left`: it was delivered before, and is not part of it any more. */
export const deliveryItemStateSchema = z.enum(['planned', 'blocked', 'done', 'failed', 'left']);

export const deliverySchema = z.object({
  id: z.number(),
  ...deliveryParts,
  /** In words: how many sounds were chosen, or the pull list. */
  what: z.string(),
  person: z.string(),
  createdAt: z.string(),
  /** When its tree was last laid; null until then, and after a change. */
  plannedAt: z.string().nullable(),
  deliveredAt: z.string().nullable(),
  counts: z.object({
    files: z.number(),
    bytes: z.number(),
    folders: z.number(),
    /** Delivered as they are wanted now. */
    done: z.number(),
    /** To be made: for the first time, or since they changed. */
    new: z.number(),
    changed: z.number(),
    blocked: z.number(),
    failed: z.number(),
    left: z.number(),
    /** Files with something to tell that keeps nobody from delivering them. */
    noticed: z.number(),
  }),
  /** Licences of its sounds that its use does not simply have, those that stop it first; with what somebody decided. */
  licences: z.array(
    z.object({
      /** As the records say it; empty for none. */
      licence: z.string(),
      files: z.number(),
      verdict: z.enum(['open', 'unread', 'forbidden']),
      reasons: z.array(z.string()),
      decision: z.object({ reason: z.string(), person: z.string(), at: z.string() }).nullable(),
    }),
  ),
  /** Bytes free where it goes; null where that is not to be had now. */
  freeBytes: z.number().nullable(),
});
export type Delivery = z.infer<typeof deliverySchema>;

/** What the job is called that makes the files of a delivery. */
export function deliveryTitle({ name, forWhom }: Pick<Delivery, 'name' | 'forWhom'>): string {
  return `Deliver “${name}”${forWhom === '' ? '' : ` to ${forWhom}`}`;
}

export const deliveryItemSchema = z.object({
  /** Below the folder of the delivery. */
  path: z.string(),
  soundId: z.number(),
  copyId: z.number(),
  /** The drive, folders and name of its file. */
  from: z.string(),
  /** In words, what is made of it; empty where the file goes as it is. */
  made: z.string(),
  /** About, until it was made. */
  bytes: z.number(),
  state: deliveryItemStateSchema,
  isChanged: z.boolean(),
  problems: z.array(z.object({ code: z.string(), severity: z.enum(['error', 'notice']), message: z.string() })),
  digest: z.string(),
});
export type DeliveryItem = z.infer<typeof deliveryItemSchema>;

export const deliveriesEndpoints = {
  /** Deliveries of one's own; administrators see all. */
  listDeliveries: endpoint('GET', '/deliveries', {
    needs: as('editor', 'anything'),
    response: z.array(deliverySchema),
  }),
  getDelivery: endpoint('GET', '/deliveries/:id', {
    needs: as('editor', 'anything'),
    params: idParams,
    response: deliverySchema,
  }),
  makeDelivery: endpoint('POST', '/deliveries', {
    needs: as('editor', 'copyOut'),
    body: newDeliverySchema,
    response: deliverySchema,
  }),
  updateDelivery: endpoint('PATCH', '/deliveries/:id', {
    needs: as('editor', 'anything'),
    params: idParams,
    body: deliveryChangeSchema,
    response: deliverySchema,
  }),
  /** Forgets a delivery; what was delivered stays where it is. */
  removeDelivery: endpoint('DELETE', '/deliveries/:id', {
    needs: as('editor', 'anything'),
    params: idParams,
    response: z.array(deliverySchema),
  }),
  /** Lays its tree: what becomes of each sound and where it goes. Makes no file. */
  layDelivery: endpoint('POST', '/deliveries/:id/tree', {
    needs: as('editor', 'anything'),
    params: idParams,
    response: deliverySchema,
  }),
  listDeliveryItems: endpoint('GET', '/deliveries/:id/items', {
    needs: as('editor', 'anything'),
    params: idParams,
    query: z.object({
      after: z.string().max(8192).default(''),
      limit: z.coerce.number().int().min(1).max(500).default(200),
      show: z.enum(['all', 'toMake', 'problems', 'left']).default('all'),
    }),
    response: z.object({ items: z.array(deliveryItemSchema), next: z.string().nullable() }),
  }),
  /** Makes the files that are to be made, or one of them. */
  runDelivery: endpoint('POST', '/deliveries/:id/run', {
    needs: as('editor', 'anything'),
    audit: 'delivers sounds',
    params: idParams,
    body: z.strictObject({ onlyPath: z.string().max(8192).optional() }),
    response: jobSchema,
  }),
  /** Lets a delivery have sounds whose licence stops them, with a reason that is kept; without one the licence holds again. */
  decideLicence: endpoint('POST', '/deliveries/:id/licences', {
    needs: as('librarian', 'anything'),
    audit: 'decides about a licence',
    params: idParams,
    body: z.strictObject({ licence: z.string().max(1000), reason: z.string().trim().max(1000) }),
    response: deliverySchema,
  }),
  listDeliveryProfiles: endpoint('GET', '/delivery-profiles', {
    needs: as('editor', 'anything'),
    response: z.array(keptProfileSchema),
  }),
  /** Keeps a profile for everybody; one of that name is replaced by whoever kept it. */
  saveDeliveryProfile: endpoint('POST', '/delivery-profiles', {
    needs: as('editor', 'anything'),
    body: z.strictObject({ name: words.min(1), profile: deliveryProfileSchema }),
    response: z.array(keptProfileSchema),
  }),
  removeDeliveryProfile: endpoint('DELETE', '/delivery-profiles/:id', {
    needs: as('editor', 'anything'),
    params: idParams,
    response: z.array(keptProfileSchema),
  }),
};
