import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import type { SoundRow } from '@flagstone/contract/record';
import { eq, inArray, sql } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { idList } from '../db/sql-parts.ts';
import { copies, type JournalProblem } from '../db/schema.ts';
import { itemError } from '../disk/disk-errors.ts';
import type { DriveFiles } from '../disk/drive-files.ts';
import { refuseWhenFull } from '../disk/free-space.ts';
import { replaceByCopy } from '../disk/keep-file.ts';
import { removeMadeFile } from '../disk/remove-file.ts';
import { driveIsHere } from '../drives/drives.ts';
import type { Fence } from '../jobs/fence.ts';
import { lockRecords, refreshSearch } from '../records/search-conditions.ts';
import type { Sight } from '../rights/rights.ts';
import { copyIsSeen } from '../rights/seen.ts';
import { beginItem, setFailed, setState, subjectOf, type JournalRow } from './journal-items.ts';
import { columnsOfMade, provedSource, readMade, type CopyRow } from './made-file.ts';
import type { NewItem } from './plan-item.ts';

/** What the row of a damaged copy said, so that undoing gives it back. */
const beforeSchema = z.object({ name: z.string(), row: z.record(z.string(), z.unknown()).optional() });
/** The copy that a damaged file is restored from; once that is begun, the name under which the damaged one is kept. */
const afterSchema = z.object({
  name: z.string(),
  fromCopyId: z.number().optional(),
  from: z.string().optional(),
  aside: z.string().optional(),
});

interface Source extends Record<string, unknown> {
  id: number;
  sound_id: number;
  folder: string;
  name: string;
  drive: string;
  root_path: string;
  identity: string;
}

/** Plans putting a good copy, from whatever drive, in the place of each damaged file; what is not damaged is right already. */
export function planRestores(app: AppContext, sight: Sight): (rows: SoundRow[]) => Promise<NewItem[]> {
  const isHere = new Map<string, Promise<boolean>>();
  return async (rows) => {
    const found = await app.db
      .select()
      .from(copies)
      .where(
        inArray(
          copies.id,
          rows.map(({ copyId }) => copyId),
        ),
      );
    const copyOf = new Map(found.map((copy) => [copy.id, copy]));
    const { rows: sources } = await app.db.execute<Source>(sql`
      select c.id, c.sound_id, c.folder, c.name, d.name as drive, d.root_path, d.identity from copies c join drives d on d.id = c.drive_id join sounds s on s.id = c.sound_id
      where c.sound_id = any(${idList(rows.map(({ soundId }) => soundId))}) and not c.gone and c.damaged_at is null and c.full_digest = s.full_digest and ${copyIsSeen(sight)}
      order by c.proved_at desc nulls last, c.id`);
    const items: NewItem[] = [];
    for (const { copyId } of rows) {
      const copy = copyOf.get(copyId);
      if (!copy) continue;
      const base = { copyId, before: { name: copy.name }, after: { name: copy.name } };
      if (copy.damagedAt === null) {
        items.push({ ...base, state: 'unchanged', problems: [] });
        continue;
      }
      const of = sources.filter((each) => each.sound_id === copy.soundId && each.id !== copyId);
      const alike = of.filter(({ name }) => extensionOf(name) === extensionOf(copy.name));
      const here: Source[] = [];
      for (const each of alike) {
        const looked = isHere.get(each.identity) ?? driveIsHere({ rootPath: each.root_path, identity: each.identity });
        isHere.set(each.identity, looked);
        if (await looked) here.push(each);
      }
      const [source] = here;
      const damage: JournalProblem = { code: 'AUDIO_DAMAGED', severity: 'notice', message: copy.damage?.message ?? '' };
      items.push(
        source
          ? {
              ...base,
              state: 'planned',
              after: { ...base.after, fromCopyId: source.id, from: `${source.drive} / ${placeOf(source)}` },
              problems: [damage],
            }
          : { ...base, state: 'blocked', problems: [damage, noSource(of, alike)] },
      );
    }
    return items;
  };
}

const extensionOf = (name: string): string => path.extname(name).toLowerCase();
const placeOf = ({ folder, name }: { folder: string; name: string }): string =>
  folder === '' ? name : `${folder}/${name}`;

function noSource(of: readonly Source[], alike: readonly Source[]): JournalProblem {
  const [away, other] = [alike[0], of[0]];
  const message = away
    ? `Its good copy is on “${away.drive}”, which is not mounted.`
    : other
      ? `The same audio is kept as ${placeOf(other)} on “${other.drive}”, in another format: a file is restored from its own.`
      : 'No other copy that was proved holds its audio.';
  const remedy = away ? 'Mount the drive, then plan again.' : 'Restore it from a backup, then read its folder again.';
  return { code: 'FILE_VANISHED', severity: 'error', message, remedy };
}

/** Puts the good copy in the damaged file's place, which is kept beside it under another name. */
export async function performRestore(app: AppContext, item: JournalRow, fence: Fence): Promise<void> {
  const { copy, files } = await subjectOf(app, item);
  const { fromCopyId = 0 } = afterSchema.parse(item.after);
  if (copy.damagedAt === null) return setState(app.db, item, 'unchanged');
  await files.expected(copy, await files.stampOf(copy.folder, copy.name), copy.name);
  const source = await provedSource(app, fromCopyId, copy.soundId);
  await refuseWhenFull(files.absolute(copy.folder), source.copy.sizeBytes);
  const aside = await freeAside(files, copy);
  await beginItem(app.db, item, 'started', fence, {
    before: { ...item.before, row: rowOf(copy) },
    after: { ...item.after, aside },
  });
  const shown = files.absolute(copy.folder, copy.name);
  await replaceByCopy(source.path, shown, files.root, async () => {
    await fence.check();
    await files.rename(copy.folder, copy.name, aside);
  }).catch((error: unknown) => {
    throw itemError(error, shown);
  });
  await takeUp(app, item, copy, files);
}

/** A name that no program takes for audio, and that nothing bears. */
async function freeAside(files: DriveFiles, { folder, name }: CopyRow): Promise<string> {
  for (let number = 1; ; number += 1) {
    const aside = number === 1 ? `${name}.damaged` : `${name}.damaged-${number}`;
    if (!(await files.exists(folder, aside))) return aside;
  }
}

const KEPT = [
  'sizeBytes',
  'mtimeMs',
  'inode',
  'container',
  'trackNames',
  'inFile',
  'otherTexts',
  'issues',
  'disagreeing',
  'carriesRevision',
  'changedOutside',
  'fullDigest',
  'damage',
] as const satisfies readonly (keyof CopyRow)[];

function rowOf(copy: CopyRow): Record<string, unknown> {
  return Object.fromEntries([
    ...KEPT.map((key) => [key, copy[key]]),
    ['damagedAt', copy.damagedAt?.toISOString()],
    ['provedAt', copy.provedAt?.toISOString() ?? null],
  ]) as Record<string, unknown>;
}

async function takeUp(app: AppContext, item: JournalRow, copy: CopyRow, files: DriveFiles): Promise<void> {
  const made = await readMade(app, files, copy, copy.soundId);
  await app.db.transaction(async (tx) => {
    await lockRecords(tx, [copy.soundId]);
    const columns = await columnsOfMade(tx, copy.soundId, made);
    await tx.update(copies).set(columns).where(eq(copies.id, copy.id));
    await refreshSearch(tx, [copy.soundId]);
    await setState(tx, item, 'done');
  });
}

/** Puts the damaged file back. Throws NOT_UNDOABLE when the restored one was changed since, or is the only good one left. */
export async function undoRestore(app: AppContext, item: JournalRow, fence: Fence): Promise<void> {
  const { copy, files } = await subjectOf(app, item);
  const { aside = '', fromCopyId = 0 } = afterSchema.parse(item.after);
  if (!(await files.exists(copy.folder, aside)))
    throw new AppError('NOT_UNDOABLE', `The damaged file “${aside}” is not there any more; the restored one stays.`);
  const isSame = await files.stampOf(copy.folder, copy.name).then(
    (stamp) => files.expected(copy, stamp, copy.name).then(() => true),
    () => false,
  );
  if (!isSame || copy.name !== afterSchema.parse(item.after).name)
    throw new AppError('NOT_UNDOABLE', `“${copy.name}” was changed since; it is left as it is.`);
  await provedSource(app, fromCopyId, copy.soundId).catch((cause: unknown) => {
    const message = `The copy that “${copy.name}” was restored from is not there, whole and unchanged: this one stays.`;
    throw new AppError('NOT_UNDOABLE', message, { cause });
  });
  await beginItem(app.db, item, 'undoing', fence);
  await removeMadeFile(files, copy.folder, copy.name);
  await files.rename(copy.folder, aside, copy.name);
  await giveBack(app, item, copy);
}

/** The row says again what it said of the damaged file. */
async function giveBack(app: AppContext, item: JournalRow, copy: CopyRow): Promise<void> {
  const { row = {} } = beforeSchema.parse(item.before);
  const { damagedAt, provedAt, ...columns } = row as Record<string, unknown> & {
    damagedAt?: string;
    provedAt?: string | null;
  };
  await app.db.transaction(async (tx) => {
    await lockRecords(tx, [copy.soundId]);
    await tx
      .update(copies)
      .set({
        ...(columns as Partial<CopyRow>),
        damagedAt: damagedAt === undefined ? null : new Date(damagedAt),
        provedAt: typeof provedAt === 'string' ? new Date(provedAt) : null,
      })
      .where(eq(copies.id, copy.id));
    await refreshSearch(tx, [copy.soundId]);
    await setState(tx, item, 'undone');
  });
}

/** Settles a restoring that was under way when the server stopped: the damaged file is under one of its two names, whatever happened. */
export async function settleInterruptedRestore(app: AppContext, item: JournalRow): Promise<void> {
  const { copy, files } = await subjectOf(app, item);
  const { aside = '', name } = afterSchema.parse(item.after);
  const [isThere, isAside] = [
    await files.exists(copy.folder, name),
    aside !== '' && (await files.exists(copy.folder, aside)),
  ];
  if (item.state === 'undoing') {
    if (isThere && isAside) return setState(app.db, item, 'done');
    if (isAside) await files.rename(copy.folder, aside, name);
    return giveBack(app, item, copy);
  }
  if (!isAside) return setState(app.db, item, 'planned');
  if (!isThere) {
    await files.rename(copy.folder, aside, name);
    return setState(app.db, item, 'planned');
  }
  await takeUp(app, item, copy, files).catch(async (error: unknown) => {
    if (!(error instanceof AppError)) throw error;
    await setFailed(app, item, error);
  });
}
