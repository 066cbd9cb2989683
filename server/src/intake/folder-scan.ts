import { and, eq, inArray, sql } from 'drizzle-orm';
import { AppError } from '@flagstone/core/errors';
import { otherAudioByName } from '@flagstone/core/formats/other-audio';
import { FOUND } from '@flagstone/contract/selection';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { batchItems, copies, sounds } from '../db/schema.ts';
import type { DriveFiles } from '../disk/drive-files.ts';
import { isSameFile } from '../disk/file-stamp.ts';
import { settleLeftovers } from '../disk/leftovers.ts';
import { knownWrites } from '../drives/known-writes.ts';
import { walkFolders, type WalkedFolder, type WalkEntry } from '../disk/walk.ts';
import { noteSame, type FolderStamp } from './folder-stamps.ts';
import { IdSet } from './id-set.ts';
import { InFlight } from '../jobs/in-flight.ts';
import {
  emptyCounts,
  pathOf,
  writeChunk,
  type ChunkTarget,
  type FoundFile,
  type GoodFile,
  type KnownCopy,
} from './index-writer.ts';
import type { JobRun } from '../jobs/job-queue.ts';

/** More are looked through by nobody. */
const MOST_LEFT_OUT = 10_000;
const foundSchema = z.enum(FOUND);
const CHUNK = 256;
/** Chunks that are being read while others are being written. */
const READ_AHEAD = 3;
/** Chunks that are written at once, so that the database works while the next one is made ready. */
const WRITERS = 2;
/** Unchanged folders that are noted together. */
const SAME_FOLDERS = 200;

/** What is scanned, and where what is found belongs. */
export interface ScanTarget extends ChunkTarget {
  batchId: number;
  scanId: string;
  folder: string;
  /** What is filed already and the same does not come into the batch. */
  onlyNew: boolean;
}

/** What a scan needs to know beforehand. */
export interface ScanKnowledge {
  isExcluded: (path: string) => boolean;
  /** Whether the numbers of files last from mount to mount. */
  inodes: boolean;
  /** The exclusions in words. */
  seed: string;
  /** The stamps of folders that were as the database has them. */
  stamps: ReadonlyMap<string, FolderStamp>;
}

/**
 * Goes through a folder of a drive once: passes over folders that are as they were, skips files whose size, time and inode are known, has the
 * headers of the others read by worker threads, and writes in chunks, each committed as it goes.
 */
export class FolderScan {
  readonly result = emptyCounts();
  /** Copies that were met, beside those in unchanged folders. */
  readonly seen = new IdSet();
  readonly unchanged = new Set<string>();
  /** The stamps of folders that were told and of which every file could be read. */
  readonly changed = new Map<string, FolderStamp>();
  /** Audio that is not taken up, by its kind. */
  readonly others: Record<string, number> = {};
  /** The first of the files that are not taken up by their names. */
  readonly leftOut: { folder: string; name: string }[] = [];
  /** Entries that the walk could not take up; then nobody knows what is missing. */
  faults = 0;

  private readonly app: AppContext;
  private readonly run: JobRun;
  private readonly files: DriveFiles;
  private readonly target: ScanTarget;
  private readonly knowledge: ScanKnowledge;
  private total = 0;
  private chunk: WalkEntry[] = [];
  private same: string[] = [];
  private readonly reading: Promise<() => Promise<void>>[] = [];
  private readonly writing = new InFlight(WRITERS);

  constructor(app: AppContext, run: JobRun, files: DriveFiles, target: ScanTarget, knowledge: ScanKnowledge) {
    this.app = app;
    this.run = run;
    this.files = files;
    this.target = target;
    this.knowledge = knowledge;
    run.setResult(this.result);
  }

  /** Walks, reads and writes; ends when everything is written. */
  async perform(): Promise<void> {
    const { isExcluded, seed, stamps } = this.knowledge;
    const walked = walkFolders(this.files.root, this.target.folder, {
      isExcluded,
      seed,
      inodes: this.knowledge.inodes,
      stampOf: (folder) => stamps.get(folder)?.stamp,
      list: (tasks) => this.app.workers.listFolders(tasks),
      settle: async (full, folder) => {
        await this.run.fence.check();
        return settleLeftovers(full, knownWrites(this.app, this.target.driveId, folder));
      },
    });
    try {
      for await (const folder of walked) {
        for (const name of folder.others) {
          const kind = otherAudioByName(name);
          if (kind !== undefined) this.others[kind] = (this.others[kind] ?? 0) + 1;
          if (this.leftOut.length < MOST_LEFT_OUT) this.leftOut.push({ folder: folder.folder, name });
        }
        await (folder.isSame ? this.pass(folder) : this.take(folder));
      }
      if (this.chunk.length > 0) await this.readNext();
      if (this.same.length > 0) await this.noteSame();
      while (this.reading.length > 0) await this.writeNext();
      await this.writing.done();
    } finally {
      await this.writing.settled();
      await Promise.allSettled(this.reading);
    }
  }

  private filesIn(folder: string): number {
    return this.knowledge.stamps.get(folder)?.files ?? 0;
  }

  private async pass({ folder }: WalkedFolder): Promise<void> {
    this.total += this.filesIn(folder);
    this.unchanged.add(folder);
    if (this.same.push(folder) >= SAME_FOLDERS) await this.noteSame();
  }

  private async noteSame(): Promise<void> {
    const folders = this.same;
    this.same = [];
    await this.run.setTotal(this.total);
    await noteSame(this.app.db, this.target, folders);
    const count = folders.reduce((sum, folder) => sum + this.filesIn(folder), 0);
    this.result.same += count;
    await this.run.advance({ done: count });
  }

  private async take({ folder, stamp, entries }: WalkedFolder): Promise<void> {
    this.total += entries.length;
    this.faults += entries.filter((entry) => entry.kind === 'fault').length;
    if (stamp !== '') this.changed.set(folder, { stamp, files: entries.length });
    for (const entry of entries) if (this.chunk.push(entry) >= CHUNK) await this.readNext();
  }

  private async readNext(): Promise<void> {
    await this.run.setTotal(this.total);
    this.reading.push(this.readChunk(this.chunk));
    this.chunk = [];
    if (this.reading.length >= READ_AHEAD) await this.writeNext();
  }

  private async writeNext(): Promise<void> {
    const write = await this.reading.shift();
    if (write) await this.writing.add(write());
  }

  /** Reads what is new or changed in a chunk; the returned function writes it, so that writing stays in order while reading runs ahead. */
  private async readChunk(chunk: WalkEntry[]): Promise<() => Promise<void>> {
    const found = chunk.filter((entry) => entry.kind === 'file');
    const faults = chunk.filter((entry) => entry.kind === 'fault');
    const known = await this.knownCopies(found);
    for (const file of found) {
      const id = known.get(pathOf(file))?.id;
      if (id !== undefined) this.seen.add(id);
    }
    const isSame = (file: FoundFile): boolean => {
      const copy = known.get(pathOf(file));
      return copy !== undefined && isSameFile(copy, file.stamp, this.knowledge.inodes);
    };
    const toRead = found.filter((file) => !isSame(file));
    const same = found.filter(isSame);
    const headers =
      toRead.length === 0
        ? []
        : await this.app.workers.readHeaders(toRead.map((file) => this.files.absolute(file.folder, file.name)));
    return async () => {
      const good: GoodFile[] = [];
      headers.forEach((header, index) => {
        const file = toRead[index];
        if (!file) return;
        if (header.ok) good.push({ ...file, header });
        else
          faults.push({
            kind: 'fault',
            folder: file.folder,
            name: file.name,
            error: new AppError(header.code, header.message),
          });
      });
      for (const file of same) {
        const copy = known.get(pathOf(file));
        const found = copy?.scanId === this.target.scanId ? foundSchema.safeParse(copy.found).data : undefined;
        this.result[found ?? 'same'] += 1;
      }
      // Of files that are the same, only those are written of which the database says otherwise.
      const toNote = same.filter((file) => {
        const copy = known.get(pathOf(file));
        // What this reading found before it was cut short stays what it was found to be.
        if (copy?.scanId === this.target.scanId) return false;
        if (this.target.onlyNew && copy?.filed && !copy.gone && copy.found === null) return false;
        return copy?.gone !== false || copy.found !== 'same';
      });
      if (good.length + toNote.length + faults.length > 0)
        await this.app.db.transaction((tx) =>
          writeChunk(
            this.app,
            tx,
            this.target,
            { good, same: toNote, faults, known, personId: this.run.job.personId },
            this.result,
          ),
        );
      for (const { folder, name, error } of faults) {
        // It is tried again at the next scan.
        this.changed.delete(folder);
        this.run.note(error, folder === '' ? name : `${folder}/${name}`);
      }
      await this.run.advance({ done: good.length + same.length, failed: faults.length });
    };
  }

  private async knownCopies(found: FoundFile[]): Promise<Map<string, KnownCopy>> {
    if (found.length === 0) return new Map();
    const names = [...new Set(found.map((file) => file.name))];
    const folders = [...new Set(found.map((file) => file.folder))];
    const { id, folder, name, sizeBytes, mtimeMs, inode, gone } = copies;
    const filed = sql<boolean>`${sounds.filedAt} is not null`;
    const rows = await this.app.db
      .select({
        id,
        folder,
        name,
        sizeBytes,
        mtimeMs,
        inode,
        gone,
        filed,
        found: batchItems.found,
        scanId: batchItems.scanId,
      })
      .from(copies)
      .innerJoin(sounds, eq(sounds.id, copies.soundId))
      .leftJoin(batchItems, and(eq(batchItems.copyId, copies.id), eq(batchItems.batchId, this.target.batchId)))
      .where(and(eq(copies.driveId, this.target.driveId), inArray(folder, folders), inArray(name, names)));
    return new Map(rows.map((row) => [pathOf(row), row]));
  }
}
