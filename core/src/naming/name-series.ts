import type { FolderNames } from './companions.ts';
import { isCountedName, nameKey, splitExtension } from './name-blocks.ts';

/** A file that is to be named, as it is called now. */
export interface SeriesMember {
  id: number;
  name: string;
}

type NamesInFolder = Pick<FolderNames, 'has' | 'countedAs'>;

const byName = new Intl.Collator('en', { numeric: true, sensitivity: 'base' });
const FEWEST_DIGITS = 2;

/**
 * Files of one folder for which the same name is planned: takes of one thing. They are numbered from 01 in the order of the names that they have now
 * (figures by their value), all with as many digits as the last one needs. What bears the name already, with or without a number, keeps it.
 */
export class NameSeries {
  private readonly members = new Map<string, SeriesMember[]>();
  private readonly numbered = new Map<string, ReadonlyMap<number, string>>();

  /** Tells of a file before any is named. */
  meet(place: string, wanted: string, member: SeriesMember): void {
    if (nameKey(member.name) === nameKey(wanted) || isCountedName(member.name, wanted)) return;
    const key = keyOf(place, wanted);
    const known = this.members.get(key);
    if (known) known.push(member);
    else this.members.set(key, [member]);
  }

  /** The name with its number for a file of a series of several, or of one that was begun before, past numbers that are taken; the wanted name for every other file. */
  nameFor(place: string, wanted: string, id: number, folder: NamesInFolder): string {
    const key = keyOf(place, wanted);
    const members = this.members.get(key);
    if (!members || (members.length < 2 && folder.countedAs(wanted) === 0)) return wanted;
    const names = this.numbered.get(key) ?? numberedNames(members, wanted, folder);
    this.numbered.set(key, names);
    return names.get(id) ?? wanted;
  }
}

function keyOf(place: string, wanted: string): string {
  return `${place}\0${nameKey(wanted)}`;
}

function numberedNames(
  members: readonly SeriesMember[],
  wanted: string,
  folder: NamesInFolder,
): ReadonlyMap<number, string> {
  const { base, extension } = splitExtension(wanted);
  const digits = Math.max(FEWEST_DIGITS, String(members.length).length);
  const names = new Map<number, string>();
  let number = 0;
  for (const { id } of [...members].sort((a, b) => byName.compare(a.name, b.name) || a.id - b.id)) {
    let name: string;
    do {
      number += 1;
      name = `${base} ${String(number).padStart(digits, '0')}${extension}`;
    } while (folder.has(name));
    names.set(id, name);
  }
  return names;
}
