import { chmod, mkdtemp, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { RunningServer, RunningWorker } from '../running-server.ts';
import { makeSoakDrive, readSoakDrive } from '../soak/soak-drive.ts';
import { workTogether } from '../soak/together.ts';

/**
 * `bench together [--seconds 600] [--seed 1] [--people 20] [--sounds 100]`: people who edit, write, prove and read the same sounds with two processes, one of which is killed every
 * twenty seconds, while other programs write into the files; exit status 1 when a copy is not In step in the end, or anything was lost.
 */
const { values } = parseArgs({
  args: process.argv.slice(2),
  options: {
    seconds: { type: 'string', default: '600' },
    seed: { type: 'string', default: '1' },
    people: { type: 'string', default: '20' },
    sounds: { type: 'string', default: '100' },
  },
});
const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-together-'));
await chmod(folder, 0o755);
const [data, root] = [path.join(folder, 'data'), path.join(folder, 'root')];
const drive = path.join(root, 'shared');
await makeSoakDrive(drive, Number(values.sounds));
const server = new RunningServer(data, root);
const worker = new RunningWorker(data, root);
await server.start();
try {
  const batchId = await readSoakDrive(server, drive);
  await worker.start();
  const result = await workTogether(server, drive, batchId, {
    seconds: Number(values.seconds),
    seed: Number(values.seed),
    people: Number(values.people),
    disturb: async () => {
      await worker.end('SIGKILL');
      await worker.start();
    },
  });
  const { faults, ...told } = result;
  process.stdout.write(`${JSON.stringify(told, null, 2)}\n${faults.length} faults\n`);
  for (const fault of faults.slice(0, 30)) process.stdout.write(`${fault}\n`);
  process.exitCode = faults.length === 0 ? 0 : 1;
} finally {
  await worker.end();
  await server.end();
  await rm(folder, { recursive: true, force: true });
}
