import { MOST_BUCKETS } from '@flagstone/core/audio/peaks';
import { z } from 'zod';
import { as, endpoint, idParams, rawEndpoint } from './endpoint.ts';

/** Decibels, or null where there is no level: silence has none. */
const level = z.number().nullable();

/** What was measured of a sound; definitions in docs/analysis.md. */
export const measuresSchema = z.object({
  durationSeconds: z.number(),
  channelLayout: z.string(),
  samplePeakDbfs: level,
  truePeakDbtp: level,
  rmsDbfs: level,
  crestFactorDb: level,
  noiseFloorDbfs: level,
  dcOffset: z.number(),
  clippedSamples: z.number(),
  leadingSilenceSeconds: z.number(),
  trailingSilenceSeconds: z.number(),
  correlation: z.number().nullable(),
  isDualMono: z.boolean(),
  silentChannels: z.array(z.number()),
  integratedLufs: level,
  momentaryMaxLufs: level,
  shortTermMaxLufs: level,
  loudnessRangeLu: level,
  spectrum: z
    .object({
      centroidHz: z.number(),
      bandwidthHz: z.number(),
      rollOffHz: z.number(),
      flatnessDb: z.number(),
      zeroCrossingsHz: z.number(),
      centroidMovementOctaves: z.number(),
    })
    .nullable(),
  onsets: z.array(z.object({ seconds: z.number(), strengthDb: z.number() })),
  tempoBpm: z.number().nullable(),
  key: z.string().nullable(),
  form: z.enum(['single', 'series', 'bed', 'loop']),
  weight: z.number().nullable(),
  activity: z.number().nullable(),
});
export type SoundMeasures = z.infer<typeof measuresSchema>;

/** Measured, not yet, or why it could not be. */
export const analysisSchema = z.object({
  measures: measuresSchema.nullable(),
  error: z.object({ code: z.string(), message: z.string() }).nullable(),
  /** The full audio digest; null until the audio was read as a whole. */
  audioDigest: z.string().nullable(),
});

/** So many waveforms of rows are asked for at once. */
export const MOST_WAVES = 100;
/** Pictures of a row's waveform are so many buckets wide. */
export const WAVE_BUCKETS = 84;

export const wavesQuerySchema = z.object({
  /** Numbers of sounds with commas between. */
  sounds: z
    .string()
    .regex(new RegExp(`^\\d{1,15}(,\\d{1,15}){0,${MOST_WAVES - 1}}$`), 'Up to a hundred numbers, with commas between.'),
});

/** Of each sound three bytes a bucket, all channels in one (core's audio/peaks.ts), in Base64. */
export const wavesSchema = z.array(z.object({ soundId: z.number(), values: z.base64() }));
export type Waves = z.infer<typeof wavesSchema>;

/** The part of a sound that is to be drawn, in frames, and in how many buckets. */
const peaksQuery = z.object({
  from: z.coerce.number().int().min(0).default(0),
  to: z.coerce.number().int().min(1).optional(),
  buckets: z.coerce.number().int().min(1).max(MOST_BUCKETS).default(MOST_BUCKETS),
});

export const measuresEndpoints = {
  getAnalysis: endpoint('GET', '/sounds/:id/analysis', {
    needs: as('listener', 'sound'),
    params: idParams,
    response: analysisSchema,
  }),
  /** The small waveforms of rows, of those sounds that were measured. */
  getWaves: endpoint('GET', '/waves', {
    needs: as('listener', 'anything'),
    query: wavesQuerySchema,
    response: wavesSchema,
  }),
};

export const measuresRawEndpoints = {
  /** The part of a sound that is drawn: the lowest and highest value, and the mean power, of each bucket. */
  getPeaks: rawEndpoint('GET', '/sounds/:id/peaks', {
    needs: as('listener', 'sound'),
    params: idParams,
    query: peaksQuery,
  }),
};
