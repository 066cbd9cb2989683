import { spawn } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { PROJECT_FOLDER, UsageError } from './usage.ts';

const BENCHMARKS: Record<string, string> = {
  index: '../../../tests/bench/index-bench.ts',
  suggest: '../../../tests/bench/suggest-bench.ts',
};

/** `bench NAME`: runs a benchmark as a program of its own. */
export function bench(args: string[]): Promise<number> {
  const [name = '', ...rest] = args;
  const program = BENCHMARKS[name];
  if (program === undefined)
    throw new UsageError(`there is no benchmark “${name}”; there are ${Object.keys(BENCHMARKS).join(', ')}`);
  const child = spawn(
    process.execPath,
    ['--import', 'tsx', fileURLToPath(new URL(program, import.meta.url)), ...rest],
    { stdio: 'inherit', cwd: PROJECT_FOLDER },
  );
  return new Promise((resolve, reject) => child.once('error', reject).once('exit', (code) => resolve(code ?? 1)));
}
