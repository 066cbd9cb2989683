import { execFile } from 'node:child_process';
import { chmod, mkdir, mkdtemp, open, readdir, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { parseArgs, promisify } from 'node:util';
import { wavBytes } from '@flagstone/demo/wav-file';
import { openContext } from '@flagstone/server/application';
import { connect } from '@flagstone/server/db/connect';
import { startLocalPostgres } from '@flagstone/server/db/local-postgres';
import { indexJob } from '@flagstone/server/intake/index-job';
import { fillCatalogue } from './fill-catalogue.ts';
import { listQuerySchema } from '@flagstone/contract/selection';
import { listRows } from '@flagstone/server/finding/list-rows';
import { statisticsOf } from '@flagstone/server/finding/statistics';
import { programPerson } from '@flagstone/server/people/accounts';
import { openBatch } from '@flagstone/server/intake/batches';
import pino from 'pino';

/**
 * `bench index [--files 5000] [--rows 0]`: with so many made-up sounds in the catalogue beforehand, files a second for a first and for an unchanged indexing, database included, beside two floors of this machine in
 * the same run: reading the first 64 kB of each file, and `find -printf`.
 */
const run = promisify(execFile);
const { values } = parseArgs({
  options: { files: { type: 'string', default: '5000' }, rows: { type: 'string', default: '0' } },
});
const count = Number(values.files);
const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-bench-'));
await chmod(folder, 0o755);
const drive = path.join(folder, 'drive');

for (let index = 0; index < count; index += 1) {
  const place = path.join(drive, `shelf ${Math.floor(index / 500)}`);
  if (index % 500 === 0) await mkdir(place, { recursive: true });
  const signal = Float32Array.from(
    { length: 4800 },
    (_, at) => Math.sin(at / (5 + index / 300)) * 0.5 + (at === 0 ? index / count / 4 : 0),
  );
  const tags = { info: { INAM: `Sound ${index}`, ICMT: 'made for the benchmark' }, ixml: { 'ASWG/library': 'Bench' } };
  await writeFile(
    path.join(place, `sound_${index}.wav`),
    wavBytes([signal], { rate: 48000, bits: 24 }, index % 2 === 0 ? tags : {}),
  );
}

const seconds = async (work: () => Promise<unknown>): Promise<number> => {
  const started = performance.now();
  await work();
  return (performance.now() - started) / 1000;
};

const postgres = await startLocalPostgres(path.join(folder, 'data'));
const { context, close } = await openContext(
  postgres.connectionString,
  [drive],
  pino({ level: 'warn' }, pino.destination(2)),
);
const index = async (): Promise<void> => {
  const person = await programPerson(context.db);
  const { job: newJob } = await openBatch(context, drive, undefined, person, 'all');
  const job = await context.jobs.runHere((run) => indexJob(context, run), newJob, person);
  if (job.state !== 'done' || job.done !== count)
    throw new Error(`the job ended ${job.state} with ${job.done} of ${count}`);
};
const head = async (): Promise<void> => {
  const buffer = Buffer.alloc(64 * 1024);
  for (const entry of await readdir(drive, { recursive: true, withFileTypes: true })) {
    if (!entry.isFile()) continue;
    const handle = await open(path.join(entry.parentPath, entry.name));
    await handle.read(buffer, 0, buffer.length, 0);
    await handle.close();
  }
};
const find = (): Promise<unknown> => run('find', [drive, '-type', 'f', '-printf', '%s %T@ %p\n'], { maxBuffer: 1e9 });

try {
  const rows = Number(values.rows);
  if (rows > 0) {
    // Filling sets numbers and statistics, which is the owner's right.
    const owner = await connect(postgres.connectionString, undefined, true);
    const making = await seconds(() => fillCatalogue(owner.db, rows));
    await owner.close();
    process.stdout.write(`${rows.toLocaleString('en')} sounds made in the database in ${making.toFixed(0)} s\n`);
    for (const [what, ask] of [
      [
        'first page of the catalogue',
        () => listRows(context, { kind: 'catalogue' }, { ...listQuerySchema.parse({}), seenBy: 'all' }),
      ],
      ['charts of Today', () => statisticsOf(context, 'all')],
    ] as const)
      process.stdout.write(`${what.padEnd(34)} ${(await seconds(ask)).toFixed(2).padStart(7)} s\n`);
  }
  const first = await seconds(index);
  // The second time, what was new is noted as the same; from then on nothing is written.
  const second = await seconds(index);
  const again = await seconds(index);
  const floor = await seconds(head);
  const listing = await seconds(find);
  const line = (what: string, time: number, note = ''): string =>
    `${what.padEnd(34)} ${time.toFixed(2).padStart(7)} s ${String(Math.round(count / time)).padStart(7)} files/s ${note}\n`;
  process.stdout.write(`${count} WAV files of 15 kB, Node.js ${process.version}, ${os.availableParallelism()} cores\n`);
  process.stdout.write(line('first index, with worker start', first, `${(first / floor).toFixed(1)} x the floor`));
  process.stdout.write(line('second index', second));
  process.stdout.write(line('unchanged index', again, `${(again / listing).toFixed(1)} x find`));
  process.stdout.write(line('floor: first 64 kB of each file', floor));
  process.stdout.write(line('floor: find -printf', listing));
} finally {
  await close();
  await postgres.stop();
  await rm(folder, { recursive: true, force: true });
}
