import { BAND_KINDS } from '@flagstone/core/audio/try-out/biquad';
import { ROOMS } from '@flagstone/core/audio/try-out/rooms';
import type { TryOut } from '@flagstone/core/audio/try-out/try-out';
import { z } from 'zod';
import { as, endpoint, idParams, rawEndpoint } from './endpoint.ts';
import { planSchema } from './plans.ts';
import { soundRowSchema } from './record.ts';

export const frameSchema = z.number().int().min(0);

/** A part of a sound, in frames, the end not included. */
export const partSchema = z
  .strictObject({ from: frameSchema, to: frameSchema })
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
  slices: z.array(z.object({ from: frameSchema, to: frameSchema, name: z.string() })),
  /** Where each slice strikes. */
  syncPoints: z.array(z.object({ at: frameSchema, name: z.string() })),
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
    .array(z.strictObject({ from: frameSchema, to: frameSchema, name: z.string().max(200).default('') }))
    .min(1)
    .max(1000),
  fadeInSeconds: z.number().min(0).max(10).default(0),
  fadeOutSeconds: z.number().min(0).max(10).default(0),
  /** The folder that the new files go to; empty for that of the sound. */
  toPath: z.string().max(4096).default(''),
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
  parent: z.object({ soundId: z.number(), name: z.string(), from: frameSchema, to: frameSchema }).nullable(),
  children: z.array(z.object({ soundId: z.number(), name: z.string(), from: frameSchema, to: frameSchema })),
});

/** A part of a sound in frames, as an address says it; without it the whole. */
const frameRangeQuery = z.object({
  from: z.coerce.number().int().min(0).default(0),
  to: z.coerce.number().int().min(1).default(Number.MAX_SAFE_INTEGER),
});
const spectrogramQuery = frameRangeQuery.extend({
  columns: z.coerce.number().int().min(1).max(2048),
  rows: z.coerce.number().int().min(1).max(1024),
  size: z.coerce
    .number()
    .int()
    .refine((size) => size >= 64 && size <= 32_768 && Number.isInteger(Math.log2(size)), 'a power of two is needed'),
  scale: z.enum(['log', 'linear']).default('log'),
  channel: z.coerce.number().int().min(0).max(4096).default(0),
});
const MOST_STEPS_LETTERS = 10_000;
const triedOutQuery = z
  .strictObject({
    from: z.coerce.number().optional(),
    to: z.coerce.number().optional(),
    steps: z.string().max(MOST_STEPS_LETTERS),
  })
  .refine(({ from, to }) => (from === undefined) === (to === undefined), 'names one end of a part alone');

export const listeningEndpoints = {
  /** The slices that a sound falls into; nothing is recorded. */
  findSlices: endpoint('POST', '/sounds/:id/slices/find', {
    needs: as('listener', 'sound'),
    params: idParams,
    body: sliceOptionsSchema,
    response: foundSlicesSchema,
  }),
  /** Previews cutting parts out into files of their own. */
  planCut: endpoint('POST', '/sounds/:id/cut', {
    needs: as('librarian', 'sound'),
    params: idParams,
    body: cutSchema,
    response: planSchema,
  }),
  getKin: endpoint('GET', '/sounds/:id/kin', { needs: as('listener', 'sound'), params: idParams, response: kinSchema }),
  listAlike: endpoint('GET', '/sounds/:id/alike', {
    needs: as('listener', 'sound'),
    params: idParams,
    response: alikeSchema,
  }),
};

export const listeningRawEndpoints = {
  /** The file as it stands, by ranges; with `as=wav` as a WAV file, which every browser plays. */
  streamAudio: rawEndpoint('GET', '/copies/:id/audio', {
    needs: as('listener', 'copy'),
    params: idParams,
    query: z.object({ as: z.literal('wav').optional() }),
  }),
  /** A part of a file to be kept, with the samples as they are. */
  downloadPart: rawEndpoint('GET', '/copies/:id/part', {
    needs: as('editor', 'copy'),
    params: idParams,
    query: frameRangeQuery,
  }),
  /** 32-bit floats, one channel after another. */
  getSamples: rawEndpoint('GET', '/sounds/:id/samples', {
    needs: as('listener', 'sound'),
    params: idParams,
    query: frameRangeQuery,
  }),
  getSpectrogram: rawEndpoint('GET', '/sounds/:id/spectrogram', {
    needs: as('listener', 'sound'),
    params: idParams,
    query: spectrogramQuery,
  }),
  /** Brightness over time, then loudness over time, a byte a value. */
  getCurves: rawEndpoint('GET', '/sounds/:id/curves', { needs: as('listener', 'sound'), params: idParams }),
  /** A part, or the whole, as it was tried out. */
  exportTriedOut: rawEndpoint('POST', '/sounds/:id/export', {
    needs: as('editor', 'sound'),
    params: idParams,
    body: { as: 'json', most: '256kb', schema: z.strictObject({ part: partSchema.nullable(), tryOut: tryOutSchema }) },
  }),
  /** The same as a plain address, which can be dragged out of the page. */
  downloadTriedOut: rawEndpoint('GET', '/sounds/:id/tried-out', {
    needs: as('editor', 'sound'),
    params: idParams,
    query: triedOutQuery,
  }),
  /** A sound as the body, which is compared and not kept. */
  findAlike: rawEndpoint('POST', '/sounds-like', {
    needs: as('listener', 'anything'),
    query: heardQuerySchema,
    body: { as: 'stream' },
  }),
};
