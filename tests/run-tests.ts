import { spawn } from 'node:child_process';
import { mkdtemp, readFile, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { parseArgs } from 'node:util';

/**
 * `./flagstone test [unit|server|browser] [PATTERN] [--deep]`: all checks, or one kind of tests of the files whose path has the pattern; the sum is the last line. Each of formatting,
 * walls, lint and types counts as one check. They go two abreast where the machine has the cores and the memory for it: the server's tests wait for the database and for
 * drives much of their time, the other checks do nothing but compute. The browser is alone: what is heard and moves there has a time of its own. What a check says is printed
 * when it has ended.
 */
const PROJECT = fileURLToPath(new URL('..', import.meta.url));
const SUITES = ['unit', 'server', 'browser'] as const;
type Suite = (typeof SUITES)[number];
const CHECKS: [name: string, script: string][] = [
  ['formatting', 'format:check'],
  ['walls between the rooms', 'walls'],
  ['types', 'types'],
  ['types of the web application', 'types:web'],
  ['lint', 'lint'],
];
/**
 * From so many cores on checks go two abreast: the server's tests with their database and threads use two by themselves, and on two cores both lanes took as long as one
 * after the other. ESLint with types has two gigabytes, the server's tests as much.
 */
const ABREAST_FROM_CORES = 4;
const ABREAST_FROM_BYTES = 6 * 1024 ** 3;

interface Counts {
  passed: number;
  failed: number;
}
type Step = () => Promise<Counts>;

interface Ended {
  code: number;
  said: string;
}

/** Runs a program; what it says goes through, or is kept for later where others run beside it. */
function run(command: string, args: readonly string[], isAbreast: boolean): Promise<Ended> {
  return new Promise((resolve, reject) => {
    const child = spawn(command, args, {
      cwd: PROJECT,
      env: process.env,
      stdio: isAbreast ? ['ignore', 'pipe', 'pipe'] : 'inherit',
    });
    const said: Buffer[] = [];
    for (const stream of [child.stdout, child.stderr]) stream?.on('data', (text: Buffer) => said.push(text));
    child
      .once('error', reject)
      .once('close', (code) => resolve({ code: code ?? 1, said: Buffer.concat(said).toString() }));
  });
}

async function step(name: string, isAbreast: boolean, work: () => Promise<Ended & Counts>): Promise<Counts> {
  const started = performance.now();
  if (!isAbreast) process.stdout.write(`\n== ${name}\n`);
  const { said, passed, failed } = await work();
  const seconds = ((performance.now() - started) / 1000).toFixed(0);
  process.stdout.write(
    `${isAbreast ? `\n== ${name}\n${said}` : ''}-- ${name}: ${passed} passed, ${failed} failed, ${seconds} s\n`,
  );
  return { passed, failed };
}

const check = (name: string, script: string, isAbreast: boolean): Promise<Counts> =>
  step(name, isAbreast, async () => {
    const ended = await run('npm', ['run', '--silent', script], isAbreast);
    return { ...ended, ...(ended.code === 0 ? { passed: 1, failed: 0 } : { passed: 0, failed: 1 }) };
  });

/** Runs one Jest project; a suite that cannot even start counts as failed. */
const suite = (kind: Suite, reports: string, isAbreast: boolean, pattern: readonly string[] = []): Promise<Counts> =>
  step(`${kind} tests`, isAbreast, async () => {
    const report = path.join(reports, `${kind}.json`);
    const args = [
      '--experimental-vm-modules',
      '--no-warnings',
      'node_modules/jest/bin/jest.js',
      '--selectProjects',
      kind,
    ];
    const how = ['--runInBand', '--json', '--outputFile', report, ...pattern];
    const ended = await run(process.execPath, [...args, ...how], isAbreast);
    const result = JSON.parse(await readFile(report, 'utf8').catch(() => '{}')) as Partial<
      Record<'numPassedTests' | 'numFailedTests' | 'numRuntimeErrorTestSuites', number>
    >;
    const failed = (result.numFailedTests ?? 0) + (result.numRuntimeErrorTestSuites ?? 0);
    return { ...ended, passed: result.numPassedTests ?? 0, failed: ended.code !== 0 && failed === 0 ? 1 : failed };
  });

async function inOrder(steps: readonly Step[]): Promise<Counts[]> {
  const counts: Counts[] = [];
  for (const each of steps) counts.push(await each());
  return counts;
}

async function everything(reports: string): Promise<Counts[]> {
  const isAbreast = os.availableParallelism() >= ABREAST_FROM_CORES && os.totalmem() >= ABREAST_FROM_BYTES;
  const checks = CHECKS.map(
    ([name, script]) =>
      () =>
        check(name, script, isAbreast),
  );
  const [unit, server, browser] = SUITES.map((kind) => () => suite(kind, reports, isAbreast && kind !== 'browser')) as [
    Step,
    Step,
    Step,
  ];
  if (!isAbreast) return inOrder([...checks, unit, server, browser]);
  const abreast = await Promise.all([inOrder([server]), inOrder([...checks, unit])]);
  return [...abreast.flat(), await browser()];
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
const counts =
  wanted === undefined ? await everything(reports) : [await suite(wanted as Suite, reports, false, pattern)];
await rm(reports, { recursive: true, force: true });
const total = (key: keyof Counts): number => counts.reduce((sum, each) => sum + each[key], 0);
process.stdout.write(`\n${total('passed')} passed, ${total('failed')} failed\n`);
process.exitCode = total('failed') === 0 && total('passed') > 0 ? 0 : 1;
