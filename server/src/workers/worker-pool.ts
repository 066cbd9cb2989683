import os from 'node:os';
import { createRequire } from 'node:module';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { AppError } from '@flagstone/core/errors';
import { Piscina } from 'piscina';
import type { HeaderResult } from './header-worker.ts';
import type { FolderResult, FolderTask } from '../disk/list-folders.ts';
import type { DigestedFile, MeasuredFile } from '../disk/measure-file.ts';
import { valueOf, type MeasureResult, type MeasureTask } from './measure-worker.ts';
import type { Report } from './report-worker.ts';
import type { RecipeResult, RecipeTask } from './recipe-worker.ts';
import type { ListenTask, ListenValues } from './listen-worker.ts';
import type { ReadLine, ReadOptions } from './read-worker.ts';

/** By its full address, since the working folder may be anywhere. */
export const TSX_LOADER = pathToFileURL(createRequire(import.meta.url).resolve('tsx')).href;

/** More than any sound needs; a thread that asks for more ends alone, not with the process. */
const THREAD_LIMITS = { maxOldGenerationSizeMb: 2048 };
/** A file that is measured for so long is measured no further. */
const MEASURE_WITHIN_MS = 30 * 60 * 1000;

const filename = (name: string): string => fileURLToPath(new URL(name, import.meta.url));

/** Worker threads for what would keep the server from answering. TypeScript is loaded there by tsx as in the main thread. */
export class WorkerPool {
  readonly threads: number;
  private readonly pool: Piscina;
  /** Threads for what somebody waits for, recipes and what is listened to: they must not wait behind a file that is being measured. */
  private readonly prompt: Piscina;

  constructor(threads = Math.max(2, os.availableParallelism())) {
    this.threads = threads;
    this.pool = new Piscina({
      maxThreads: threads,
      idleTimeout: 60_000,
      resourceLimits: THREAD_LIMITS,
      execArgv: ['--import', TSX_LOADER],
      filename: filename('./header-worker.ts'),
    });
    this.prompt = new Piscina({
      minThreads: 0,
      maxThreads: threads,
      idleTimeout: 60_000,
      resourceLimits: THREAD_LIMITS,
      execArgv: ['--import', TSX_LOADER],
      filename: filename('./recipe-worker.ts'),
    });
  }

  /** What folders hold, in their order. */
  listFolders(tasks: FolderTask[]): Promise<FolderResult[]> {
    return this.pool.run(tasks, { filename: filename('./list-folders-worker.ts') }) as Promise<FolderResult[]>;
  }

  /** Headers of files, in the order of the paths. */
  readHeaders(paths: string[]): Promise<HeaderResult[]> {
    return this.pool.run(paths) as Promise<HeaderResult[]>;
  }

  /** What `read` prints of files, in their order. */
  readLines(paths: string[], options: ReadOptions): Promise<ReadLine[]> {
    return this.pool.run({ paths, options }, { filename: filename('./read-worker.ts') }) as Promise<ReadLine[]>;
  }

  /** What a recipe makes of rows; `signal` ends it, with its thread. */
  runRecipe(task: RecipeTask, signal: AbortSignal): Promise<RecipeResult> {
    return this.prompt.run(task, { signal }) as Promise<RecipeResult>;
  }

  /** A report as a PDF file. */
  makeReport(report: Report): Promise<Uint8Array> {
    return this.pool.run(report, { filename: filename('./report-worker.ts') }) as Promise<Uint8Array>;
  }

  /** The analysis of a file; throws what measureFile throws. `signal` ends it, with its thread. */
  measure(path: string, signal?: AbortSignal): Promise<MeasuredFile> {
    return this.runMeasuring<MeasuredFile>({ path, what: 'everything' }, signal);
  }

  /** The full audio digest of a file; throws what fullDigestOf throws. */
  digest(path: string, signal?: AbortSignal): Promise<DigestedFile> {
    return this.runMeasuring<DigestedFile>({ path, what: 'digest' }, signal);
  }

  private async runMeasuring<Value>(task: MeasureTask, signal: AbortSignal | undefined): Promise<Value> {
    const tooLong = AbortSignal.timeout(MEASURE_WITHIN_MS);
    const either = signal ? AbortSignal.any([signal, tooLong]) : tooLong;
    const options = { filename: filename('./measure-worker.ts'), signal: either };
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
    const options = { filename: filename('./listen-worker.ts'), ...(signal ? { signal } : {}) };
    return valueOf((await this.survive(this.prompt.run(task, options))) as MeasureResult<ListenValues[What]>);
  }

  async close(): Promise<void> {
    await Promise.all([this.pool.destroy(), this.prompt.destroy()]);
  }
}
