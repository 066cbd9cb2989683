import { realpath } from 'node:fs/promises';
import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import { diskError } from './disk-errors.ts';
import type { FileStamp } from './file-stamp.ts';
import type { Settled } from './leftovers.ts';
import { SET_ASIDE_FOLDER } from './set-aside.ts';
import { listFolders, type FolderResult, type FolderTask } from './list-folders.ts';

/** A file met while walking, or the reason why something was not taken up. */
export type WalkEntry =
  | { kind: 'file'; folder: string; name: string; stamp: FileStamp }
  | { kind: 'fault'; folder: string; name: string; error: AppError };

/** A folder with what it holds. */
export interface WalkedFolder {
  folder: string;
  /** Changes whenever a file of the folder does; empty where something could not be taken up. */
  stamp: string;
  /** The stamp is the known one: nothing changed, and its files are not told. */
  isSame: boolean;
  entries: WalkEntry[];
  /** Names of files that are not taken up by their names, without hidden ones. */
  others: string[];
}

export interface WalkOptions {
  /** What is left out, by paths below the root; folders with all they hold. */
  isExcluded?: (path: string) => boolean;
  /** What else the stamps depend on: the exclusions, in words. */
  seed?: string;
  /** Whether the numbers of files last from mount to mount, so that stamps may depend on them. */
  inodes?: boolean;
  /** The stamps that folders had when they were read last. */
  stampOf?: (folder: string) => string | undefined;
  /** Settles what killed writes left in a folder, by its full path; without it, what is left is left alone. */
  settle?: (full: string, folder: string) => Promise<Settled>;
  /** Lists folders, in a worker thread where there is one. */
  list?: (tasks: FolderTask[]) => Promise<FolderResult[]>;
}

/** Folders that are listed by one worker at a time, and lists that are asked for before they are needed. */
const FOLDERS_AT_ONCE = 8;
const AHEAD = 4;

/**
 * Every folder below a folder of a drive with its audio files, by extension, in the order of names. A folder that cannot be read, a name that is
 * not UTF-8 or a link that leads out is told as a fault and the walk goes on. Links are followed inside the drive; a folder is entered once, so
 * loops end.
 */
export async function* walkFolders(
  root: string,
  start: string,
  {
    isExcluded = () => false,
    seed = '',
    stampOf = () => undefined,
    inodes = true,
    settle,
    list = (tasks) => Promise.resolve(listFolders(tasks)),
  }: WalkOptions = {},
): AsyncGenerator<WalkedFolder> {
  const realRoot = await realpath(root);
  const entered = new Set<string>();
  const ask = async (folders: string[], known = stampOf): Promise<[string, FolderResult][]> => {
    const tasks = folders.map((folder) => {
      return { realRoot, full: path.join(root, folder), seed, inodes, knownStamp: known(folder) };
    });
    const results = await list(tasks);
    return folders.map((folder, index) => [folder, results[index] as FolderResult]);
  };
  let waiting = [start];
  const listing: Promise<[string, FolderResult][]>[] = [];
  try {
    while (waiting.length + listing.length > 0) {
      while (waiting.length > 0 && listing.length < AHEAD) listing.push(ask(waiting.splice(0, FOLDERS_AT_ONCE)));
      const found: string[] = [];
      for (const [folder, listed] of (await listing.shift()) ?? []) {
        const result =
          settle === undefined || 'code' in listed || !listed.hasLeftovers ? listed : await listSettled(folder, settle);
        if ('code' in result) {
          const error = new AppError(result.code, result.message);
          yield { folder, stamp: '', isSame: false, others: [], entries: [{ kind: 'fault', folder, name: '', error }] };
          continue;
        }
        if (entered.has(result.real)) continue;
        entered.add(result.real);
        yield walkedFolder(folder, result);
        found.push(
          ...result.folders
            .map((name) => below(folder, name))
            .filter((each) => each !== SET_ASIDE_FOLDER && !isExcluded(each)),
        );
      }
      waiting = [...found, ...waiting];
    }
  } finally {
    await Promise.allSettled(listing);
  }

  /** Lists a folder once more, with all its files, after what was left there is settled; what cannot be settled is a fault. */
  async function listSettled(folder: string, settle: NonNullable<WalkOptions['settle']>): Promise<FolderResult> {
    const full = path.join(root, folder);
    const conflicts = await settle(full, folder).then(
      (outcome) => outcome.conflicts,
      // A drive that cannot be written to keeps what was left; its files are read all the same.
      (error: unknown) => [{ name: '', error: diskError(error, full) }],
    );
    const [[, now] = []] = await ask([folder], () => undefined);
    if (!now) throw new AppError('INTERNAL', `${full} was listed without an answer.`);
    if ('code' in now) return now;
    const faults = conflicts.map(({ name, error: { code, message } }) => ({ name, code, message }));
    return { ...now, stamp: faults.length > 0 ? '' : now.stamp, entries: [...faults, ...now.entries] };
  }

  function walkedFolder(
    folder: string,
    { stamp, entries, others }: Exclude<FolderResult, { code: unknown }>,
  ): WalkedFolder {
    const isSame = stamp !== '' && stamp === stampOf(folder);
    const kept = entries.filter(({ name }) => !isExcluded(below(folder, name)));
    return {
      folder,
      stamp,
      isSame,
      others: others.filter((name) => !isExcluded(below(folder, name))),
      entries: kept.map((entry) =>
        'stamp' in entry
          ? { kind: 'file', folder, name: entry.name, stamp: entry.stamp }
          : { kind: 'fault', folder, name: entry.name, error: new AppError(entry.code, entry.message) },
      ),
    };
  }
}

function below(folder: string, name: string): string {
  return folder === '' ? name : `${folder}/${name}`;
}
