import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import { isAudioName } from '@flagstone/core/formats/container';
import { FolderNames } from '@flagstone/core/naming/companions';
import { freeName, pathProblem } from '@flagstone/core/naming/name-blocks';
import type { Plan } from '@flagstone/contract/plans';
import type { SoundRow } from '@flagstone/contract/record';
import { eq, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { idList } from '../db/sql-parts.ts';
import { drives, type JournalProblem } from '../db/schema.ts';
import { setAsideFolderOf } from '../disk/set-aside.ts';
import { driveIsHere, filesOf } from '../drives/drives.ts';
import { selectedRows } from '../records/sound-rows.ts';
import type { Sight } from '../rights/rights.ts';
import { copyIsSeen, type SeenSelection } from '../rights/seen.ts';
import type { NewItem } from './plan-item.ts';
import { blockerOfReadOnly, getPlan, storePlan } from './plans.ts';

const PAGE = 200;

/**
 * Previews clearing the selected files away: moved to a folder of their drive that is kept for that, or deleted, which is planned only where another copy holds the same audio that is not cleared away by the
 * same plan. Touches no file. Throws NOTHING_SELECTED.
 */
export async function planClearing(
  app: AppContext,
  { selection, way }: { selection: SeenSelection; way: 'setAside' | 'delete' },
  personId: number,
  sight: Sight,
): Promise<Plan> {
  const planId = await storePlan(app, { kind: way, batchId: null, personId }, async function* (inside) {
    const planner = new ClearingPlanner(inside, sight);
    if (way === 'delete') for await (const rows of selectedRows(inside.db, selection, PAGE)) planner.meet(rows);
    const block = blockerOfReadOnly(inside);
    for await (const rows of selectedRows(inside.db, selection, PAGE))
      yield await block(
        rows,
        way === 'delete' ? await planner.planDeleting(rows) : await planner.planSettingAside(rows),
      );
  });
  return getPlan(app, planId);
}

interface OtherCopy extends Record<string, unknown> {
  id: number;
  sound_id: number;
  drive_id: string;
  folder: string;
  name: string;
  drive: string;
  root_path: string;
  identity: string;
}

class ClearingPlanner {
  /** The copies that the plan is about: none of them is one that is kept. */
  private readonly met = new Set<number>();
  private readonly names = new Map<string, Promise<FolderNames>>();
  private readonly here = new Map<string, Promise<boolean>>();
  private readonly app: AppContext;
  private readonly sight: Sight;

  constructor(app: AppContext, sight: Sight) {
    this.app = app;
    this.sight = sight;
  }

  meet(rows: readonly SoundRow[]): void {
    for (const { copyId } of rows) this.met.add(copyId);
  }

  async planSettingAside(rows: readonly SoundRow[]): Promise<NewItem[]> {
    const items: NewItem[] = [];
    for (const row of rows) items.push(cannotBe(row) ?? (await this.setAside(row)));
    return items;
  }

  private async setAside(row: SoundRow): Promise<NewItem> {
    const own = await this.namesIn(row.driveId, row.folder).catch((error: unknown) => {
      if (error instanceof AppError) return error;
      throw error;
    });
    if (own instanceof AppError) return blocked(row, own);
    if (!own.has(row.name))
      return blocked(row, new AppError('FILE_VANISHED', `${row.name} is not in its folder any more.`));
    const folder = setAsideFolderOf(row.folder);
    const there = await this.namesIn(row.driveId, folder).catch((error: unknown) => {
      // Made when the first file goes there.
      if (error instanceof AppError) return this.noneIn(row.driveId, folder);
      throw error;
    });
    const name = freeName(row.name, (key) => there.hasKey(key), there.counters);
    there.take(name);
    const companions = name === row.name ? own.companionsOf(row.name).filter((each) => !there.has(each)) : [];
    for (const each of companions) there.take(each);
    const tooLong = pathProblem(folder, name);
    return {
      copyId: row.copyId,
      state: tooLong ? 'blocked' : 'planned',
      before: { name: row.name, folder: row.folder, companions },
      after: { folder, name, companions },
      problems: tooLong ? [tooLong] : row.copyCount > 1 ? [] : [leavesCatalogue(row)],
    };
  }

  async planDeleting(rows: readonly SoundRow[]): Promise<NewItem[]> {
    const others = await this.othersOf(rows);
    const items: NewItem[] = [];
    for (const row of rows) items.push(cannotBe(row) ?? (await this.deleteOne(row, others.get(row.soundId) ?? [])));
    return items;
  }

  /** The copies, whole as far as is known, of the sounds of some rows, those proved last first. */
  private async othersOf(rows: readonly SoundRow[]): Promise<Map<number, OtherCopy[]>> {
    const { rows: found } = await this.app.db.execute<OtherCopy>(sql`
      select c.id, c.sound_id, c.drive_id, c.folder, c.name, d.name as drive, d.root_path, d.identity from copies c join drives d on d.id = c.drive_id
      join sounds s on s.id = c.sound_id
      where c.sound_id = any(${idList(rows.map(({ soundId }) => soundId))}) and not c.gone and c.damaged_at is null and c.full_digest = s.full_digest
      and ${copyIsSeen(this.sight)} order by c.proved_at desc nulls last, c.id`);
    const of = new Map<number, OtherCopy[]>();
    for (const row of found) of.set(row.sound_id, [...(of.get(row.sound_id) ?? []), row]);
    return of;
  }

  private async deleteOne(row: SoundRow, whole: readonly OtherCopy[]): Promise<NewItem> {
    const others = whole.filter(({ id }) => id !== row.copyId && !this.met.has(id));
    const alike = others
      .filter(({ name }) => extensionOf(name) === extensionOf(row.name))
      .sort((a, b) => Number(a.drive_id === row.driveId) - Number(b.drive_id === row.driveId));
    let kept: OtherCopy | undefined;
    for (const each of alike) {
      const looked = this.here.get(each.identity) ?? driveIsHere({ rootPath: each.root_path, identity: each.identity });
      this.here.set(each.identity, looked);
      if (!kept && (await looked)) kept = each;
    }
    if (!kept) return blocked(row, noneKept(row, whole, others, alike));
    const problems: JournalProblem[] = [];
    if (kept.drive_id === row.driveId)
      problems.push({
        code: 'SAME_DRIVE',
        severity: 'notice',
        message: `The copy that is kept lies on the same drive, “${kept.drive}”: no other drive has one.`,
      });
    // Only for what is told beside it: whether its folder can be read is seen when it is deleted.
    const names = await this.namesIn(row.driveId, row.folder).catch(() => undefined);
    const beside = names?.companionsOf(row.name) ?? [];
    if (beside.length > 0)
      problems.push({
        code: 'COMPANION_STAYS',
        severity: 'notice',
        message: `${beside.map((each) => `“${each}”`).join(', ')} beside it ${beside.length === 1 ? 'stays' : 'stay'}.`,
      });
    return {
      copyId: row.copyId,
      state: 'planned',
      before: { name: row.name, folder: row.folder },
      after: {
        keptCopyId: kept.id,
        kept: [kept.drive, kept.folder, kept.name].filter((part) => part !== '').join(' / '),
      },
      problems,
    };
  }

  private namesIn(driveId: string, folder: string): Promise<FolderNames> {
    const place = `${driveId}/${folder}`;
    const known = this.names.get(place) ?? this.readNames(driveId, folder);
    this.names.set(place, known);
    return known;
  }

  private async readNames(driveId: string, folder: string): Promise<FolderNames> {
    const [drive] = await this.app.db.select().from(drives).where(eq(drives.id, driveId));
    if (!drive) throw new AppError('NOT_FOUND', 'The drive is not known any more.');
    return filesOf(this.app, drive).folderNames(folder);
  }

  private noneIn(driveId: string, folder: string): Promise<FolderNames> {
    const none = Promise.resolve(new FolderNames([], isAudioName));
    this.names.set(`${driveId}/${folder}`, none);
    return none;
  }
}

const extensionOf = (name: string): string => path.extname(name).toLowerCase();

/** Of a copy that cannot be cleared away as it is: what stands in the way. */
function cannotBe(row: SoundRow): NewItem | undefined {
  if (row.state === 'gone')
    return {
      copyId: row.copyId,
      state: 'unchanged',
      before: { name: row.name, folder: row.folder },
      after: {},
      problems: [],
    };
  if (row.state === 'away')
    return blocked(row, new AppError('PATH_NOT_FOUND', `The drive “${row.driveName}” is not mounted.`));
  if (row.state === 'ahead' || row.state === 'split')
    return blocked(
      row,
      new AppError('CONFLICT', `“${row.name}” was changed outside: settle in Drift what it says first.`),
    );
  return undefined;
}

function noneKept(
  { name }: SoundRow,
  whole: readonly OtherCopy[],
  others: readonly OtherCopy[],
  alike: readonly OtherCopy[],
): AppError {
  const [away, other] = [alike[0], others[0]];
  if (away)
    return new AppError('PATH_NOT_FOUND', `The copy that would be kept is on “${away.drive}”, which is not mounted.`);
  if (other)
    return new AppError(
      'ONLY_COPY',
      `The audio of “${name}” is kept as “${other.name}” on “${other.drive}”, in another format.`,
    );
  if (whole.length > 1) return new AppError('ONLY_COPY', `All copies of “${name}” that were proved are to be deleted.`);
  return new AppError('ONLY_COPY', `No other copy that was read as a whole holds the audio of “${name}”.`);
}

function blocked({ copyId, name, folder }: SoundRow, { code, message, remedy }: AppError): NewItem {
  const problems: JournalProblem[] = [{ code, severity: 'error', message, remedy }];
  return { copyId, state: 'blocked', before: { name, folder }, after: {}, problems };
}

function leavesCatalogue({ name }: SoundRow): JournalProblem {
  return {
    code: 'LEAVES_CATALOGUE',
    severity: 'notice',
    message: `No other file holds “${name}”: its sound leaves the catalogue, and comes back when this is undone.`,
  };
}
