import { createRequire } from 'node:module';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { Piscina } from 'piscina';

/** What a thread of clients is to do. */
export interface Asking {
  /** The addresses of each search, asked for together. */
  searches: string[][];
  clients: number;
  seconds: number;
}

export interface Answered {
  /** How long each search took, in seconds. */
  times: number[];
  /** How long all of them took together. */
  seconds: number;
}

/** Asks as so many clients at once, in a thread of their own: on the server's thread, reading its answers would be counted as its work. */
export async function askAsMany(asking: Asking): Promise<Answered> {
  const pool = new Piscina({
    filename: fileURLToPath(new URL('./search-clients.ts', import.meta.url)),
    execArgv: ['--import', pathToFileURL(createRequire(import.meta.url).resolve('tsx')).href],
    maxThreads: 1,
  });
  try {
    return (await pool.run(asking)) as Answered;
  } finally {
    await pool.destroy();
  }
}
