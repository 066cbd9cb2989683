import { marksOf, MOST_MARKS, slicesText, syncPointsText } from '@flagstone/core/record/marks';
import { AppError } from '@flagstone/core/errors';
import { emptyRecord, type SoundRecord } from '@flagstone/core/record/fields';
import { freeName, legalText, splitExtension } from '@flagstone/core/naming/name-blocks';
import { nameAfter, type NamingPattern } from '@flagstone/core/naming/naming-pattern';
import type { Cut } from '@flagstone/contract/listening';
import type { Plan } from '@flagstone/contract/plans';
import { eq, sql } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import { copyIsSeen } from '../rights/seen.ts';
import { copies, drives, sounds, type JournalProblem } from '../db/schema.ts';
import { cutFile, cutForm } from '../disk/cut-file.ts';
import { diskError } from '../disk/disk-errors.ts';
import { settleLeftovers } from '../disk/leftovers.ts';
import { removeMadeFile } from '../disk/remove-file.ts';
import { withAudio } from '../disk/read-samples.ts';
import { emptyCounts, writeChunk } from '../intake/index-writer.ts';
import { copyThatIsHere } from '../listening/analyses.ts';
import { patternsOf } from '../drives/collections.ts';
import { driveFolderOf, filesOf, type DriveFolder } from '../drives/drives.ts';
import { unknownWrites } from '../drives/known-writes.ts';
import { readFolderFinder, rememberFolder } from '../intake/read-folders.ts';
import type { Fence } from '../jobs/fence.ts';
import { enterFolder } from './copies.ts';
import { beginItem, setState, subjectOf, type JournalRow } from './journal-items.ts';
import type { NewItem } from './plan-item.ts';
import { getPlan, storePlan } from './plans.ts';
import { rowOfSound } from '../records/sound-rows.ts';
import { lockRecords } from '../records/search-conditions.ts';

/** What a cut item says before: the file, and the part of it that is meant. */
const beforeSchema = z.object({ name: z.string(), from: z.number(), to: z.number() });
/** And after: the new file's name and record; once it is made, what its audio is known by, and its row. */
const afterSchema = z.object({
  /** Where it goes; beside its source where that is not said. */
  driveId: z.uuid().optional(),
  folder: z.string().optional(),
  name: z.string(),
  record: z.custom<SoundRecord>((value) => typeof value === 'object' && value !== null),
  fadeInSeconds: z.number(),
  fadeOutSeconds: z.number(),
  quickDigest: z.string().optional(),
  madeCopyId: z.number().optional(),
});

/**
 * Previews cutting parts out of a sound into files of their own, beside it or in another folder, named after the collection's pattern with a number, or with the name
 * of the part. Touches no file.
 */
export async function planCut(
  app: AppContext,
  soundId: number,
  cut: Cut,
  personId: number,
  sight: Sight,
): Promise<Plan> {
  const row = await rowOfSound(app, soundId, sight);
  if (!row) throw new AppError('NOT_FOUND', `There is no sound ${soundId}.`);
  const { copyId, folder, name } = await copyThatIsHere(app, sql`${copies.soundId} = ${soundId}`, sight);
  const [drive] = await app.db
    .select({ drive: drives })
    .from(copies)
    .innerJoin(drives, eq(drives.id, copies.driveId))
    .where(eq(copies.id, copyId));
  if (!drive) throw new AppError('NOT_FOUND', `Copy ${copyId} is not known any more.`);
  const files = filesOf(app, drive.drive);
  const target =
    cut.toPath.trim() === '' ? { drive: drive.drive, folder } : await folderFor(app, cut.toPath, personId, sight);
  const names = await filesOf(app, target.drive).folderNames(target.folder);
  const pattern = (await patternsOf(app, [copyId]))(copyId);
  const { extension, isLossless } = await withAudio(await files.existing(folder, name), (_, facts) =>
    Promise.resolve(cutForm(facts)),
  );
  let number = 1;
  const digits = Math.max(2, String(cut.parts.length).length);
  const numberOf = (value: number): string => String(value).padStart(digits, '0');
  const items = cut.parts.map((part): NewItem => {
    const problems: JournalProblem[] = [];
    if (part.to > row.facts.frames || part.to <= part.from) {
      const message = `The part from frame ${part.from} to ${part.to} does not lie within the sound (${row.facts.frames} frames).`;
      problems.push({ code: 'BAD_REQUEST', severity: 'error', message });
    }
    if (!isLossless) {
      const message = 'Its audio is coded with loss: the part is decoded to 24 bits, so that nothing more is lost.';
      problems.push({ code: 'DECODED', severity: 'notice', message });
    }
    const laid = (own: string): { record: SoundRecord; planned: string } => {
      const record = recordOfPart(row.record, part, own, name, row.facts.sampleRateHz);
      return { record, planned: nameOfPart(app, pattern, record, name, extension, own) };
    };
    let own = part.name.trim() || numberOf(number);
    let { record, planned } = laid(own);
    if (part.name.trim() === '') {
      // Numbers go on where earlier cuts ended.
      for (; names.has(planned) && number < MOST_MARKS; { record, planned } = laid(own)) {
        number += 1;
        own = numberOf(number);
      }
      number += 1;
    }
    const free = freeName(planned, (key) => names.hasKey(key));
    names.take(free);
    const { fadeInSeconds, fadeOutSeconds } = cut;
    return {
      copyId,
      state: problems.some(({ severity }) => severity === 'error') ? 'blocked' : 'planned',
      before: { name, from: part.from, to: part.to },
      after: { driveId: target.drive.id, folder: target.folder, name: free, record, fadeInSeconds, fadeOutSeconds },
      problems,
    };
  });
  // eslint-disable-next-line @typescript-eslint/require-await -- one page, which is there
  const planId = await storePlan(app, { kind: 'cut', batchId: null, personId }, async function* () {
    yield items;
  });
  return getPlan(app, planId);
}

/** A folder that is known from now on, so that what goes there belongs to a collection. */
async function folderFor(app: AppContext, wanted: string, personId: number, sight: Sight): Promise<DriveFolder> {
  const place = await driveFolderOf(app, await app.roots.checkedFolder(wanted.trim()));
  await rememberFolder(app, place, personId, sight);
  return place;
}

/** Where the file of an item is made. */
async function placeOf(app: AppContext, item: JournalRow, copy: CopyRow) {
  const { driveId = copy.driveId, folder = copy.folder, name } = afterSchema.parse(item.after);
  const [drive] = await app.db.select().from(drives).where(eq(drives.id, driveId));
  if (!drive) throw new AppError('NOT_FOUND', 'The drive is not known any more.');
  return { driveId, folder, name, files: filesOf(app, drive) };
}
type Place = Awaited<ReturnType<typeof placeOf>>;

/** What the part says of itself: everything that its source says, its own name, the marks that lie within it, and where it comes from. */
function recordOfPart(
  source: SoundRecord,
  { from, to }: Cut['parts'][number],
  own: string,
  fileName: string,
  sampleRateHz: number,
): SoundRecord {
  const within = marksOf(source.slices, source.syncPoints)
    .filter((mark) => mark.from >= from && mark.to <= to && !(mark.from === from && mark.to === to))
    .map((mark) => ({ ...mark, from: mark.from - from, to: mark.to - from }));
  const seconds = (frame: number): string => (frame / sampleRateHz).toFixed(3);
  const note = `Cut out of ${fileName}, ${seconds(from)} s to ${seconds(to)} s.`;
  return {
    ...emptyRecord(),
    ...source,
    fxName: source.fxName === '' ? '' : `${source.fxName} ${own}`,
    notes: source.notes === '' ? note : `${source.notes}\n${note}`,
    form: source.form === 'series' ? 'single' : source.form,
    slices: slicesText(within.filter((mark) => mark.to > mark.from)),
    syncPoints: syncPointsText(
      within.filter((mark) => mark.to === mark.from).map((mark) => ({ at: mark.from, name: mark.name })),
    ),
  };
}

/** After the pattern; where the record does not fill that yet, the source's name with the number. */
function nameOfPart(
  app: AppContext,
  pattern: NamingPattern,
  record: SoundRecord,
  sourceName: string,
  extension: string,
  own: string,
): string {
  const planned = nameAfter(pattern, record, extension, app.categories, 'fxName');
  if (!planned.problems.some(({ severity }) => severity === 'error')) return planned.name;
  return `${splitExtension(sourceName).base} ${legalText(own)}${extension}`;
}

/** Makes the file of a cut item and takes it up as a sound of its own, the child of its source. */
export async function performCut(app: AppContext, item: JournalRow, fence: Fence): Promise<void> {
  const { copy, files } = await subjectOf(app, item);
  const [before, after] = [beforeSchema.parse(item.before), afterSchema.parse(item.after)];
  await files.expected(copy, await files.stampOf(copy.folder, copy.name), copy.name);
  const source = await files.existing(copy.folder, copy.name);
  const place = await placeOf(app, item, copy);
  await enterFolder(app, place.files, place.folder);
  await beginItem(app.db, item, 'started', fence);
  const target = place.files.absolute(place.folder, place.name);
  let digest = '';
  try {
    const told = async (quickDigest: string): Promise<void> => {
      digest = quickDigest;
      await beginItem(app.db, item, 'started', fence, { after: { ...item.after, quickDigest } });
    };
    await cutFile(source, target, { ...after, range: before }, told, place.files.root);
  } catch (error) {
    throw diskError(error, target);
  }
  await takeUp(app, item, copy, place, digest);
}

type CopyRow = typeof copies.$inferSelect;

/** Records the new file; the item is done with it. */
async function takeUp(
  app: AppContext,
  item: JournalRow,
  copy: CopyRow,
  { driveId, folder, name, files }: Place,
  quickDigest: string,
): Promise<void> {
  const before = beforeSchema.parse(item.before);
  const [header] = await app.workers.readHeaders([await files.existing(folder, name)]);
  if (!header?.ok) throw new AppError('IO_FAILED', `The new file cannot be read: ${header?.message ?? ''}`);
  const stamp = await files.stampOf(folder, name);
  const readFolderOf = await readFolderFinder(app, driveId);
  const madeCopyId = await app.db.transaction(async (tx) => {
    const [source] = await tx.select().from(sounds).where(eq(sounds.id, copy.soundId));
    if (!source) throw new AppError('NOT_FOUND', `There is no sound ${copy.soundId} any more.`);
    const { rows: batches } = await tx.execute<{ id: number }>(sql`
      select b.id from batch_items i join batches b on b.id = i.batch_id where i.copy_id = ${copy.id} and b.filed_at is null order by b.id desc limit 1`);
    const target = {
      batchId: batches[0]?.id ?? null,
      driveId,
      readFolderOf,
    };
    const good = [{ kind: 'file' as const, folder, name, stamp, header }];
    const [plan] = (await tx.execute<{ person_id: number }>(sql`select person_id from plans where id = ${item.planId}`))
      .rows;
    await writeChunk(
      app,
      tx,
      target,
      { good, same: [], faults: [], known: new Map(), personId: plan?.person_id ?? source.addedBy },
      emptyCounts(),
    );
    const { rows } = await tx.execute<{ id: number; sound_id: number }>(sql`
      select id, sound_id from copies where drive_id = ${driveId} and folder = ${folder} and name = ${name}`);
    const [made] = rows;
    if (!made) throw new AppError('INTERNAL', 'The new file could not be recorded.');
    // Audio that is held already keeps what is known of it.
    await tx.execute(sql`
      update sounds set parent_id = ${source.id}, parent_from = ${before.from}, parent_to = ${before.to}, filed_at = coalesce(filed_at, ${source.filedAt})
      where id = ${made.sound_id} and id <> ${source.id} and parent_id is null`);
    await setState(tx, item, 'done', { after: { ...item.after, quickDigest, madeCopyId: made.id } });
    return made.id;
  });
  const [made] = await app.db.select({ soundId: copies.soundId }).from(copies).where(eq(copies.id, madeCopyId));
  if (made) await app.live.publish(app.db, { type: 'records', soundIds: [made.soundId] });
}

/** Removes the file that a cut item made, when it is still the very file. Throws NOT_UNDOABLE when it was changed since. */
export async function undoCut(app: AppContext, item: JournalRow, fence: Fence): Promise<void> {
  const { copy } = await subjectOf(app, item);
  const { files, name } = await placeOf(app, item, copy);
  const { madeCopyId } = afterSchema.parse(item.after);
  const [made] = await app.db
    .select()
    .from(copies)
    .where(eq(copies.id, madeCopyId ?? 0));
  if (!made) throw new AppError('NOT_UNDOABLE', `What became of “${name}” is not known any more.`);
  if (made.name !== name || made.changedOutside)
    throw new AppError('NOT_UNDOABLE', `“${name}” was renamed or changed since; it is left as it is.`);
  const stamp = await files.stampOf(made.folder, made.name);
  const isSame = await files.expected(made, stamp, made.name).then(
    () => true,
    () => false,
  );
  const [{ edits } = { edits: 0 }] = (
    await app.db.execute<{ edits: number }>(
      sql`select count(*)::int as edits from record_revisions where sound_id = ${made.soundId}`,
    )
  ).rows;
  if (!isSame || edits > 0)
    throw new AppError('NOT_UNDOABLE', `“${name}” or its record was changed since; it is left as it is.`);
  await beginItem(app.db, item, 'undoing', fence);
  await removeMadeFile(files, made.folder, made.name);
  await forget(app, item, made);
}

/** The sound stays known, without a file and out of every list. */
async function forget(app: AppContext, item: JournalRow, made: CopyRow): Promise<void> {
  await app.db.transaction(async (tx) => {
    await lockRecords(tx, [made.soundId]);
    await tx.execute(sql`delete from batch_items where copy_id = ${made.id}`);
    await tx.update(copies).set({ gone: true, clearedAt: new Date() }).where(eq(copies.id, made.id));
    await tx.execute(sql`
      update sounds s set filed_at = null where s.id = ${made.soundId} and not exists (select from copies c where c.sound_id = s.id and not c.gone)`);
    await setState(tx, item, 'undone');
  });
  await app.live.publish(app.db, { type: 'records', soundIds: [made.soundId] });
}

/** Settles a cut that was under way when the server stopped: a file with its name and its audio is the one that it made. */
export async function settleInterruptedCut(app: AppContext, item: JournalRow): Promise<void> {
  const { copy } = await subjectOf(app, item);
  const { quickDigest, madeCopyId } = afterSchema.parse(item.after);
  const place = await placeOf(app, item, copy);
  const { files, folder, name } = place;
  const isThere = await files.exists(folder, name);
  if (item.state === 'undoing') {
    const [made] = await app.db
      .select()
      .from(copies)
      .where(eq(copies.id, madeCopyId ?? 0));
    return isThere || !made ? setState(app.db, item, 'done') : forget(app, item, made);
  }
  await settleLeftovers(files.absolute(folder), unknownWrites(app));
  if (!isThere || quickDigest === undefined) return setState(app.db, item, 'planned');
  const [header] = await app.workers.readHeaders([await files.existing(folder, name)]);
  if (header?.ok && header.quickDigest === quickDigest) return takeUp(app, item, copy, place, quickDigest);
  return setState(app.db, item, 'planned');
}

/** Where a sound comes from and what was cut out of it. */
export async function kinOf(app: AppContext, soundId: number, sight: Sight) {
  const of = (condition: ReturnType<typeof sql>) => sql`
    select s.id, s.parent_from, s.parent_to, (select c.name from copies c where c.sound_id = s.id and ${copyIsSeen(sight)} order by c.gone, c.id limit 1) as name
    from sounds s where ${condition} and exists (select from copies c where c.sound_id = s.id and not c.gone and ${copyIsSeen(sight)}) order by s.parent_from, s.id limit 500`;
  interface Kin extends Record<string, unknown> {
    id: number;
    parent_from: string;
    parent_to: string;
    name: string;
  }
  const [own] = await app.db.select().from(sounds).where(eq(sounds.id, soundId));
  if (!own) throw new AppError('NOT_FOUND', `There is no sound ${soundId}.`);
  const children = await app.db.execute<Kin>(of(sql`s.parent_id = ${soundId}`));
  const parents = own.parentId === null ? [] : (await app.db.execute<Kin>(of(sql`s.id = ${own.parentId}`))).rows;
  const [parent] = parents;
  return {
    parent: parent ? { soundId: parent.id, name: parent.name, from: own.parentFrom ?? 0, to: own.parentTo ?? 0 } : null,
    children: children.rows.map(({ id, name, ...part }) => ({
      soundId: id,
      name,
      from: Number(part.parent_from),
      to: Number(part.parent_to),
    })),
  };
}
