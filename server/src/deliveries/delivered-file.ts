import path from 'node:path';
import { deliveredForm, type DeliveredForm, type DeliveryProblem } from '@flagstone/core/delivery/audio-form';
import { deliveredRecord } from '@flagstone/core/delivery/delivered-record';
import type { DeliveryProfile } from '@flagstone/core/delivery/profile';
import { AppError } from '@flagstone/core/errors';
import type { AudioFacts } from '@flagstone/core/formats/audio-file';
import { eq, sql } from 'drizzle-orm';
import pLimit from 'p-limit';
import type { AppContext } from '../app-context.ts';
import { copies, records } from '../db/schema.ts';
import type { ConvertedFile } from '../disk/convert-file.ts';
import type { Contents } from '../disk/keep-file.ts';
import { withAudio } from '../disk/read-samples.ts';
import { withScratchNames, writeScratch } from '../disk/scratch-names.ts';
import { withRecordIfPossible } from '../delivering/copy-out.ts';
import { copyThatIsHere } from '../listening/analyses.ts';
import { exportOf } from '../listening/listening.ts';
import type { Sight } from '../rights/rights.ts';
import type { DeliveryItemRow } from '../db/deliveries-schema.ts';

/** What making a file needs to know of its delivery. */
export interface Making {
  profile: DeliveryProfile;
  sight: Sight;
  /** Where what is made lies until it is copied: on the drive that it goes to. */
  scratchFolder: string;
}

/**
 * Makes the file of an item, hands its contents to `place`, and removes what was made for it. Returns what `place` does, and what there is to tell of it. Throws FILE_CHANGED when the sound is not
 * what it was when the tree was laid, and what reading, converting and placing throw.
 */
export async function withDelivered<Value>(
  app: AppContext,
  item: DeliveryItemRow,
  { profile, sight, scratchFolder }: Making,
  place: (contents: Contents) => Promise<Value>,
): Promise<{ value: Value; told: DeliveryProblem[] }> {
  const isTried = item.tryOut.some(({ on }) => on);
  return withScratchNames(scratchFolder, 3, async ([target = '', working = '', tried = '']) => {
    const source = isTried ? await triedOut(app, item, sight, tried) : await sourceOf(app, item, sight);
    const facts = await withAudio(source, (_, read) => Promise.resolve(read));
    const form = deliveredForm(facts, profile.audio, item.part !== null || isTried);
    const told: DeliveryProblem[] = [];
    let made = source;
    if (form.kind === 'made') {
      const converted = await convert(app, form, item, { source, target, working, profile, isTried });
      told.push(...toldOf(converted));
      made = target;
    } else checkSame(facts, item);
    const record = profile.withRecord ? await recordOf(app, item, facts, form, isTried) : undefined;
    const tell = (why: AppError): void => void told.push({ code: why.code, severity: 'notice', message: why.message });
    const value = await withRecordIfPossible({ path: made, record }, place, tell);
    return { value, told };
  });
}

/** The selected copy where it is here, else another one of the sound. */
async function sourceOf(app: AppContext, { copyId, soundId }: DeliveryItemRow, sight: Sight): Promise<string> {
  const own = sql`${copies.id} = ${copyId} and ${copies.soundId} = ${soundId}`;
  const copy = await copyThatIsHere(app, own, sight).catch((error: unknown) => {
    if (!(error instanceof AppError)) throw error;
    return copyThatIsHere(app, sql`${copies.soundId} = ${soundId}`, sight);
  });
  return copy.path;
}

/** One at a time in this process: each is rendered in memory. */
const oneAtATime = pLimit(1);

/** What was tried out, as a WAV file. */
async function triedOut(app: AppContext, item: DeliveryItemRow, sight: Sight, file: string): Promise<string> {
  const { signal } = new AbortController();
  return oneAtATime(async () => {
    const { bytes } = await exportOf(app, item.soundId, sight, item.part, item.tryOut, signal);
    await writeScratch(file, bytes);
    return file;
  });
}

function checkSame({ container }: AudioFacts, { made, from }: DeliveryItemRow): void {
  if (made === '') return;
  throw new AppError('FILE_CHANGED', `${from} is ${container} as it is wanted now: lay the tree again.`);
}

function convert(
  app: AppContext,
  form: Extract<DeliveredForm, { kind: 'made' }>,
  item: DeliveryItemRow,
  {
    source,
    target,
    working,
    profile,
    isTried,
  }: { source: string; target: string; working: string; profile: DeliveryProfile; isTried: boolean },
): Promise<ConvertedFile> {
  const file = form.files[item.file];
  const error = form.problems.find(({ severity }) => severity === 'error');
  if (!file || error || item.made === '' || path.extname(item.path).toLowerCase() !== form.extension)
    throw new AppError('FILE_CHANGED', `${item.from} is another file than when the tree was laid: lay it again.`);
  const { container, sampleRateHz, sampleFormat, bitDepth, isRounded } = form;
  const { dither, level } = profile.audio;
  return app.workers.convert({
    source,
    // What was tried out is the part already.
    range: isTried ? null : item.part,
    target,
    working,
    container,
    sampleRateHz,
    sampleFormat,
    bitDepth,
    dither: dither && isRounded,
    matrix: file.matrix,
    level,
  });
}

async function recordOf(
  app: AppContext,
  item: DeliveryItemRow,
  facts: AudioFacts,
  form: DeliveredForm,
  isTried: boolean,
) {
  const [record] = await app.db.select().from(records).where(eq(records.soundId, item.soundId));
  if (!record) throw new AppError('NOT_FOUND', 'The sound has no record any more.');
  const toHz = form.kind === 'made' ? form.sampleRateHz : facts.sampleRateHz;
  return deliveredRecord(record, { isWhole: item.part === null && !isTried, fromHz: facts.sampleRateHz, toHz });
}

/** Quieter than this after channels were summed, somebody should listen, dB; our own choice. */
const MUCH_LOST_DB = 6;

function toldOf({ gainDb, level, lostDb }: ConvertedFile): DeliveryProblem[] {
  const told: DeliveryProblem[] = [];
  const notice = (code: string, message: string): void => void told.push({ code, severity: 'notice', message });
  if (level === 'lowered')
    notice('LEVEL_LOWERED', `Made quieter by ${(-gainDb).toFixed(1)} dB, so that nothing is clipped.`);
  if (level === 'heldByCeiling')
    notice('LEVEL_HELD', 'Its true peak stands at the ceiling: the loudness that was wanted is not reached.');
  if (level === 'tooShort') notice('LEVEL_KEPT', 'Too short for its loudness to be known: its level is as it was.');
  if (lostDb > MUCH_LOST_DB)
    notice('PHASE_LOST', `Its channels are opposite in part: summed, it lost ${lostDb.toFixed(0)} dB. Listen to it.`);
  return told;
}
