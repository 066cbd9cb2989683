import type { AlikeSound, HeardSound } from '@flagstone/contract/listening';
import { SHAPE_FEATURES } from '@flagstone/core/audio/measure/feature-vector';
import { AppError } from '@flagstone/core/errors';
import { sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { analyses, SHAPE } from '../db/schema.ts';
import { idList } from '../db/sql-parts.ts';
import type { Sight } from '../rights/rights.ts';
import { copyIsSeen } from '../rights/seen.ts';
import { withScratchFile, type Incoming } from '../disk/scratch-file.ts';
import { rowOfSound, rowsInOrder } from '../records/sound-rows.ts';

/** Features are spread so that this distance is still alike. */
const MOST_ALIKE = 24;
/** A sound to compare with is no collection: 256 MiB are half an hour of stereo at 48 kHz in 24 bits. */
const MOST_BYTES = 256 * 1024 * 1024;

type KeptMeasures = typeof analyses.$inferSelect.measures;
interface Own {
  catId: string;
  measures: KeptMeasures;
}

/**
 * The sounds that are nearest to one by their features (core's feature-vector.ts), by the index over all of them, each with what it shares. Empty
 * while the sound is not measured, and for silence. Throws NOT_FOUND.
 */
export async function soundsAlike(app: AppContext, soundId: number, sight: Sight): Promise<AlikeSound[]> {
  const own = await rowOfSound(app, soundId, sight);
  if (!own) throw new AppError('NOT_FOUND', `There is no sound ${soundId}.`);
  const [measured] = await app.db
    .select()
    .from(analyses)
    .where(sql`${analyses.soundId} = ${soundId}`);
  if (!measured?.features) return [];
  const distance = sql`a.features <-> (select features from analyses where sound_id = ${soundId})`;
  return nearest(app, distance, soundId, sight, { catId: own.record.catId, measures: measured.measures });
}

/**
 * The sounds that are nearest to one that comes from outside and is not kept: by everything, or only by how it goes, which is all that humming and knocking say.
 * Throws what measuring throws, and TOO_LARGE.
 */
export async function soundsLike(
  app: AppContext,
  audio: Incoming,
  by: 'everything' | 'shape',
  sight: Sight,
  signal: AbortSignal,
): Promise<HeardSound> {
  const { measures } = await withScratchFile(audio, MOST_BYTES, signal, (file) =>
    app.workers.measure(file, signal).catch((error: unknown) => {
      // Nobody knows the name that the file has here.
      if (error instanceof AppError)
        throw new AppError(error.code, error.message.replaceAll(file, 'The sound'), { cause: error });
      throw error;
    }),
  );
  const { features, ...others } = measures;
  const { durationSeconds } = others;
  if (!features) return { durationSeconds, alike: [] };
  const numbers = by === 'everything' ? features : SHAPE_FEATURES.map((number) => features[number - 1] ?? 0);
  const asked = sql`${`(${numbers.join(',')})`}::cube`;
  const distance =
    by === 'everything' ? sql`a.features <-> ${asked}` : sql`cube_subset(a.features, ${SHAPE}) <-> ${asked}`;
  return { durationSeconds, alike: await nearest(app, distance, 0, sight, { catId: '', measures: others }) };
}

async function nearest(app: AppContext, distance: SQL, except: number, sight: Sight, own: Own): Promise<AlikeSound[]> {
  const { rows } = await app.db.execute<{ id: number }>(sql`
    select a.sound_id as id from analyses a join sounds s on s.id = a.sound_id
    where a.features is not null and a.sound_id <> ${except} and s.filed_at is not null
    and exists (select from copies c where c.sound_id = s.id and not c.gone and ${copyIsSeen(sight)})
    order by ${distance} limit ${MOST_ALIKE}`);
  const ids = rows.map(({ id }) => id);
  const alike = await rowsInOrder(app.db, 'sounds', ids, sight);
  const measured = await app.db
    .select()
    .from(analyses)
    .where(sql`${analyses.soundId} = any(${idList(ids)})`);
  const measuresOf = new Map(measured.map((row) => [row.soundId, row.measures]));
  return alike.map((row) => ({
    row,
    shares: sharedBy(own, { catId: row.record.catId, measures: measuresOf.get(row.soundId) ?? null }),
  }));
}

/** What two sounds have in common, in words. */
function sharedBy({ catId, measures: mine }: Own, { catId: otherCatId, measures: theirs }: Own): string[] {
  const shares: string[] = [];
  const near = (a: number | null | undefined, b: number | null | undefined, within: number): boolean =>
    typeof a === 'number' && typeof b === 'number' && Math.abs(a - b) <= within;
  if (catId !== '' && catId === otherCatId) shares.push('category');
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
