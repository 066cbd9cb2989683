import { MOST_MARKS } from '@flagstone/core/audio/marks';
import type { SliceOptions } from '@flagstone/core/audio/slices/find-slices';
import type { TryOut } from '@flagstone/core/audio/try-out/try-out';
import { AppError } from '@flagstone/core/errors';
import type { SoundRow } from '@flagstone/contract/record';
import { eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { analyses, copies } from '../db/schema.ts';
import type { FoundSlices, SamplesPart } from '../drives/listen-worker.ts';
import { withAudio, type FrameRange } from '../drives/read-samples.ts';
import { copyThatIsHere } from './analyses.ts';
import { rowOfSound, rowsInOrder } from './sound-rows.ts';

const fileOf = (app: AppContext, soundId: number) => copyThatIsHere(app, sql`${copies.soundId} = ${soundId}`);

/** The samples of a part of a sound. Throws BAD_REQUEST when it is too long to be worked with at once. */
export async function samplesOf(
  app: AppContext,
  soundId: number,
  range: FrameRange,
  signal: AbortSignal,
): Promise<SamplesPart> {
  const { path } = await fileOf(app, soundId);
  return app.workers.listen<'samples'>({ path, what: 'samples', range }, signal);
}

/** Samples since midnight, from the file's bext; null where it says nothing. */
export async function fileTimeOf(app: AppContext, soundId: number): Promise<number | null> {
  const { path } = await fileOf(app, soundId);
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
  { from, to, columns, rows, size, scale, channel }: SpectrogramWish,
  signal: AbortSignal,
): Promise<Uint8Array<ArrayBuffer>> {
  const { path } = await fileOf(app, soundId);
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
  options: SliceOptions,
  signal: AbortSignal,
): Promise<FoundSlices> {
  const { path, mtimeMs } = await fileOf(app, soundId);
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
  part: FrameRange | null,
  tryOut: TryOut,
  signal: AbortSignal,
): Promise<{ name: string; bytes: Uint8Array<ArrayBuffer> }> {
  const row = await rowOfSound(app, soundId);
  if (!row) throw new AppError('NOT_FOUND', `There is no sound ${soundId}.`);
  const { path, name } = await fileOf(app, soundId);
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

/** Features are spread so that this distance is still alike. */
const MOST_ALIKE = 24;

/**
 * The sounds that are nearest to one by their features (core's feature-vector.ts), by the index over all of them, each with what it shares. Empty
 * while the sound is not measured, and for silence.
 */
export async function soundsAlike(app: AppContext, soundId: number): Promise<{ row: SoundRow; shares: string[] }[]> {
  const { rows } = await app.db.execute<{ id: number }>(sql`
    select a.sound_id as id from analyses a join sounds s on s.id = a.sound_id
    where a.features is not null and a.sound_id <> ${soundId} and s.filed_at is not null
    and exists (select from copies c where c.sound_id = s.id and not c.gone)
    order by a.features <-> (select features from analyses where sound_id = ${soundId}) limit ${MOST_ALIKE}`);
  const own = await rowOfSound(app, soundId);
  if (!own) throw new AppError('NOT_FOUND', `There is no sound ${soundId}.`);
  const [measured] = await app.db.select().from(analyses).where(eq(analyses.soundId, soundId));
  if (!measured?.features) return [];
  const alike = await rowsInOrder(
    app.db,
    'sounds',
    rows.map(({ id }) => id),
  );
  const theirs = new Map(
    (
      await app.db
        .select()
        .from(analyses)
        .where(sql`${analyses.soundId} = any(${`{${rows.map(({ id }) => id).join(',')}}`}::bigint[])`)
    ).map((row) => [row.soundId, row]),
  );
  return alike.map((row) => ({
    row,
    shares: sharedBy(own, row, measured.measures, theirs.get(row.soundId)?.measures ?? null),
  }));
}

type KeptMeasures = typeof analyses.$inferSelect.measures;

/** What two sounds have in common, in words. */
function sharedBy(own: SoundRow, other: SoundRow, mine: KeptMeasures, theirs: KeptMeasures): string[] {
  const shares: string[] = [];
  const near = (a: number | null | undefined, b: number | null | undefined, within: number): boolean =>
    typeof a === 'number' && typeof b === 'number' && Math.abs(a - b) <= within;
  if (own.record.catId !== '' && own.record.catId === other.record.catId) shares.push('category');
  if (mine && theirs) {
    if (mine.form === theirs.form) shares.push(mine.form);
    if (near(Math.log2(mine.durationSeconds + 0.05), Math.log2(theirs.durationSeconds + 0.05), 0.3))
      shares.push('length');
    if (near(mine.integratedLufs ?? mine.momentaryMaxLufs, theirs.integratedLufs ?? theirs.momentaryMaxLufs, 2))
      shares.push('loudness');
    if (mine.spectrum && theirs.spectrum) {
      if (near(Math.log2(mine.spectrum.centroidHz), Math.log2(theirs.spectrum.centroidHz), 0.25))
        shares.push('brightness');
      if (near(mine.spectrum.flatnessDb, theirs.spectrum.flatnessDb, 4))
        shares.push(mine.spectrum.flatnessDb > -12 ? 'noise' : 'tone');
    }
    if (near(mine.tempoBpm, theirs.tempoBpm, 2)) shares.push('tempo');
    if (near(mine.weight, theirs.weight, 0)) shares.push('weight');
  }
  return shares;
}
