import os from 'node:os';
import { createRequire } from 'node:module';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { Piscina } from 'piscina';
import type { HeaderResult } from './header-worker.ts';
import type { PeaksResult } from './peaks-worker.ts';
import type { ReadLine, ReadOptions } from './read-worker.ts';

/** By its full address, since the working folder may be anywhere. */
const LOADER = pathToFileURL(createRequire(import.meta.url).resolve('tsx')).href;

const filename = (name: string): string => fileURLToPath(new URL(name, import.meta.url));

/** Worker threads for what would keep the server from answering. TypeScript is loaded there by tsx as in the main thread. */
export class WorkerPool {
  readonly threads: number;
  private readonly pool: Piscina;

  constructor(threads = Math.max(2, os.availableParallelism())) {
    this.threads = threads;
    this.pool = new Piscina({
      maxThreads: threads,
      idleTimeout: 60_000,
      execArgv: ['--import', LOADER],
      filename: filename('./header-worker.ts'),
    });
  }

  /** Headers of files, in the order of the paths. */
  readHeaders(paths: string[]): Promise<HeaderResult[]> {
    return this.pool.run(paths) as Promise<HeaderResult[]>;
  }

  /** What `read` prints of files, in their order. */
  readLines(paths: string[], options: ReadOptions): Promise<ReadLine[]> {
    return this.pool.run({ paths, options }, { filename: filename('./read-worker.ts') }) as Promise<ReadLine[]>;
  }

  /** The waveform's peaks of a file. */
  gatherPeaks(path: string): Promise<PeaksResult> {
    return this.pool.run(path, { filename: filename('./peaks-worker.ts') }) as Promise<PeaksResult>;
  }

  close(): Promise<void> {
    return this.pool.destroy();
  }
}
