import os from 'node:os';
import { setImmediate } from 'node:timers/promises';
import { parseArgs } from 'node:util';
import { ERROR_REMEDIES } from '@flagstone/core/errors';
import readLines, { type ReadLine } from '../workers/read-worker.ts';
import { linesOfInput, UsageError } from './usage.ts';

/** From this many files on, worker threads are worth their start. */
const MANY = 200;
const CHUNK = 200;

/**
 * `read FILE... | read -`: what each file says of itself, one JSON object a line; `-` takes the files from standard input, one a line. `--raw`
 * adds every place of every field, `--digest` the audio digest.
 */
export async function read(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: { raw: { type: 'boolean' }, digest: { type: 'boolean' } },
  });
  const paths = positionals.length === 1 && positionals[0] === '-' ? await linesOfInput() : positionals;
  if (paths.length === 0) throw new UsageError('read needs at least one FILE');
  const options = { raw: values.raw === true, digest: values.digest === true };
  const chunks = Array.from({ length: Math.ceil(paths.length / CHUNK) }, (_, index) =>
    paths.slice(index * CHUNK, (index + 1) * CHUNK),
  );
  let failed = 0;
  const print = (results: ReadLine[]): void => {
    for (const result of results) {
      if ('line' in result) continue;
      failed += 1;
      process.stderr.write(`${result.path}: ${result.message} ${ERROR_REMEDIES[result.code]}\n`);
    }
    process.stdout.write(results.map((result) => ('line' in result ? `${result.line}\n` : '')).join(''));
  };
  const here = (chunk: string[]): Promise<ReadLine[]> => readLines({ paths: chunk, options });
  if (paths.length < MANY) for (const chunk of chunks) print(await here(chunk));
  else {
    const { WorkerPool } = await import('../workers/worker-pool.ts');
    const pool = new WorkerPool(Math.max(1, os.availableParallelism() - 1));
    const inWorker = (chunk: string[]): Promise<ReadLine[]> => pool.readLines(chunk, options);
    // This thread reads too: it is half way through before a worker has started. Between its chunks it takes what workers have read.
    const hereInTurn = async (chunk: string[]): Promise<ReadLine[]> => {
      const results = await here(chunk);
      await setImmediate();
      return results;
    };
    const lanes = [hereInTurn, ...Array.from({ length: pool.threads * 2 }, () => inWorker)];
    await inOrder(chunks, lanes, print);
    await pool.close();
  }
  return failed > 0 ? 1 : 0;
}

/** Has several lanes work through the items, each taking the next one when it is free, and hands the results over in the order of the items. */
async function inOrder<Item, Result>(
  items: readonly Item[],
  lanes: readonly ((item: Item) => Promise<Result>)[],
  use: (result: Result) => void,
): Promise<void> {
  const ready = new Map<number, Result>();
  let [next, used] = [0, 0];
  const drain = async (work: (item: Item) => Promise<Result>): Promise<void> => {
    for (let index = next; index < items.length; index = next) {
      next += 1;
      ready.set(index, await work(items[index] as Item));
      for (let result = ready.get(used); result !== undefined; result = ready.get(used)) {
        ready.delete(used);
        used += 1;
        use(result);
      }
    }
  };
  await Promise.all(lanes.map(drain));
}
