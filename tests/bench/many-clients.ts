import { createRequire } from 'node:module';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { Piscina } from 'piscina';
import type { Answered, Asking } from './asking.ts';

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
