import { spawn } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { PROJECT_FOLDER, UsageError } from './usage.ts';

const BENCHMARKS: Record<string, string> = {
  analyse: '../../../tests/bench/analyse-bench.ts',
  deliver: '../../../tests/bench/deliver-bench.ts',
  describe: '../../../tests/bench/describe-bench.ts',
  drift: '../../../tests/bench/drift-bench.ts',
  forms: '../../../tests/bench/forms-bench.ts',
  fuzz: '../../../tests/bench/fuzz-bench.ts',
  index: '../../../tests/bench/index-bench.ts',
  listen: '../../../tests/bench/listen-bench.ts',
  loop: '../../../tests/bench/loop-bench.ts',
  kill: '../../../tests/bench/kill-bench.ts',
  match: '../../../tests/bench/match-bench.ts',
  read: '../../../tests/bench/read-bench.ts',
  real: '../../../tests/bench/real-bench.ts',
  search: '../../../tests/bench/search-bench.ts',
  soak: '../../../tests/bench/soak-bench.ts',
  suggest: '../../../tests/bench/suggest-bench.ts',
  together: '../../../tests/bench/together-bench.ts',
  write: '../../../tests/bench/write-bench.ts',
};

/** Options of Node.js for some: mutated files have to do with a heap of 64 MB. */
const NODE_OPTIONS: Record<string, string[]> = { fuzz: ['--max-old-space-size=64'] };

/** `bench NAME`: runs a benchmark as a program of its own. */
export function bench(args: string[]): Promise<number> {
  const [name = '', ...rest] = args;
  const program = BENCHMARKS[name];
  if (program === undefined)
    throw new UsageError(`there is no benchmark “${name}”; there are ${Object.keys(BENCHMARKS).join(', ')}`);
  const child = spawn(
    process.execPath,
    [...(NODE_OPTIONS[name] ?? []), '--import', 'tsx', fileURLToPath(new URL(program, import.meta.url)), ...rest],
    { stdio: 'inherit', cwd: PROJECT_FOLDER },
  );
  return new Promise((resolve, reject) => child.once('error', reject).once('exit', (code) => resolve(code ?? 1)));
}
