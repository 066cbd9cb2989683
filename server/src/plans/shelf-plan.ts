import { AppError } from '@flagstone/core/errors';
import { isAudioName } from '@flagstone/core/formats/container';
import { FolderNames } from '@flagstone/core/naming/companions';
import { fieldLabel } from '@flagstone/core/record/fields';
import { folderAfter, fieldsLacking } from '@flagstone/core/naming/folder-pattern';
import { freeName, pathProblem } from '@flagstone/core/naming/name-blocks';
import type { Plan } from '@flagstone/contract/plans';
import type { SoundRow } from '@flagstone/contract/record';
import { eq } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { JournalProblem } from '../db/schema.ts';
import { collections, drives } from '../db/schema.ts';
import { refuseWhenFull } from '../disk/free-space.ts';
import { driveIsHere, filesOf, type DriveFolder } from '../drives/drives.ts';
import { selectedRows } from '../records/sound-rows.ts';
import type { Sight } from '../rights/rights.ts';
import type { SeenSelection } from '../rights/seen.ts';
import { CopyPlanner } from './copy-plan.ts';
import type { NewItem } from './plan-item.ts';
import { getPlan, storePlan } from './plans.ts';

const PAGE = 200;

/** The shelf of a collection, with what is planned for it. */
interface Shelf {
  place: DriveFolder;
  template: string;
  copier: CopyPlanner;
}

/**
 * Previews that the selected files stand on the shelf of their collection, in the folders that its template gives to their records: those on the drive of the shelf are moved there, of those on others a
 * copy is made there. Touches no file. Throws NOTHING_SELECTED, DISK_FULL.
 */
export async function planShelving(
  app: AppContext,
  { selection, batchId }: { selection: SeenSelection; batchId: number | undefined },
  personId: number,
  sight: Sight,
): Promise<Plan> {
  const planner = new ShelfPlanner(app, sight);
  const planId = await storePlan(app, { kind: 'shelve', batchId: batchId ?? null, personId }, async function* (inside) {
    for await (const rows of selectedRows(inside.db, selection, PAGE)) yield await planner.plan(inside, rows);
    await planner.refuseWhenFull();
  });
  return getPlan(app, planId);
}

class ShelfPlanner {
  private readonly shelves = new Map<number, Shelf | AppError>();
  /** What stands in the folders of the shelves, and will. */
  private readonly names = new Map<string, FolderNames>();
  private readonly app: AppContext;
  private readonly sight: Sight;

  constructor(app: AppContext, sight: Sight) {
    this.app = app;
    this.sight = sight;
  }

  /** Sequentially: a transaction has one connection. */
  async plan(inside: AppContext, rows: SoundRow[]): Promise<NewItem[]> {
    const items: NewItem[] = [];
    for (const row of rows) {
      const shelf = await this.shelfOf(inside, row.collectionId);
      if (shelf instanceof AppError) items.push(blocked(row, shelf));
      else if (row.driveId === shelf.place.drive.id) items.push(await this.planMove(row, shelf));
      else
        for (const item of await shelf.copier.plan(inside, [row]))
          items.push({
            ...item,
            after: { ...item.after, does: 'copy' },
            problems: [...(item.problems ?? []), ...lacking(row, shelf)],
          });
    }
    return items;
  }

  async refuseWhenFull(): Promise<void> {
    for (const shelf of this.shelves.values())
      if (!(shelf instanceof AppError))
        await refuseWhenFull(filesOf(this.app, shelf.place.drive).absolute(shelf.place.folder), shelf.copier.bytes);
  }

  private async shelfOf(inside: AppContext, collectionId: number | null): Promise<Shelf | AppError> {
    const id = collectionId ?? 0;
    const shelf = this.shelves.get(id) ?? (await this.findShelf(inside, id));
    this.shelves.set(id, shelf);
    return shelf;
  }

  private async findShelf(inside: AppContext, id: number): Promise<Shelf | AppError> {
    const [row] = await inside.db
      .select()
      .from(collections)
      .leftJoin(drives, eq(drives.id, collections.shelfDriveId))
      .where(eq(collections.id, id));
    if (!row?.drives)
      return new AppError(
        'PLACE_UNKNOWN',
        `The collection “${row?.collections.name ?? ''}” has no shelf on which its files are laid out.`,
      );
    const { shelfFolder: folder, shelfTemplate: template } = row.collections;
    if (!(await driveIsHere(row.drives)))
      return new AppError('PATH_NOT_FOUND', `The drive “${row.drives.name}”, on which the shelf is, is not mounted.`);
    const place = { drive: row.drives, folder };
    const wanted = {
      toPath: '',
      selection: { kind: 'copies' as const, copyIds: [] },
      folders: template,
      names: 'kept' as const,
    };
    return { place, template, copier: new CopyPlanner(inside, place, wanted, this.sight) };
  }

  private async planMove(row: SoundRow, shelf: Shelf): Promise<NewItem> {
    const { drive, folder: above } = shelf.place;
    const files = filesOf(this.app, drive);
    const folder = [above, folderAfter(shelf.template, row.record)].filter((part) => part !== '').join('/');
    const before = { name: row.name, folder: row.folder };
    const place = { driveId: drive.id, drive: drive.name, folder };
    if (folder === row.folder)
      return { copyId: row.copyId, state: 'unchanged', before, after: { ...place, name: row.name }, problems: [] };
    const own = await this.namesIn(row, files);
    if (own instanceof AppError) return blocked(row, own);
    if (!own.has(row.name))
      return blocked(row, new AppError('FILE_VANISHED', `${row.name} is not in its folder any more.`));
    const names = await this.namesOf(`${drive.id}/${folder}`, () =>
      files.folderNames(folder).catch(() => new FolderNames([], isAudioName)),
    );
    const name = freeName(row.name, (key) => names.hasKey(key), names.counters);
    names.take(name);
    const problems: JournalProblem[] = lacking(row, shelf);
    if (name !== row.name)
      problems.push({
        code: 'NAME_NUMBERED',
        severity: 'notice',
        message: `Another file is called “${row.name}” there.`,
      });
    // Files beside it bear its name: they go along where they may keep theirs.
    const beside = name === row.name ? own.companionsOf(row.name) : [];
    const companions = beside.filter((each) => !names.has(each));
    for (const each of companions) names.take(each);
    for (const each of beside.filter((other) => !companions.includes(other)))
      problems.push({
        code: 'COMPANION_STAYS',
        severity: 'notice',
        message: `“${each}” stays: its name is taken there.`,
      });
    const tooLong = pathProblem(folder, name);
    return {
      copyId: row.copyId,
      state: 'planned',
      before: { ...before, companions },
      after: { ...place, name, companions },
      problems: tooLong ? [...problems, tooLong] : problems,
    };
  }

  private namesIn({ driveId, folder }: SoundRow, files: ReturnType<typeof filesOf>): Promise<FolderNames | AppError> {
    return this.namesOf(`${driveId}/${folder}`, () => files.folderNames(folder)).catch((error: unknown) => {
      if (error instanceof AppError) return error;
      throw error;
    });
  }

  private async namesOf(place: string, read: () => Promise<FolderNames>): Promise<FolderNames> {
    const known = this.names.get(place) ?? (await read());
    this.names.set(place, known);
    return known;
  }
}

function blocked({ copyId, name, folder }: SoundRow, { code, message, remedy }: AppError): NewItem {
  const problems: JournalProblem[] = [{ code, severity: 'error', message, remedy }];
  return { copyId, state: 'blocked', before: { name, folder }, after: {}, problems };
}

/** Fields of the template that a record does not fill: its folder is less deep. */
function lacking({ record }: SoundRow, { template }: Shelf): JournalProblem[] {
  const fields = fieldsLacking(template, record);
  if (fields.length === 0) return [];
  const labels = fields.map(fieldLabel).join(', ');
  return [
    {
      code: 'FOLDER_INCOMPLETE',
      severity: 'notice',
      message: `${labels} ${fields.length === 1 ? 'is' : 'are'} empty and left out of its folders.`,
    },
  ];
}
