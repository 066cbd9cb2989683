import { arrivingKind, arrivingPath, type ArrivingKind } from '@flagstone/core/arrivals/arriving-path';
import { MOST_ARRIVING } from '@flagstone/contract/arrivals';

/** A file of this computer, with where it lay in what was handed over. */
export interface GatheredFile {
  path: string;
  file: File;
}

/** A file that is not sent, and why; where its sound is held, as what. */
export interface LeftFile {
  path: string;
  bytes: number;
  why: string;
  heldAs?: string;
}

/** Files that are handed over, told apart before anything is sent. */
export interface SortedFiles {
  sounds: GatheredFile[];
  packs: GatheredFile[];
  /** What is not sent, by its path, and why. */
  left: LeftFile[];
  bytes: number;
}

/** Files that were chosen by a field; those of a folder with their paths in it. */
export function chosenFiles(list: Iterable<File>): GatheredFile[] {
  return Array.from(list, (file) => ({ path: file.webkitRelativePath || file.name, file }));
}

/**
 * The files of a drop, with all that its folders hold. To be called while the drop is handled: what was dropped is forgotten after that. Throws an Error for more files than one arrival takes, and what
 * the browser says of a folder that it may not read.
 */
export async function droppedFiles({ items, files }: DataTransfer): Promise<GatheredFile[]> {
  const entries = Array.from(items).flatMap((item) => (item.kind === 'file' ? (item.webkitGetAsEntry() ?? []) : []));
  // What a script made has no entries.
  if (entries.length === 0) return chosenFiles(files);
  const gathered: GatheredFile[] = [];
  for (const entry of entries) await gather(entry, '', gathered);
  return gathered;
}

async function gather(entry: FileSystemEntry, within: string, into: GatheredFile[]): Promise<void> {
  const path = within === '' ? entry.name : `${within}/${entry.name}`;
  if (isFile(entry)) {
    if (into.length >= MOST_ARRIVING)
      throw new Error(`More than ${MOST_ARRIVING.toLocaleString('en')} files: hand them over in parts.`);
    into.push({ path, file: await new Promise<File>((resolve, reject) => entry.file(resolve, reject)) });
    return;
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  for (;;) {
    // A browser tells a folder in parts of a hundred; the last part is empty.
    const part = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (part.length === 0) return;
    for (const each of part) await gather(each, path, into);
  }
}

const isFile = (entry: FileSystemEntry): entry is FileSystemFileEntry => entry.isFile;

const WHY: Record<Exclude<ArrivingKind, 'sound' | 'pack'>, string> = {
  hidden: 'Hidden, or of the system',
  other: 'No sound',
  otherAudio: 'A sound of a format that is not read here',
};

/** Tells files apart by their names. */
export function sortFiles(files: readonly GatheredFile[]): SortedFiles {
  const sorted: SortedFiles = { sounds: [], packs: [], left: [], bytes: 0 };
  for (const { path: given, file } of files) {
    const path = arrivingPath(given);
    const kind = path === undefined ? undefined : arrivingKind(path);
    if (path === undefined || kind === undefined)
      sorted.left.push({ path: given, bytes: file.size, why: 'Its path is too long' });
    else if (kind === 'sound') sorted.sounds.push({ path, file });
    else if (kind === 'pack') sorted.packs.push({ path, file });
    else sorted.left.push({ path, bytes: file.size, why: WHY[kind] });
    if (kind === 'sound' || kind === 'pack') sorted.bytes += file.size;
  }
  return sorted;
}

/** What a batch of these files would be called: by the folder or pack that holds all of them, else by the day. */
export function suggestedName({ sounds, packs }: SortedFiles, today: string): string {
  const tops = new Set(
    [...sounds, ...packs].map(({ path }) => {
      const [top = ''] = path.split('/');
      return path.includes('/') ? top : /\.zip$/i.test(top) ? top.replace(/\.zip$/i, '') : '';
    }),
  );
  const [only = ''] = tops;
  return tops.size === 1 && only !== '' ? only : `Brought in ${today}`;
}
