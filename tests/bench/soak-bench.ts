import { chmod, mkdtemp, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { RunningServer } from '../running-server.ts';
import { makeSoakDrive, readSoakDrive } from '../soak/soak-drive.ts';
import { soak } from '../soak/soak.ts';

/** `bench soak [--seconds 180] [--seed 1] [--people 20]`: people who edit, search and listen at random, checked against a model; exit status 1 when anything differs. */
const { values } = parseArgs({
  args: process.argv.slice(2),
  options: {
    seconds: { type: 'string', default: '180' },
    seed: { type: 'string', default: '1' },
    people: { type: 'string', default: '20' },
  },
});
const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-soak-'));
await chmod(folder, 0o755);
await makeSoakDrive(path.join(folder, 'drive'), 200);
const server = new RunningServer(path.join(folder, 'data'), path.join(folder, 'drive'));
await server.start();
try {
  const batchId = await readSoakDrive(server, path.join(folder, 'drive'));
  const numbers = { seconds: Number(values.seconds), seed: Number(values.seed), people: Number(values.people) };
  const { requests, seconds, slowestMs, peakMemoryBytes, faults } = await soak(server, batchId, numbers);
  process.stdout.write(
    `${requests} requests in ${seconds} s (${(requests / seconds).toFixed(0)} a second), slowest ${slowestMs.toFixed(0)} ms, peak memory ${(peakMemoryBytes / 2 ** 20).toFixed(0)} MiB, ${faults.length} faults\n`,
  );
  for (const fault of faults.slice(0, 20)) process.stdout.write(`${fault}\n`);
  process.exitCode = faults.length === 0 ? 0 : 1;
} finally {
  await server.end();
  await rm(folder, { recursive: true, force: true });
}
