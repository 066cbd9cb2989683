import { loudnessBytes } from '@flagstone/core/audio/loudness-curve';
import { rounded } from '@flagstone/core/audio/measure/rounded';
import { MEASURES_VERSION } from '@flagstone/core/audio/measure/sound-meter';
import { mergeChannels, MOST_BUCKETS, PEAK_BYTES, reducePeaks } from '@flagstone/core/audio/peaks';
import { AppError } from '@flagstone/core/errors';
import { WAVE_BUCKETS, type analysisSchema, type Waves } from '@flagstone/contract/measures';
import { and, asc, desc, eq, inArray, ne, or, sql } from 'drizzle-orm';
import type { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import { copyIsSeen, soundIsSeen } from '../rights/seen.ts';
import type { Transaction } from '../db/connect.ts';
import { analyses, copies, drives, measuringNow, records, soundPeaks, sounds } from '../db/schema.ts';
import { isUnchanged } from '../disk/file-stamp.ts';
import type { MeasuredFile, SteadyStamp } from '../disk/measure-file.ts';
import { filesOf } from '../drives/drives.ts';
import { noteDamage } from '../records/damage.ts';
import { keepFingerprint } from '../records/same-recordings.ts';
import { lockRecords, refreshSearch } from '../records/search-conditions.ts';

/** A copy to be measured, with the place of its file. */
export interface MeasurableCopy {
  copyId: number;
  soundId: number;
  /** As its row said when it was chosen: what is renamed or written meanwhile is measured another time. */
  folder: string;
  name: string;
  mtimeMs: number;
  /** Absolute, checked. */
  path: string;
}

/** Steps of the kept brightness: 24 to the octave, from 20 Hz. */
const BRIGHTNESS_LOW_HZ = 20;
const BRIGHTNESS_STEPS = 24;

function brightnessBytes(hertz: Float32Array): Buffer {
  return Buffer.from(
    hertz.map((value) =>
      value <= 0 ? 0 : Math.max(1, Math.min(255, Math.round(BRIGHTNESS_STEPS * Math.log2(value / BRIGHTNESS_LOW_HZ)))),
    ),
  );
}

const underWay = new Map<number, Promise<void>>();

/**
 * Measures a sound by one of its copies and keeps what was found, with the full digest of the copy, unless somebody is doing so in this process
 * already. Throws what measureFile throws.
 */
export function measureCopy(app: AppContext, copy: MeasurableCopy, signal?: AbortSignal): Promise<void> {
  const running =
    underWay.get(copy.copyId) ??
    whileNoted(app, copy, async () => keepMeasured(app, copy, await app.workers.measure(copy.path, signal))).finally(
      () => underWay.delete(copy.copyId),
    );
  underWay.set(copy.copyId, running);
  return running;
}

/** Times that a file may have been measured when its process ended. */
const MOST_ENDED = 2;

/**
 * Does something with a file that might end the process, with a note of it for whoever comes after. Throws WORK_FAILED, and forgets the note, when it ended so
 * twice already.
 */
async function whileNoted<Value>(app: AppContext, copy: MeasurableCopy, work: () => Promise<Value>): Promise<Value> {
  const { rows } = await app.db.execute<{ begun: number }>(sql`
    insert into measuring_now (copy_id, begun) values (${copy.copyId}, 1)
    on conflict (copy_id) do update set begun = measuring_now.begun + 1 returning begun`);
  try {
    if ((rows[0]?.begun ?? 0) > MOST_ENDED)
      throw new AppError('WORK_FAILED', `Flagstone ended ${MOST_ENDED} times while it measured ${copy.path}.`);
    return await work();
  } finally {
    await app.db.delete(measuringNow).where(eq(measuringNow.copyId, copy.copyId));
  }
}

/** Reads a copy of a sound that is measured already, to see that it holds the same audio; measures it when it does not. */
export async function proveCopy(app: AppContext, copy: MeasurableCopy, signal?: AbortSignal): Promise<void> {
  const { audioDigest, stamp } = await app.workers.digest(copy.path, signal);
  const isProved = await app.db.transaction(async (tx) => {
    await lockRecords(tx, [copy.soundId]);
    await lockedCopy(tx, copy, stamp);
    const [sound] = await tx.select().from(sounds).where(eq(sounds.id, copy.soundId));
    if (sound?.fullDigest !== audioDigest) return false;
    await tx
      .update(copies)
      .set({ fullDigest: audioDigest, provedAt: sql`now()`, damagedAt: null, damage: null })
      .where(eq(copies.id, copy.copyId));
    return true;
  });
  if (!isProved) await measureCopy(app, copy, signal);
}

async function keepMeasured(app: AppContext, copy: MeasurableCopy, measured: MeasuredFile): Promise<void> {
  const soundId = await app.db.transaction(async (tx) => {
    await lockRecords(tx, [copy.soundId]);
    await lockedCopy(tx, copy, measured.stamp);
    const soundId = await proveDigest(tx, copy, measured.audioDigest);
    // What a file says that does not hold its audio any more is not said of its sound.
    if (soundId !== undefined) await keepAnalysis(tx, soundId, measured);
    return soundId ?? copy.soundId;
  });
  const soundIds = soundId === copy.soundId ? [soundId] : [soundId, copy.soundId];
  await app.live.publish(app.db, { type: 'records', soundIds, measured: soundIds.length === 1 });
}

/**
 * Holds the row of a copy. Throws FILE_CHANGED when it is another sound by now, or its file another one than that which was read for the row:
 * what was measured would be said of the wrong audio.
 */
async function lockedCopy(
  tx: Transaction,
  { copyId, soundId, path }: MeasurableCopy,
  stamp: SteadyStamp,
): Promise<void> {
  const [row] = await tx.select().from(copies).where(eq(copies.id, copyId)).for('no key update');
  if (row?.soundId !== soundId || !isUnchanged(row, stamp))
    throw new AppError('FILE_CHANGED', `${path} is not the file that was read into the catalogue.`);
}

async function keepAnalysis(
  tx: Transaction,
  soundId: number,
  { measures, peaks, brightness, loudnessCurve, fingerprint, length }: MeasuredFile,
) {
  const { features, ...others } = measures;
  const { integratedLufs, momentaryMaxLufs, truePeakDbtp, channelLayout, form } = measures;
  const row = {
    soundId,
    version: MEASURES_VERSION,
    measures: rounded(others),
    error: null,
    loudnessLufs: integratedLufs ?? momentaryMaxLufs,
    truePeakDbtp,
    channelLayout,
    form,
    features: features === null ? null : `(${features.join(',')})`,
    brightness: brightnessBytes(brightness.hertz),
    brightnessHop: brightness.hopSeconds,
    loudnessCurve: Buffer.from(loudnessBytes(loudnessCurve)),
    measuredAt: new Date(),
  };
  await tx.insert(analyses).values(row).onConflictDoUpdate({ target: analyses.soundId, set: row });
  await keepFingerprint(tx, soundId, fingerprint);
  await tx.delete(soundPeaks).where(eq(soundPeaks.soundId, soundId));
  const channels = peaks[0] ? peaks[0].values.length / PEAK_BYTES / Math.max(1, peaks[0].buckets) : 0;
  const rows = peaks.map(({ values, ...level }, index) => ({
    soundId,
    level: index,
    channels,
    ...level,
    values: Buffer.from(values.buffer, values.byteOffset, values.byteLength),
  }));
  if (rows.length > 0) await tx.insert(soundPeaks).values(rows);
  // What a header did not say, or said wrongly, is known now.
  const { frames, isCutShort } = length;
  await tx
    .update(sounds)
    .set({ frames, durationSeconds: sql`${frames}::float8 / ${sounds.sampleRateHz}`, isCutShort })
    .where(and(eq(sounds.id, soundId), or(ne(sounds.frames, frames), ne(sounds.isCutShort, isCutShort))));
}

/**
 * Notes the full digest of a copy. The first proves the sound; a copy with another one only looked like it in the samples of the quick
 * digest: it becomes a sound of its own, with the same record. One that was proved to hold its sound, and was not changed since, is damaged. Returns the copy's sound, nothing
 * for a damaged one.
 */
async function proveDigest(
  tx: Transaction,
  { copyId, soundId }: MeasurableCopy,
  digest: string,
): Promise<number | undefined> {
  // Not for all updates: a revision of its record, which points at the sound, may be under way in an edit that will ask for the copy next.
  const [sound] = await tx.select().from(sounds).where(eq(sounds.id, soundId)).for('no key update');
  if (!sound) throw new AppError('NOT_FOUND', `There is no sound ${soundId} any more.`);
  const [copy] = await tx.select({ provedAt: copies.provedAt }).from(copies).where(eq(copies.id, copyId));
  if (copy?.provedAt && sound.fullDigest !== null && sound.fullDigest !== digest) {
    const message = 'Its audio is not what it was when it was proved, though its size and its time are the same.';
    await noteDamage(tx, copyId, digest, new AppError('AUDIO_DAMAGED', message));
    return undefined;
  }
  await tx
    .update(copies)
    .set({ fullDigest: digest, provedAt: sql`now()`, damagedAt: null, damage: null })
    .where(eq(copies.id, copyId));
  if (sound.fullDigest === digest) return soundId;
  if (sound.fullDigest === null) {
    await tx.update(sounds).set({ fullDigest: digest }).where(eq(sounds.id, soundId));
    return soundId;
  }
  const { id: _id, ...facts } = sound;
  const ownDigest = `${sound.quickDigest}+${digest}`;
  await tx
    .insert(sounds)
    .values({ ...facts, quickDigest: ownDigest, fullDigest: digest })
    .onConflictDoNothing();
  const [own] = await tx.select().from(sounds).where(eq(sounds.quickDigest, ownDigest));
  if (!own) throw new AppError('INTERNAL', 'The sound of its own could not be recorded.');
  const [record] = await tx.select().from(records).where(eq(records.soundId, soundId));
  if (record)
    await tx
      .insert(records)
      .values({ ...record, soundId: own.id })
      .onConflictDoNothing();
  await tx.update(copies).set({ soundId: own.id }).where(eq(copies.id, copyId));
  await refreshSearch(tx, [soundId, own.id]);
  return own.id;
}

/**
 * Notes that a sound cannot be measured, so that it is not tried again until its file or Flagstone changes, or somebody asks. Not when its row
 * changed meanwhile: then it was renamed or written by Flagstone itself, and is measured another time.
 */
export async function keepMeasuringError(app: AppContext, copy: MeasurableCopy, error: AppError): Promise<void> {
  const row = {
    soundId: copy.soundId,
    version: MEASURES_VERSION,
    error: { code: error.code, message: error.message },
    measuredAt: new Date(),
  };
  const unchanged = and(
    eq(copies.id, copy.copyId),
    eq(copies.folder, copy.folder),
    eq(copies.name, copy.name),
    eq(copies.mtimeMs, copy.mtimeMs),
  );
  await app.db.transaction(async (tx) => {
    const marked = await tx.update(copies).set({ fullDigest: '' }).where(unchanged).returning({ id: copies.id });
    // What another copy gave stays.
    if (marked.length > 0) await tx.insert(analyses).values(row).onConflictDoNothing();
  });
}

/** What was measured of a sound, as far as it was. Throws NOT_FOUND. */
export async function getAnalysis(app: AppContext, soundId: number): Promise<z.infer<typeof analysisSchema>> {
  const [row] = await app.db
    .select({ measures: analyses.measures, error: analyses.error, audioDigest: sounds.fullDigest })
    .from(sounds)
    .leftJoin(analyses, eq(analyses.soundId, sounds.id))
    .where(eq(sounds.id, soundId));
  if (!row) throw new AppError('NOT_FOUND', `There is no sound ${soundId}.`);
  return row;
}

export interface PeaksAnswer {
  channels: number;
  buckets: number;
  /** The frames that the buckets really cover. */
  from: number;
  to: number;
  values: Uint8Array;
}

/** A part of a sound, in frames; `to` absent is its end. */
export interface PeaksRange {
  from: number;
  to?: number | undefined;
  buckets: number;
}

/**
 * The picture of a part of a waveform in at most so many buckets, from the coarsest level that is fine enough, of which only that part is read.
 * A sound that was not measured yet is measured at once, from any copy that is here. Throws FILE_VANISHED when none is.
 */
export async function peaksOf(app: AppContext, soundId: number, sight: Sight, range: PeaksRange): Promise<PeaksAnswer> {
  const levels = await levelsOf(app, soundId);
  if (levels.length === 0) {
    const copy = await copyThatIsHere(app, sql`${copies.soundId} = ${soundId}`, sight);
    await measureCopy(app, copy);
    levels.push(...(await levelsOf(app, soundId)));
  }
  const [finest] = levels;
  if (!finest) throw new AppError('CODEC_NOT_SUPPORTED', 'The audio has nothing to draw.');
  const end = Math.min(range.to ?? Infinity, finest.buckets * finest.framesPerBucket);
  const from = Math.min(range.from, end);
  const level = levels.findLast((each) => (end - from) / each.framesPerBucket >= range.buckets) ?? finest;
  const first = Math.floor(from / level.framesPerBucket);
  const count = Math.max(1, Math.min(level.buckets, Math.ceil(end / level.framesPerBucket)) - first);
  const stride = level.channels * PEAK_BYTES;
  const { rows } = await app.db.execute<{ part: Buffer }>(sql`
    select substring("values" from ${first * stride + 1}::int for ${count * stride}::int) as part
    from sound_peaks where sound_id = ${soundId} and level = ${level.level}`);
  const part = rows[0]?.part ?? Buffer.alloc(0);
  const buckets = Math.min(count, range.buckets, MOST_BUCKETS);
  const values = buckets < count ? reducePeaks(part, level.channels, buckets) : new Uint8Array(part);
  const covered = { from: first * level.framesPerBucket, to: (first + count) * level.framesPerBucket };
  return { channels: level.channels, buckets, ...covered, values };
}

/** The small waveforms of those of the sounds that were measured, from their coarsest level. */
export async function smallWaves(app: AppContext, soundIds: readonly number[], sight: Sight): Promise<Waves> {
  const coarsest = await app.db
    .selectDistinctOn([soundPeaks.soundId])
    .from(soundPeaks)
    .where(and(inArray(soundPeaks.soundId, [...soundIds]), soundIsSeen(sight, sql`${soundPeaks.soundId}`)))
    .orderBy(soundPeaks.soundId, desc(soundPeaks.level));
  return coarsest.map(({ soundId, channels, buckets, values }) => {
    const reduced = reducePeaks(values, channels, Math.min(buckets, WAVE_BUCKETS));
    return { soundId, values: Buffer.from(mergeChannels(reduced, channels)).toString('base64') };
  });
}

/** The zooms of a sound, finest first. */
function levelsOf(app: AppContext, soundId: number) {
  const { level, channels, framesPerBucket, buckets } = soundPeaks;
  return app.db
    .select({ level, channels, framesPerBucket, buckets })
    .from(soundPeaks)
    .where(eq(soundPeaks.soundId, soundId))
    .orderBy(asc(soundPeaks.level));
}

/** The first copy that is here, matches and is seen, with its checked absolute path. Throws FILE_VANISHED when there is none. */
export async function copyThatIsHere(
  app: AppContext,
  condition: ReturnType<typeof sql>,
  sight: Sight,
): Promise<MeasurableCopy> {
  const rows = await app.db
    .select()
    .from(copies)
    .innerJoin(drives, eq(drives.id, copies.driveId))
    .where(and(condition, copyIsSeen(sight, sql`${copies.readFolderId}`)))
    .orderBy(copies.gone, copies.id);
  let lastError: AppError | undefined;
  for (const { copies: copy, drives: drive } of rows) {
    try {
      const path = await filesOf(app, drive).existing(copy.folder, copy.name);
      const { id: copyId, soundId, folder, name, mtimeMs } = copy;
      return { copyId, soundId, folder, name, mtimeMs, path };
    } catch (error) {
      if (!(error instanceof AppError)) throw error;
      lastError = error;
    }
  }
  throw lastError ?? new AppError('FILE_VANISHED', 'No copy of this sound is known.');
}
