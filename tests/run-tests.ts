import { spawn } from 'node:child_process';
import { mkdtemp, readFile, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

/**
 * `./flagstone test [unit|server|browser]`: all checks one after the other (two cores: heavy suites never run side by side), and the sum as
 * the last line. Each of formatting, lint and types counts as one check.
 */
const PROJECT = fileURLToPath(new URL('..', import.meta.url));
const SUITES = ['unit', 'server', 'browser'] as const;
const CHECKS: [name: string, script: string][] = [
  ['formatting', 'format:check'],
  ['walls between the rooms', 'walls'],
  ['lint', 'lint'],
  ['types', 'types'],
  ['types of the web application', 'types:web'],
];

function run(command: string, args: string[], env: NodeJS.ProcessEnv = process.env): Promise<number> {
  return new Promise((resolve, reject) => {
    spawn(command, args, { cwd: PROJECT, env, stdio: 'inherit' })
      .once('error', reject)
      .once('exit', (code) => resolve(code ?? 1));
  });
}

interface Counts {
  passed: number;
  failed: number;
}

async function runCheck(name: string, script: string): Promise<Counts> {
  process.stdout.write(`\n== ${name}\n`);
  const code = await run('npm', ['run', '--silent', script]);
  return code === 0 ? { passed: 1, failed: 0 } : { passed: 0, failed: 1 };
}

/** Runs one Jest project; a suite that cannot even start counts as failed. */
async function runSuite(suite: string, folder: string): Promise<Counts> {
  process.stdout.write(`\n== ${suite} tests\n`);
  const report = path.join(folder, `${suite}.json`);
  const args = [
    '--experimental-vm-modules',
    '--no-warnings',
    'node_modules/jest/bin/jest.js',
    '--selectProjects',
    suite,
    '--json',
    '--outputFile',
    report,
  ];
  const code = await run(process.execPath, suite === 'unit' ? args : [...args, '--runInBand']);
  const result = JSON.parse(await readFile(report, 'utf8').catch(() => '{}')) as Partial<
    Record<'numPassedTests' | 'numFailedTests' | 'numRuntimeErrorTestSuites', number>
  >;
  const failed = (result.numFailedTests ?? 0) + (result.numRuntimeErrorTestSuites ?? 0);
  return { passed: result.numPassedTests ?? 0, failed: code !== 0 && failed === 0 ? 1 : failed };
}

const wanted = process.argv[2];
if (wanted !== undefined && !SUITES.includes(wanted as (typeof SUITES)[number])) {
  process.stderr.write(`flagstone test: there is no kind “${wanted}”; there are ${SUITES.join(', ')}\n`);
  process.exit(2);
}
const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-reports-'));
const counts: Counts[] = [];
if (wanted === undefined) for (const [name, script] of CHECKS) counts.push(await runCheck(name, script));
for (const suite of SUITES) if (wanted === undefined || wanted === suite) counts.push(await runSuite(suite, folder));
await rm(folder, { recursive: true, force: true });
const total = (key: keyof Counts): number => counts.reduce((sum, each) => sum + each[key], 0);
process.stdout.write(`\n${total('passed')} passed, ${total('failed')} failed\n`);
process.exitCode = total('failed') === 0 && total('passed') > 0 ? 0 : 1;
