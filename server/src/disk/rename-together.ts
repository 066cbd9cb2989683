import { AppError } from '@flagstone/core/errors';
import { companionName, type FolderNames } from '@flagstone/core/naming/companions';
import { freeName, isCountedName, nameKey } from '@flagstone/core/naming/name-blocks';
import type { DriveFiles } from './drive-files.ts';

/** A file that takes another name in its folder. */
export interface NameChange {
  from: string;
  to: string;
}

/** Where a file is to go in its folder: its name, with a counter when the wanted one is taken, and the files that go along. */
export interface LaidName {
  name: string;
  companions: NameChange[];
  /** Files that bear its name and have to stay, since the name that they would take is taken. */
  staying: string[];
}

/** Finds a file its place among the names of its folder, and takes it. */
export function layName(names: FolderNames, current: string, wanted: string, withCompanions: boolean): LaidName {
  const own = nameKey(current);
  const isTaken = (key: string): boolean => key !== own && names.hasKey(key);
  // What bears the name with a counter already keeps its number.
  const isCounted = isCountedName(current, wanted) && (isTaken(nameKey(wanted)) || names.countedAs(wanted) > 1);
  const name = isCounted ? current : freeName(wanted, isTaken, names.counters);
  names.take(name);
  const laid: LaidName = { name, companions: [], staying: [] };
  if (!withCompanions || name === current) return laid;
  for (const from of names.companionsOf(current)) {
    const to = companionName(from, current, name);
    if (to === from) continue;
    if (nameKey(to) !== nameKey(from) && names.has(to)) laid.staying.push(from);
    else laid.companions.push({ from, to });
    names.take(to);
  }
  return laid;
}

/**
 * Renames a file and those that go along with it, which go first: whether the file itself bears its new name says whether all of it happened. One
 * that goes along and is no longer there is passed over; when any cannot be renamed, all keep their names. Throws what DriveFiles.rename throws.
 */
export async function renameTogether(
  files: DriveFiles,
  folder: string,
  file: NameChange,
  companions: readonly NameChange[],
): Promise<void> {
  const done: NameChange[] = [];
  try {
    for (const change of companions) {
      if (!(await files.exists(folder, change.from))) continue;
      await files.rename(folder, change.from, change.to);
      done.push(change);
    }
    await files.rename(folder, file.from, file.to);
  } catch (error) {
    for (const { from, to } of done.reverse())
      await files.rename(folder, to, from).catch((cause: unknown) => {
        const message = `${error instanceof Error ? error.message : String(error)} “${to}”, which went along, could not be given its name “${from}” back.`;
        throw new AppError('IO_FAILED', message, { cause });
      });
    throw error;
  }
}

/** What became of a renaming that was cut short, after its files were settled: `old` or `new` name, or `neither` is there. */
export async function settleRename(
  files: DriveFiles,
  folder: string,
  file: NameChange,
  companions: readonly NameChange[],
): Promise<'old' | 'new' | 'neither'> {
  const standing = await files.renameStanding(folder, file.from, file.to);
  if (standing === 'both') await files.finishRename(folder, file.from, file.to);
  const isDone = standing === 'both' || standing === 'new';
  for (const { from, to } of companions) {
    const there = await files.renameStanding(folder, from, to);
    if (there === 'both') await files.finishRename(folder, from, to);
    if (isDone && there === 'old') await files.rename(folder, from, to);
    // Those that went ahead of a file that did not follow come back.
    if (!isDone && (there === 'new' || there === 'both')) await files.rename(folder, to, from);
  }
  if (isDone) return 'new';
  return standing === 'neither' ? 'neither' : 'old';
}
