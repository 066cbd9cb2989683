import { AppError } from '@flagstone/core/errors';
import { COPY_STATES } from '@flagstone/core/record/copy-states';
import { isAudioName } from '@flagstone/core/formats/container';
import { FolderNames } from '@flagstone/core/naming/companions';
import { folderAfter } from '@flagstone/core/naming/folder-pattern';
import { freeName, nameKey, pathProblem, splitExtension } from '@flagstone/core/naming/name-blocks';
import { endingOf } from '@flagstone/core/naming/name-ending';
import { nameAfter } from '@flagstone/core/naming/naming-pattern';
import type { CopyPlan, Plan } from '@flagstone/contract/plans';
import type { CopyState, SoundRow } from '@flagstone/contract/record';
import { sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { idList } from '../db/sql-parts.ts';
import type { JournalProblem } from '../db/schema.ts';
import { refuseWhenFull } from '../disk/free-space.ts';
import { patternsOf } from '../drives/collections.ts';
import { driveFolderOf, driveIsHere, filesOf, type DriveFolder } from '../drives/drives.ts';
import { rememberFolder } from '../intake/read-folders.ts';
import { COPY_STATE } from '../records/copy-state.ts';
import { selectedRows } from '../records/sound-rows.ts';
import type { Sight } from '../rights/rights.ts';
import { copyIsSeen, type SeenSelection } from '../rights/seen.ts';
import type { NewItem } from './plan-item.ts';
import { getPlan, storePlan } from './plans.ts';

const PAGE = 200;

interface CopyOfSound extends Record<string, unknown> {
  id: number;
  sound_id: number;
  drive_id: string;
  folder: string;
  name: string;
  size_bytes: number;
  /** Of the folder that was read, below which the file stands. */
  read_path: string | null;
  drive: string;
  root_path: string;
  identity: string;
  state: Exclude<CopyState, 'away'>;
  damaged: boolean;
}

/**
 * Previews that every sound of a selection stands on another drive also, below a folder: what that drive has already is right, also elsewhere on it; of the rest the copy that
 * is here goes over, in its folders or in those of a template. Touches no file. Throws NOTHING_SELECTED, DISK_FULL, PATTERN_INVALID and what AllowedRoots.checkedFolder throws.
 */
export async function planCopies(
  app: AppContext,
  wanted: CopyPlan & { selection: SeenSelection },
  personId: number,
  sight: Sight,
): Promise<Plan> {
  const target = await driveFolderOf(app, await app.roots.checkedFolder(wanted.toPath.trim()));
  if (wanted.folders !== '') folderAfter(wanted.folders, {});
  const { collectionId } = await rememberFolder(app, target, personId, sight, wanted.collectionId);
  if (wanted.collectionId !== undefined && collectionId !== wanted.collectionId)
    throw new AppError('CONFLICT', `${wanted.toPath} belongs to another collection already.`);
  const planner = new CopyPlanner(app, target, wanted, sight);
  const planId = await storePlan(app, { kind: 'copy', batchId: null, personId }, async function* (inside) {
    for await (const rows of selectedRows(inside.db, wanted.selection, PAGE)) yield await planner.plan(inside, rows);
    await refuseWhenFull(filesOf(app, target.drive).absolute(target.folder), planner.bytes);
  });
  return getPlan(app, planId);
}

/** Plans copies of sounds below a folder of a drive; of what that drive holds already none. */
export class CopyPlanner {
  /** Of everything that is to be copied. */
  bytes = 0;
  private readonly met = new Set<number>();
  /** What stands in the folders of the target, and will. */
  private readonly names = new Map<string, Promise<FolderNames>>();
  private readonly counters = new Map<string, Map<string, number>>();
  private readonly here = new Map<string, Promise<boolean>>();
  private readonly files;
  private readonly app: AppContext;
  private readonly target: DriveFolder;
  private readonly wanted: CopyPlan;
  private readonly sight: Sight;

  constructor(app: AppContext, target: DriveFolder, wanted: CopyPlan, sight: Sight) {
    this.files = filesOf(app, target.drive);
    this.app = app;
    this.target = target;
    this.wanted = wanted;
    this.sight = sight;
  }

  /** Sequentially: a transaction has one connection. A sound of which several copies are selected is planned once. */
  async plan(inside: AppContext, page: SoundRow[]): Promise<NewItem[]> {
    const rows = page.filter(({ soundId }) => !this.met.has(soundId) && this.met.add(soundId));
    const of = await this.copiesOf(
      inside,
      rows.map(({ soundId }) => soundId),
    );
    const patternOf = await patternsOf(
      inside,
      rows.map(({ copyId }) => copyId),
    );
    const items: NewItem[] = [];
    for (const row of rows) {
      const all = of.get(row.soundId) ?? [];
      const there = all.filter(({ drive_id: driveId }) => driveId === this.target.drive.id);
      const held = there.find(({ damaged }) => !damaged) ?? there[0];
      const source = held ?? (await this.sourceOf(all, row.copyId));
      const before = { name: source?.name ?? row.name };
      if (held) {
        const state = held.damaged ? 'blocked' : 'unchanged';
        items.push({ copyId: held.id, state, before, after: this.placeOf(held), problems: standingAs(held) });
      } else if (source) items.push(await this.planOne(source, row, patternOf(row.copyId)));
      else items.push({ copyId: row.copyId, state: 'blocked', before, after: {}, problems: [noSource(all)] });
    }
    return items;
  }

  /** What the target says of a place. */
  private placeOf({ folder, name }: { folder: string; name: string }) {
    return { driveId: this.target.drive.id, drive: this.target.drive.name, folder, name };
  }

  private async copiesOf(inside: AppContext, soundIds: readonly number[]): Promise<Map<number, CopyOfSound[]>> {
    const { rows } = await inside.db.execute<CopyOfSound>(sql`
      select c.id, c.sound_id, c.drive_id, c.folder, c.name, c.size_bytes, w.path as read_path, d.name as drive, d.root_path, d.identity, ${COPY_STATE} as state,
        c.damaged_at is not null as damaged
      from copies c join records r on r.sound_id = c.sound_id join drives d on d.id = c.drive_id left join folders w on w.id = c.read_folder_id
      where c.sound_id = any(${idList(soundIds)}) and not c.gone and ${copyIsSeen(this.sight)} order by c.id`);
    const of = new Map<number, CopyOfSound[]>();
    for (const row of rows) of.set(row.sound_id, [...(of.get(row.sound_id) ?? []), row]);
    return of;
  }

  /** The copy that goes over: the selected one, else another, on a drive that is here and whole as far as is known. */
  private async sourceOf(all: readonly CopyOfSound[], selectedId: number): Promise<CopyOfSound | undefined> {
    const whole = all.filter(({ damaged, drive_id: driveId }) => !damaged && driveId !== this.target.drive.id);
    for (const each of whole.sort((a, b) => Number(b.id === selectedId) - Number(a.id === selectedId))) {
      const looked = this.here.get(each.drive_id) ?? driveIsHere({ rootPath: each.root_path, identity: each.identity });
      this.here.set(each.drive_id, looked);
      if (await looked) return each;
    }
    return undefined;
  }

  private namesIn(folder: string): Promise<FolderNames> {
    const names =
      this.names.get(folder) ?? this.files.folderNames(folder).catch(() => new FolderNames([], isAudioName));
    this.names.set(folder, names);
    return names;
  }

  private async planOne(
    source: CopyOfSound,
    { record, facts }: SoundRow,
    pattern: Parameters<typeof nameAfter>[0],
  ): Promise<NewItem> {
    const below = this.wanted.folders === '' ? belowRead(source) : folderAfter(this.wanted.folders, record);
    const folder = [this.target.folder, below].filter((part) => part !== '').join('/');
    const problems: JournalProblem[] = [];
    let { name } = source;
    if (this.wanted.names === 'pattern') {
      const end = endingOf(pattern.ending, { name, channels: facts.channels }) + splitExtension(name).extension;
      const planned = nameAfter(pattern, record, end, this.app.categories);
      const faults = planned.problems.filter(({ severity }) => severity === 'error');
      if (faults.length > 0)
        return {
          copyId: source.id,
          state: 'blocked',
          before: { name },
          after: this.placeOf({ folder, name }),
          problems: faults,
        };
      name = planned.name;
    }
    const standing = await this.files.stampOf(folder, name).catch(() => undefined);
    const isAlike = standing?.sizeBytes === source.size_bytes;
    if (isAlike) {
      const message = 'A file of that name and size stands there: it is taken up if it is the very same.';
      problems.push({ code: 'STANDS_THERE', severity: 'notice', message });
    }
    const names = await this.namesIn(folder);
    const counters = this.counters.get(folder) ?? new Map<string, number>();
    this.counters.set(folder, counters);
    const planned = freeName(name, (key) => names.hasKey(key) && !(isAlike && key === nameKey(name)), counters);
    if (planned !== name) {
      const message = `Another file is called “${name}” there.`;
      problems.push({ code: 'NAME_NUMBERED', severity: 'notice', message });
    }
    names.take(planned);
    const tooLong = pathProblem(folder, planned);
    this.bytes += source.size_bytes;
    return {
      copyId: source.id,
      state: 'planned',
      before: { name: source.name, folder: source.folder },
      after: this.placeOf({ folder, name: planned }),
      problems: tooLong ? [...problems, tooLong] : problems,
    };
  }
}

/** The folder of a file below the one that was read. */
function belowRead({ folder, read_path: readPath }: CopyOfSound): string {
  if (readPath === null || readPath === '') return folder;
  return folder === readPath ? '' : folder.startsWith(`${readPath}/`) ? folder.slice(readPath.length + 1) : folder;
}

/** How a copy that stands there already differs from its record. */
function standingAs({ state, folder, name, damaged }: CopyOfSound): JournalProblem[] {
  const place = folder === '' ? name : `${folder}/${name}`;
  if (damaged)
    return [
      {
        code: 'AUDIO_DAMAGED',
        severity: 'error',
        message: `It stands there as ${place}, damaged.`,
        remedy: 'Restore it.',
      },
    ];
  if (state === 'inStep') return [];
  const { word, explains } = COPY_STATES[state];
  const message = `It stands there as ${place}, ${word}: ${explains}`;
  return [{ code: 'NOT_IN_STEP', severity: 'notice', message }];
}

function noSource(all: readonly CopyOfSound[]): JournalProblem {
  const whole = all.filter(({ damaged }) => !damaged);
  const drives = [...new Set(whole.map(({ drive }) => `“${drive}”`))];
  const message =
    whole.length > 0
      ? `Its ${whole.length === 1 ? 'copy is' : 'copies are'} on ${drives.join(', ')}, not mounted now.`
      : all.length > 0
        ? 'Its only copies are damaged.'
        : 'No file of it is known any more.';
  const remedy = whole.length > 0 ? 'Mount the drive, then plan again.' : 'Restore it, then plan again.';
  return { code: 'FILE_VANISHED', severity: 'error', message, remedy };
}
