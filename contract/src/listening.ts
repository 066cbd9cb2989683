import { BAND_KINDS } from '@flagstone/core/audio/try-out/biquad';
import { ROOMS } from '@flagstone/core/audio/try-out/rooms';
import type { TryOut } from '@flagstone/core/audio/try-out/try-out';
import { z } from 'zod';
import { soundRowSchema } from './record.ts';

const frame = z.number().int().min(0);

/** A part of a sound, in frames, the end not included. */
export const partSchema = z
  .strictObject({ from: frame, to: frame })
  .refine(({ from, to }) => to > from, 'the part has no length');
export type Part = z.infer<typeof partSchema>;

export const sliceOptionsSchema = z.strictObject({
  sensitivity: z.number().min(0).max(100),
  minimumSeconds: z.number().min(0.005).max(60),
  preRollSeconds: z.number().min(0).max(10),
  postRollSeconds: z.number().min(0).max(10),
  toZeroCrossings: z.boolean(),
});

export const foundSlicesSchema = z.object({
  slices: z.array(z.object({ from: frame, to: frame, name: z.string() })),
  /** Where each slice strikes. */
  syncPoints: z.array(z.object({ at: frame, name: z.string() })),
});

const on = z.boolean();
const bandSchema = z.strictObject({
  kind: z.enum(BAND_KINDS),
  hertz: z.number().min(10).max(40_000),
  gainDb: z.number().min(-24).max(24),
  q: z.number().min(0.1).max(20),
});

/** Steps of trying a sound out; core's renderTryOut says what they do. */
export const tryOutSchema: z.ZodType<TryOut> = z
  .array(
    z.discriminatedUnion('kind', [
      z.strictObject({ kind: z.literal('trim'), on, belowDbfs: z.number().min(-120).max(0) }),
      z.strictObject({ kind: z.literal('reverse'), on }),
      z.strictObject({ kind: z.literal('speed'), on, percent: z.number().min(25).max(400) }),
      z.strictObject({ kind: z.literal('pitch'), on, semitones: z.number().min(-24).max(24) }),
      z.strictObject({ kind: z.literal('time'), on, percent: z.number().min(25).max(400) }),
      z.strictObject({ kind: z.literal('equaliser'), on, bands: z.array(bandSchema).max(8) }),
      z.strictObject({ kind: z.literal('room'), on, room: z.enum(ROOMS), wetPercent: z.number().min(0).max(100) }),
      z.strictObject({ kind: z.literal('width'), on, percent: z.number().min(0).max(200) }),
      z.strictObject({ kind: z.literal('fold'), on, to: z.enum(['stereo', 'mono']) }),
      z.strictObject({
        kind: z.literal('normalise'),
        on,
        to: z.enum(['truePeak', 'loudness']),
        level: z.number().min(-60).max(0),
      }),
      z.strictObject({
        kind: z.literal('fades'),
        on,
        inSeconds: z.number().min(0).max(60),
        outSeconds: z.number().min(0).max(60),
      }),
    ]),
  )
  .max(20);

/** Cutting parts of a sound out into files of their own. */
export const cutSchema = z.strictObject({
  parts: z
    .array(z.strictObject({ from: frame, to: frame, name: z.string().max(200).default('') }))
    .min(1)
    .max(1000),
  fadeInSeconds: z.number().min(0).max(10).default(0),
  fadeOutSeconds: z.number().min(0).max(10).default(0),
});
export type Cut = z.infer<typeof cutSchema>;

/** Sounds that are like one, nearest first, each with what it shares with it. */
const alikeSoundSchema = z.object({ row: soundRowSchema, shares: z.array(z.string()) });
export type AlikeSound = z.infer<typeof alikeSoundSchema>;
export const alikeSchema = z.array(alikeSoundSchema);

/** How a sound from outside is compared: in everything, or only in how it goes. */
export const heardQuerySchema = z.object({ by: z.enum(['everything', 'shape']).default('everything') });
/** The sounds nearest to one from outside; none when it is silent. */
export const heardSoundSchema = z.object({ durationSeconds: z.number(), alike: alikeSchema });
export type HeardSound = z.infer<typeof heardSoundSchema>;

/** Where a sound comes from that was cut out of another, and what was cut out of it. */
export const kinSchema = z.object({
  parent: z.object({ soundId: z.number(), name: z.string(), from: frame, to: frame }).nullable(),
  children: z.array(z.object({ soundId: z.number(), name: z.string(), from: frame, to: frame })),
});

export const pullListSchema = z.object({
  id: z.number(),
  name: z.string(),
  show: z.string(),
  scene: z.string(),
  person: z.string(),
  entries: z.number(),
});
export type PullList = z.infer<typeof pullListSchema>;

export const pullEntrySchema = z.object({
  id: z.number(),
  row: soundRowSchema,
  part: z.object({ from: frame, to: frame }).nullable(),
  tryOut: tryOutSchema.nullable(),
  comment: z.string(),
  addedBy: z.string(),
});
export type PullEntry = z.infer<typeof pullEntrySchema>;

export const newPullListSchema = z.strictObject({
  name: z.string().trim().min(1).max(200),
  show: z.string().trim().max(200).default(''),
  scene: z.string().trim().max(200).default(''),
});

/** What changes of a list; the rest stays, whoever else changes it now. */
export const pullListChangeSchema = z.strictObject({
  name: z.string().trim().min(1).max(200).optional(),
  show: z.string().trim().max(200).optional(),
  scene: z.string().trim().max(200).optional(),
});

export const newPullEntrySchema = z.strictObject({
  soundId: z.number().int().positive(),
  part: partSchema.nullable().default(null),
  tryOut: tryOutSchema.nullable().default(null),
  comment: z.string().trim().max(2000).default(''),
});

export const pullEntryChangeSchema = z.strictObject({
  comment: z.string().trim().max(2000).optional(),
  tryOut: tryOutSchema.nullable().optional(),
  /** Before which entry it is to stand; null for the end. */
  before: z.number().int().positive().nullable().optional(),
  /** Into another list; with `before`, before one of its entries, else at its end. */
  listId: z.number().int().positive().optional(),
});
