import { execFile, spawn } from 'node:child_process';
import { mkdtemp, rm, stat, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { parseArgs, promisify } from 'node:util';
import { RECIPES } from '@flagstone/demo/recipes';
import { randomSource } from '@flagstone/demo/signal';
import { wavBytes } from '@flagstone/demo/wav-file';
import { programPath } from '@flagstone/server/workers/programs';

/**
 * `bench analyse [--files 40] [--rounds 3]`: everything that is measured, in one pass on one core, beside ffmpeg's loudness and true peak alone on
 * the same files, in turns. Files of the demo's kinds, 2 to 60 s, stereo, 48 kHz, 24 bit; and the same sounds in one long file, where the start
 * of the programs does not count.
 */
const run = promisify(execFile);
const { values } = parseArgs({
  options: { files: { type: 'string', default: '40' }, rounds: { type: 'string', default: '3' } },
});
const RATE = 48_000;
const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-bench-'));
const lengths = [2, 3, 5, 8, 13, 20, 40, 60];
const recipes = Object.entries(RECIPES);

const names: string[] = [];
const all: [Float32Array[], Float32Array[]] = [[], []];
let total = 0;
for (let index = 0; index < Number(values.files); index += 1) {
  const [name, recipe] = recipes[(index * 7) % recipes.length] ?? recipes[0] ?? [];
  const seconds = lengths[index % lengths.length] ?? 5;
  const channels = [0, 1].map((channel) =>
    recipe?.({ rate: RATE, random: randomSource(index * 2 + channel) }, seconds),
  );
  const scaled = channels.map((signal) => (signal ?? new Float32Array(0)).map((value) => value * 0.5));
  const file = path.join(folder, `${index} ${name}.wav`);
  await writeFile(file, wavBytes(scaled, { rate: RATE, bits: 24 }));
  scaled.forEach((signal, channel) => all[channel]?.push(signal));
  names.push(file);
  total += seconds;
}
const joined = all.map((signals) => {
  const whole = new Float32Array(signals.reduce((sum, each) => sum + each.length, 0));
  let at = 0;
  for (const signal of signals) {
    whole.set(signal, at);
    at += signal.length;
  }
  return whole;
});
const long = path.join(folder, 'long.wav');
await writeFile(long, wavBytes(joined, { rate: RATE, bits: 24 }));

const seconds = async (work: () => Promise<unknown>): Promise<number> => {
  const started = performance.now();
  await work();
  return (performance.now() - started) / 1000;
};
const flagstone = (given: readonly string[]): Promise<void> =>
  new Promise((resolve, reject) => {
    const args = [programPath('main'), 'measure', '--threads', '1', '-'];
    const child = spawn(process.execPath, args, { stdio: ['pipe', 'ignore', 'inherit'] });
    child.stdin.end(given.join('\n'));
    child
      .once('error', reject)
      .once('close', (code) => (code === 0 ? resolve() : reject(new Error(`measure ended with ${code}`))));
  });
const ffmpeg = async (given: readonly string[]): Promise<void> => {
  for (const file of given)
    await run('ffmpeg', [
      '-v',
      'error',
      '-nostats',
      '-nostdin',
      '-threads',
      '1',
      '-i',
      file,
      '-af',
      'ebur128=peak=true',
      '-f',
      'null',
      '-',
    ]);
};
const best = async (work: () => Promise<unknown>): Promise<number> => {
  let least = Infinity;
  for (let round = 0; round < Number(values.rounds); round += 1) least = Math.min(least, await seconds(work));
  return least;
};

try {
  const bytes = (await stat(long)).size;
  process.stdout.write(
    `${names.length} stereo files of 24 bit at 48 kHz, ${total} s, ${(bytes / 1e6).toFixed(0)} MB; Node.js ${process.version}, one core, best of ${values.rounds}\n`,
  );
  for (const [what, given] of [
    ['each file', names],
    ['one long file', [long]],
  ] as const) {
    const ours = await best(() => flagstone(given));
    const theirs = await best(() => ffmpeg(given));
    const start = await best(() => flagstone(names.slice(0, 1)));
    const line = (name: string, time: number, note: string): string =>
      `  ${name.padEnd(36)} ${time.toFixed(2).padStart(7)} s ${(total / time).toFixed(0).padStart(5)} x real time ${(bytes / 1e6 / time).toFixed(0).padStart(5)} MB/s  ${note}\n`;
    process.stdout.write(`${what}\n`);
    process.stdout.write(
      line('flagstone measure, start included', ours, `the start and 2 s of sound ${start.toFixed(2)} s`),
    );
    process.stdout.write(
      line('ffmpeg ebur128=peak=true', theirs, `flagstone takes ${(ours / theirs).toFixed(2)} times as long`),
    );
  }
} finally {
  await rm(folder, { recursive: true, force: true });
}
