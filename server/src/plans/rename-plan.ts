import { AppError } from '@flagstone/core/errors';
import { isAudioName, rightExtension } from '@flagstone/core/formats/container';
import { FolderNames } from '@flagstone/core/naming/companions';
import { pathProblem, splitExtension } from '@flagstone/core/naming/name-blocks';
import { endingOf } from '@flagstone/core/naming/name-ending';
import { NameSeries } from '@flagstone/core/naming/name-series';
import { nameAfter, type PatternedName } from '@flagstone/core/naming/naming-pattern';
import type { RenameChoices } from '@flagstone/contract/plans';
import type { SoundRow } from '@flagstone/contract/record';
import { and, eq } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { copies, drives, type JournalProblem } from '../db/schema.ts';
import { layName } from '../disk/rename-together.ts';
import { patternsOf } from '../drives/collections.ts';
import { filesOf } from '../drives/drives.ts';
import type { NewItem, Planner } from './plan-item.ts';
import { DRIVE_AWAY } from './renames.ts';

/**
 * Plans names after the naming pattern of each copy's collection. Names that are taken, on disk or earlier in the same plan and also when they differ only in
 * case, get a counter; takes for which one name is planned are numbered in their order. The names of a folder are read once for the whole plan; of a drive that is away, those that are known count.
 */
export function planRenames(
  app: AppContext,
  choices: RenameChoices,
  /** Names that were given to copies, which count instead of those by the pattern. */
  given: ReadonlyMap<number, string> = new Map(),
): Planner {
  const series = new NameSeries();
  const namesIn = new Map<string, FolderNames | AppError>();

  const namesFor = async (row: SoundRow): Promise<FolderNames | AppError> => {
    const place = placeOf(row);
    const known = namesIn.get(place);
    if (known) return known;
    const names = await (row.state === 'away' ? knownNames(app, row) : namesOnDisk(app, row)).catch(
      (error: unknown) => {
        if (error instanceof AppError) return error;
        throw error;
      },
    );
    namesIn.set(place, names);
    return names;
  };

  const plannedOf = async (rows: SoundRow[]): Promise<(row: SoundRow) => PlannedName> => {
    const patternOf = await patternsOf(
      app,
      rows.map((row) => row.copyId),
    );
    return (row) => {
      const name = given.get(row.copyId);
      if (name !== undefined) return { name, blocks: null, problems: [], ending: '' };
      const pattern = patternOf(row.copyId);
      const ending = endingOf(pattern.ending, { name: row.name, channels: row.facts.channels });
      const end = ending + extensionOf(row, choices);
      return { ...nameAfter(pattern, row.record, end, app.categories, choices.shorten), ending };
    };
  };

  return {
    meet: async (rows) => {
      const planned = await plannedOf(rows);
      for (const row of rows) {
        const { name, problems } = planned(row);
        const names = await namesFor(row);
        const isNamed = !(names instanceof AppError) && names.has(row.name) && !problems.some(isError);
        if (isNamed) series.meet(placeOf(row), name, { id: row.copyId, name: row.name });
      }
    },
    plan: async (rows) => {
      const items: NewItem[] = [];
      const planned = await plannedOf(rows);
      for (const row of rows) items.push(planOne(row, planned(row), await namesFor(row), choices, series));
      return items;
    },
  };
}

/** A name with what stands before its extension and is no block. */
type PlannedName = PatternedName & { ending: string };

/** What the name of a row is to end in. */
function extensionOf({ name, facts }: SoundRow, { extensions }: RenameChoices): string {
  const { extension } = splitExtension(name);
  if (extensions === 'kept') return extension;
  return extensions === 'right' ? (rightExtension(name, facts.container) ?? extension) : extensions;
}

/** What there is to tell of what a name ends in and will. */
function extensionNotice({ name, facts }: SoundRow, next: string): JournalProblem | undefined {
  const [now, then] = [splitExtension(name).extension, splitExtension(next).extension];
  const right = rightExtension(next, facts.container);
  const isChanged = now.toLowerCase() !== then.toLowerCase();
  if (right === undefined)
    return isChanged
      ? {
          code: 'EXTENSION_RIGHTED',
          severity: 'notice',
          message: `It is ${facts.container}: “${now}” becomes “${then}”.`,
        }
      : undefined;
  const message = isChanged
    ? `It stays ${facts.container} and will be called “${then}”: other programs may refuse it. Nothing is converted.`
    : `Its content is ${facts.container}, although its name ends in “${now}”.`;
  return {
    code: 'OTHER_EXTENSION',
    severity: 'notice',
    message,
    ...(isChanged ? {} : { remedy: 'Choose “Extensions put right” above.' }),
  };
}

const isError = ({ severity }: { severity: string }): boolean => severity === 'error';

function placeOf({ driveId, folder }: SoundRow): string {
  return `${driveId}/${folder}`;
}

async function namesOnDisk(app: AppContext, row: SoundRow): Promise<FolderNames> {
  const [drive] = await app.db.select().from(drives).where(eq(drives.id, row.driveId));
  if (!drive) throw new AppError('NOT_FOUND', `The drive “${row.driveName}” is not known any more.`);
  return filesOf(app, drive).folderNames(row.folder);
}

async function knownNames(app: AppContext, { driveId, folder }: SoundRow): Promise<FolderNames> {
  const there = and(eq(copies.driveId, driveId), eq(copies.folder, folder), eq(copies.gone, false));
  const rows = await app.db.select({ name: copies.name }).from(copies).where(there);
  return new FolderNames(
    rows.map(({ name }) => name),
    isAudioName,
  );
}

function planOne(
  row: SoundRow,
  planned: PlannedName,
  names: FolderNames | AppError,
  { companions: withCompanions }: RenameChoices,
  series: NameSeries,
): NewItem {
  const problems: JournalProblem[] = [...planned.problems];
  const notice = (code: string, message: string): unknown => problems.push({ code, severity: 'notice', message });
  const refuse = ({ code, message, remedy }: AppError): unknown =>
    problems.push({ code, severity: 'error', message, remedy });
  if (names instanceof AppError) refuse(names);
  else if (!names.has(row.name)) refuse(new AppError('FILE_VANISHED', `${row.name} is not in its folder any more.`));
  if (names instanceof AppError || problems.some(isError)) {
    const after = { name: planned.name, blocks: planned.blocks, ending: planned.ending };
    return { copyId: row.copyId, state: 'blocked', before: { name: row.name }, after, problems };
  }

  const wanted = series.nameFor(placeOf(row), planned.name, row.copyId, names);
  const { name, companions, staying } = layName(names, row.name, wanted, withCompanions);
  if (wanted !== planned.name)
    notice('SERIES_NUMBERED', `Several files are to be called “${planned.name}”: they are numbered by their names.`);
  else if (name !== planned.name) notice('NAME_TAKEN', `“${planned.name}” is taken, so a counter is added.`);
  for (const file of staying)
    notice('COMPANION_STAYS', `“${file}” stays: the name that it would take beside this file is taken.`);
  const ends = extensionNotice(row, name);
  if (ends) problems.push(ends);
  const long = pathProblem(row.folder, name);
  if (long) problems.push(long);
  if (row.state === 'away' && name !== row.name)
    notice(DRIVE_AWAY, `The drive “${row.driveName}” is away: the file is renamed when it is back.`);
  return {
    copyId: row.copyId,
    state: name === row.name ? 'unchanged' : 'planned',
    before: { name: row.name, companions: withCompanions ? companions.map(({ from }) => from) : null },
    after: {
      name,
      blocks: planned.blocks,
      ending: planned.ending,
      companions: withCompanions ? companions.map(({ to }) => to) : null,
    },
    problems,
  };
}
