import path from 'node:path';
import { watch, type FSWatcher } from 'chokidar';
import { eq } from 'drizzle-orm';
import { isAudioName } from '@flagstone/core/formats/container';
import type { AppContext } from '../app-context.ts';
import { drives, folders } from '../db/schema.ts';
import { driveIsHere } from '../drives/drives.ts';
import { readAgain } from './read-folders.ts';

/** A file counts as complete when its size did not change for so long. */
const STEADY_MS = 2000;
/** Changes that come within this are read by one job. */
const GATHER_MS = 1500;

interface Watched {
  watcher: FSWatcher;
  root: string;
  changed: Set<string>;
  timer?: NodeJS.Timeout | undefined;
  /** Who had the folder watched: what is found is theirs. */
  personId: number;
}

/** Watches the folders that people chose, and queues reading what changed in them: a burst of files is one job, a file that still grows is waited for. */
export class FolderWatcher {
  private readonly app: AppContext;
  private readonly watched = new Map<number, Watched>();
  private readonly queueing = new Set<Promise<void>>();

  constructor(app: AppContext) {
    this.app = app;
  }

  /** Watches what should be watched now and can be: called at start, when a folder's setting changes, and now and then for drives that come back. */
  async refresh(): Promise<void> {
    const rows = await this.app.db.select().from(folders).innerJoin(drives, eq(drives.id, folders.driveId));
    const wanted = new Map<number, { root: string; personId: number; full: string }>();
    for (const { folders: folder, drives: drive } of rows) {
      if (!folder.watched || drive.retiredAt !== null || this.app.roots.rootOf(drive.rootPath) === undefined) continue;
      if (!(await driveIsHere(drive))) continue;
      wanted.set(folder.id, {
        root: drive.rootPath,
        personId: folder.addedBy,
        full: path.join(drive.rootPath, folder.path),
      });
    }
    for (const [id, { watcher, root, timer }] of this.watched) {
      if (wanted.get(id)?.root === root) continue;
      clearTimeout(timer);
      this.watched.delete(id);
      await watcher.close();
    }
    for (const [id, { root, personId, full }] of wanted)
      if (!this.watched.has(id)) await this.start(id, root, full, personId);
  }

  private async start(id: number, root: string, full: string, personId: number): Promise<void> {
    const watcher = watch(full, {
      ignoreInitial: true,
      followSymlinks: false,
      ignored: (file) => file !== full && path.basename(file).startsWith('.'),
      awaitWriteFinish: { stabilityThreshold: STEADY_MS, pollInterval: 250 },
    });
    const entry: Watched = { watcher, root, changed: new Set(), personId };
    this.watched.set(id, entry);
    const note = (file: string): void => {
      if (!isAudioName(file)) return;
      entry.changed.add(path.dirname(path.relative(root, file)).split(path.sep).join('/'));
      clearTimeout(entry.timer);
      entry.timer = setTimeout(() => this.queue(id, entry), GATHER_MS);
    };
    watcher.on('add', note).on('change', note).on('unlink', note);
    watcher.on('error', (error) => this.app.log.warn({ err: error, full }, 'a folder cannot be watched any more'));
    await new Promise<void>((resolve) => watcher.once('ready', () => resolve()));
  }

  /** Reads the deepest folder that holds everything that changed. */
  private queue(id: number, entry: Watched): void {
    const folder = commonFolder([...entry.changed]);
    entry.changed.clear();
    const queued = readAgain(this.app, id, entry.personId, folder).then(
      () => undefined,
      (error: unknown) => this.app.log.error({ err: error, id }, 'what changed in a folder could not be queued'),
    );
    this.queueing.add(queued);
    void queued.finally(() => this.queueing.delete(queued));
  }

  async close(): Promise<void> {
    for (const { watcher, timer } of this.watched.values()) {
      clearTimeout(timer);
      await watcher.close();
    }
    this.watched.clear();
    await Promise.all(this.queueing);
  }
}

/** The deepest folder at or above all of these; '' is the root, for which dirname says '.'. */
export function commonFolder(given: readonly string[]): string {
  const parts = given.map((folder) => (folder === '.' ? [] : folder.split('/')));
  const [first = [], ...others] = parts;
  const length = first.findIndex((part, index) => others.some((other) => other[index] !== part));
  return first.slice(0, length < 0 ? first.length : length).join('/');
}
