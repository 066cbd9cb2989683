import { spawn } from 'node:child_process';
import { mkdtemp, readFile, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { parseArgs } from 'node:util';
import pLimit from 'p-limit';

/**
 * `./flagstone test [unit|server|load|browser] [PATTERN] [--deep]`: all checks, or one kind of tests of the files whose path has the pattern; the sum is the last line. Each of formatting,
 * walls, lint and types counts as one check. Files of unit and server tests go two abreast: they wait for the database, for threads and for drives much of their time (156 s in a
 * row, 98 s abreast). Load and browser are alone: what others wait for, and what is heard and moves, has a time of its own.
 */
const PROJECT = fileURLToPath(new URL('..', import.meta.url));
const SUITES = ['unit', 'server', 'load', 'browser'] as const;
type Suite = (typeof SUITES)[number];
/** The longest first, so that the others fill the time beside it. */
const CHECKS: [name: string, script: string][] = [
  ['lint', 'lint'],
  ['types', 'types'],
  ['types of the web application', 'types:web'],
  ['formatting', 'format:check'],
  ['walls between the rooms', 'walls'],
];
/** Unit and server tests go by file, as many at once: each with a server's threads and database beside it has up to three gigabytes. */
const ABREAST = Math.max(1, Math.min(os.availableParallelism(), 4, Math.floor(os.totalmem() / (3 * 1024 ** 3))));
const AT_ONCE: Record<Suite, number> = { unit: ABREAST, server: ABREAST, load: 1, browser: 1 };

interface Counts {
  passed: number;
  failed: number;
}
interface Ended {
  code: number;
  said: string;
}

/** Runs a program; what it says goes through, or is kept for later where others run beside it. */
function run(command: string, args: readonly string[], isKept: boolean): Promise<Ended> {
  return new Promise((resolve, reject) => {
    const child = spawn(command, args, {
      cwd: PROJECT,
      env: process.env,
      stdio: isKept ? ['ignore', 'pipe', 'pipe'] : 'inherit',
    });
    const said: Buffer[] = [];
    for (const stream of [child.stdout, child.stderr]) stream?.on('data', (text: Buffer) => said.push(text));
    child
      .once('error', reject)
      .once('close', (code) => resolve({ code: code ?? 1, said: Buffer.concat(said).toString() }));
  });
}

const secondsSince = (started: number): string => `${((performance.now() - started) / 1000).toFixed(0)} s`;

async function check([name, script]: (typeof CHECKS)[number]): Promise<Counts> {
  const started = performance.now();
  const { code, said } = await run('npm', ['run', '--silent', script], true);
  process.stdout.write(`${said}-- ${name}: ${code === 0 ? 'passed' : 'failed'}, ${secondsSince(started)}\n`);
  return code === 0 ? { passed: 1, failed: 0 } : { passed: 0, failed: 1 };
}

/** Runs one Jest project; a suite that cannot even start counts as failed. */
async function suite(kind: Suite, reports: string, pattern: readonly string[] = []): Promise<Counts> {
  const started = performance.now();
  process.stdout.write(`\n== ${kind} tests\n`);
  const report = path.join(reports, `${kind}.json`);
  const jest = ['--experimental-vm-modules', '--no-warnings', 'node_modules/jest/bin/jest.js'];
  const workers = AT_ONCE[kind] > 1 ? `--maxWorkers=${AT_ONCE[kind]}` : '--runInBand';
  const how = ['--selectProjects', kind, workers, '--json', '--outputFile', report, ...pattern];
  const { code } = await run(process.execPath, [...jest, ...how], false);
  const result = JSON.parse(await readFile(report, 'utf8').catch(() => '{}')) as Partial<
    Record<'numPassedTests' | 'numFailedTests' | 'numRuntimeErrorTestSuites', number>
  >;
  const said = (result.numFailedTests ?? 0) + (result.numRuntimeErrorTestSuites ?? 0);
  const [passed, failed] = [result.numPassedTests ?? 0, code !== 0 && said === 0 ? 1 : said];
  process.stdout.write(`-- ${kind} tests: ${passed} passed, ${failed} failed, ${secondsSince(started)}\n`);
  return { passed, failed };
}

async function everything(reports: string): Promise<Counts[]> {
  const some = pLimit(ABREAST);
  const counts = await Promise.all(CHECKS.map((each) => some(check, each)));
  for (const kind of SUITES) counts.push(await suite(kind, reports));
  return counts;
}

const { values, positionals } = parseArgs({
  options: { deep: { type: 'boolean', default: false } },
  allowPositionals: true,
});
const [wanted, ...pattern] = positionals;
if (wanted !== undefined && !SUITES.includes(wanted as Suite)) {
  process.stderr.write(`flagstone test: there is no kind “${wanted}”; there are ${SUITES.join(', ')}\n`);
  process.exit(2);
}
if (values.deep) process.env['FLAGSTONE_TEST_DEEP'] = '1';
const reports = await mkdtemp(path.join(os.tmpdir(), 'flagstone-reports-'));
const counts = wanted === undefined ? await everything(reports) : [await suite(wanted as Suite, reports, pattern)];
await rm(reports, { recursive: true, force: true });
const total = (key: keyof Counts): number => counts.reduce((sum, each) => sum + each[key], 0);
process.stdout.write(`\n${total('passed')} passed, ${total('failed')} failed\n`);
process.exitCode = total('failed') === 0 && total('passed') > 0 ? 0 : 1;
