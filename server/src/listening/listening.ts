import { MOST_MARKS } from '@flagstone/core/record/marks';
import type { SliceOptions } from '@flagstone/core/audio/slices/find-slices';
import type { TryOut } from '@flagstone/core/audio/try-out/try-out';
import { AppError } from '@flagstone/core/errors';
import { eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import { analyses, copies } from '../db/schema.ts';
import type { FoundSlices, SamplesPart } from '../workers/listen-worker.ts';
import { withAudio, type FrameRange } from '../disk/read-samples.ts';
import { copyThatIsHere } from './analyses.ts';
import { rowOfSound } from '../records/sound-rows.ts';

const fileOf = (app: AppContext, soundId: number, sight: Sight) =>
  copyThatIsHere(app, sql`${copies.soundId} = ${soundId}`, sight);

/** The samples of a part of a sound. Throws BAD_REQUEST when it is too long to be worked with at once. */
export async function samplesOf(
  app: AppContext,
  soundId: number,
  sight: Sight,
  range: FrameRange,
  signal: AbortSignal,
): Promise<SamplesPart> {
  const { path } = await fileOf(app, soundId, sight);
  return app.workers.listen<'samples'>({ path, what: 'samples', range }, signal);
}

/** Samples since midnight, from the file's bext; null where it says nothing. */
export async function fileTimeOf(app: AppContext, soundId: number, sight: Sight): Promise<number | null> {
  const { path } = await fileOf(app, soundId, sight);
  return withAudio(path, (_, facts) => Promise.resolve(facts.timeReference ?? null));
}

export interface SpectrogramWish extends FrameRange {
  columns: number;
  rows: number;
  size: number;
  scale: 'log' | 'linear';
  channel: number;
}

/** The spectrogram of a part, column after column; core's audio/spectrogram.ts says what the bytes mean. */
export async function spectrogramOf(
  app: AppContext,
  soundId: number,
  sight: Sight,
  { from, to, columns, rows, size, scale, channel }: SpectrogramWish,
  signal: AbortSignal,
): Promise<Uint8Array<ArrayBuffer>> {
  const { path } = await fileOf(app, soundId, sight);
  const task = {
    path,
    what: 'spectrogram' as const,
    range: { from, to },
    columns,
    shape: { rows, size, scale },
    channel,
  };
  return app.workers.listen<'spectrogram'>(task, signal);
}

/** The slices that a sound falls into, and where each strikes; nothing is recorded. */
export async function findSlicesOf(
  app: AppContext,
  soundId: number,
  sight: Sight,
  options: SliceOptions,
  signal: AbortSignal,
): Promise<FoundSlices> {
  const { path, mtimeMs } = await fileOf(app, soundId, sight);
  const found = await app.workers.listen<'slices'>({ path, what: 'slices', options, mtimeMs }, signal);
  if (found.slices.length > MOST_MARKS)
    throw new AppError(
      'BAD_REQUEST',
      `${found.slices.length} slices would be found, more than ${MOST_MARKS}: take a lower sensitivity or a longer least length.`,
    );
  return found;
}

export interface Curves {
  brightness: Buffer;
  brightnessHopSeconds: number;
  loudness: Buffer;
}

/** The brightness and the loudness of a sound over time, a byte a value; empty while it is not measured. */
export async function curvesOf(app: AppContext, soundId: number): Promise<Curves> {
  const [row] = await app.db.select().from(analyses).where(eq(analyses.soundId, soundId));
  return {
    brightness: row?.brightness ?? Buffer.alloc(0),
    brightnessHopSeconds: row?.brightnessHop ?? 0,
    loudness: row?.loudnessCurve ?? Buffer.alloc(0),
  };
}

/** A WAV file of a part (the whole sound when none is named) as it sounds after it was tried out. */
export async function exportOf(
  app: AppContext,
  soundId: number,
  sight: Sight,
  part: FrameRange | null,
  tryOut: TryOut,
  signal: AbortSignal,
): Promise<{ name: string; bytes: Uint8Array<ArrayBuffer> }> {
  const row = await rowOfSound(app, soundId, sight);
  if (!row) throw new AppError('NOT_FOUND', `There is no sound ${soundId}.`);
  const { path, name } = await fileOf(app, soundId, sight);
  const range = part ?? { from: 0, to: row.facts.frames };
  // Marks are of the sound as it was.
  const record = { ...row.record, slices: '', syncPoints: '' };
  const bytes = await app.workers.listen<'export'>({ path, what: 'export', range, tryOut, record }, signal);
  return { name: exportName(name, tryOut), bytes };
}

function exportName(name: string, tryOut: TryOut): string {
  const base = name.replace(/\.[^.]*$/, '');
  return `${base}${tryOut.some(({ on }) => on) ? ' tried out' : ''}.wav`;
}
