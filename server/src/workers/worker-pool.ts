import os from 'node:os';
import { AppError } from '@flagstone/core/errors';
import { Piscina } from 'piscina';
import type { HeaderResult } from './header-worker.ts';
import type { FolderResult, FolderTask } from '../disk/list-folders.ts';
import type { DigestedFile, MeasuredFile } from '../disk/measure-file.ts';
import { newTemporary, type Contents, type PlacedFile, type PlaceTask } from '../disk/keep-file.ts';
import { whileUnderWay } from '../disk/temporary-names.ts';
import type { ConvertedFile, ConvertTask } from '../disk/convert-file.ts';
import { valueOf, type MeasureResult, type MeasureTask } from './measure-worker.ts';
import { programPath } from './programs.ts';
import type { Report } from './report-worker.ts';
import type { RecipeResult, RecipeTask } from './recipe-worker.ts';
import type { ListenTask, ListenValues } from './listen-worker.ts';
import type { ReadLine, ReadOptions } from './read-worker.ts';

/** More than any sound needs; a thread that asks for more ends alone, not with the process. */
const THREAD_LIMITS = { maxOldGenerationSizeMb: 2048 };
/** Files that one thread puts into their places at once. */
const PLACED_AT_ONCE = 8;
/** A file that is measured for so long is measured no further. */
const MEASURE_WITHIN_MS = 30 * 60 * 1000;

/** Worker threads for what would keep the server from answering. */
export class WorkerPool {
  readonly threads: number;
  private readonly pool: Piscina;
  /** Threads for what somebody waits for, recipes and what is listened to: they must not wait behind a file that is being measured. */
  private readonly prompt: Piscina;
  /** Threads that put files into their places: several at once in each, since they wait for the disk more than they work. */
  private readonly placing: Piscina;

  constructor(threads = Math.max(2, os.availableParallelism())) {
    this.threads = threads;
    this.pool = new Piscina({
      maxThreads: threads,
      idleTimeout: 60_000,
      resourceLimits: THREAD_LIMITS,
      filename: programPath('header-worker'),
    });
    this.prompt = new Piscina({
      minThreads: 0,
      maxThreads: threads,
      idleTimeout: 60_000,
      resourceLimits: THREAD_LIMITS,
      filename: programPath('recipe-worker'),
    });
    this.placing = new Piscina({
      minThreads: 0,
      maxThreads: threads,
      concurrentTasksPerWorker: PLACED_AT_ONCE,
      idleTimeout: 60_000,
      resourceLimits: THREAD_LIMITS,
      filename: programPath('place-worker'),
    });
  }

  /** What folders hold, in their order. */
  listFolders(tasks: FolderTask[]): Promise<FolderResult[]> {
    return this.pool.run(tasks, { filename: programPath('list-folders-worker') }) as Promise<FolderResult[]>;
  }

  /** Headers of files, in the order of the paths. */
  readHeaders(paths: string[]): Promise<HeaderResult[]> {
    return this.pool.run(paths) as Promise<HeaderResult[]>;
  }

  /** What `read` prints of files, in their order. */
  readLines(paths: string[], options: ReadOptions): Promise<ReadLine[]> {
    return this.pool.run({ paths, options }, { filename: programPath('read-worker') }) as Promise<ReadLine[]>;
  }

  /** What a recipe makes of rows; `signal` ends it, with its thread. */
  runRecipe(task: RecipeTask, signal: AbortSignal): Promise<RecipeResult> {
    return this.prompt.run(task, { signal }) as Promise<RecipeResult>;
  }

  /** A report as a PDF file. */
  makeReport(report: Report): Promise<Uint8Array> {
    return this.pool.run(report, { filename: programPath('report-worker') }) as Promise<Uint8Array>;
  }

  /** The analysis of a file; throws what measureFile throws. `signal` ends it, with its thread. */
  measure(path: string, signal?: AbortSignal): Promise<MeasuredFile> {
    return this.runMeasuring<MeasuredFile>({ path, what: 'everything' }, signal);
  }

  /** The full audio digest of a file; throws what fullDigestOf throws. */
  digest(path: string, signal?: AbortSignal): Promise<DigestedFile> {
    return this.runMeasuring<DigestedFile>({ path, what: 'digest' }, signal);
  }

  /** Makes a file of a sound; throws what convertFile throws. `signal` ends it, with its thread. */
  async convert(task: ConvertTask, signal?: AbortSignal): Promise<ConvertedFile> {
    const options = { filename: programPath('convert-worker'), ...(signal ? { signal } : {}) };
    return valueOf((await this.survive(this.pool.run(task, options))) as MeasureResult<ConvertedFile>);
  }

  /** Puts a file where nothing stands, or where what it may replace does, as placeFile does; throws what that throws. */
  place(task: PlaceTask): Promise<PlacedFile> {
    const temporary = newTemporary();
    return whileUnderWay(temporary, async () =>
      valueOf((await this.survive(this.placing.run({ ...task, temporary }))) as MeasureResult<PlacedFile>),
    );
  }

  /** Puts a copy where nothing stands, as keepFile does; returns whether it was written. */
  async keep(contents: Contents, shown: string, within: string): Promise<boolean> {
    const placing = { algorithm: 'sha256' as const, replaces: null };
    return (await this.place({ contents, shown, within, placing })).isWritten;
  }

  private async runMeasuring<Value>(task: MeasureTask, signal: AbortSignal | undefined): Promise<Value> {
    const tooLong = AbortSignal.timeout(MEASURE_WITHIN_MS);
    const either = signal ? AbortSignal.any([signal, tooLong]) : tooLong;
    const options = { filename: programPath('measure-worker'), signal: either };
    return valueOf((await this.survive(this.pool.run(task, options))) as MeasureResult<Value>);
  }

  /** A thread that dies takes its file with it and nothing else: the pool makes another one. */
  private survive(work: Promise<unknown>): Promise<unknown> {
    return work.catch((error: unknown) => {
      const { code, name, message } = error as NodeJS.ErrnoException;
      if (name === 'AbortError' || error instanceof AppError) throw error;
      throw new AppError('WORK_FAILED', `What was made for it failed: ${code ?? name}, ${message}`, { cause: error });
    });
  }

  /** What is needed of a file while somebody listens; throws what readAudio throws. `signal` ends it, with its thread. */
  async listen<What extends ListenTask['what']>(
    task: Extract<ListenTask, { what: What }>,
    signal?: AbortSignal,
  ): Promise<ListenValues[What]> {
    const options = { filename: programPath('listen-worker'), ...(signal ? { signal } : {}) };
    return valueOf((await this.survive(this.prompt.run(task, options))) as MeasureResult<ListenValues[What]>);
  }

  async close(): Promise<void> {
    await Promise.all([this.pool.destroy(), this.prompt.destroy(), this.placing.destroy()]);
  }
}
