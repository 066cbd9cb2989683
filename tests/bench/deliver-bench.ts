import { chmod, copyFile, mkdir, mkdtemp, open, readdir, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { filterSchema } from '@flagstone/contract/selection';
import { PLAIN_PROFILE, SHIPPED_PROFILES, type DeliveryProfile } from '@flagstone/core/delivery/profile';
import { wavBytes } from '@flagstone/demo/wav-file';
import { openContext } from '@flagstone/server/application';
import { startLocalPostgres } from '@flagstone/server/db/local-postgres';
import { deliverJobOf, layDelivery, makeDelivery } from '@flagstone/server/deliveries/deliveries';
import { deliverJob } from '@flagstone/server/deliveries/delivery-job';
import { fileBatch, openBatch } from '@flagstone/server/intake/batches';
import { indexJob } from '@flagstone/server/intake/index-job';
import { programPerson } from '@flagstone/server/people/accounts';
import { sql } from 'drizzle-orm';
import pino from 'pino';

/**
 * `bench deliver [--files 10000] [--kilobytes 1000] [--folder DIR]`: files delivered as they are, proved, beside copying and flushing each of them (cp and fsync) on the same disk in the same run; then as
 * 48 kHz mono for a game, and the same delivery again with nothing to do.
 */
const { values } = parseArgs({
  options: {
    files: { type: 'string', default: '10000' },
    kilobytes: { type: 'string', default: '1000' },
    folder: { type: 'string', default: os.tmpdir() },
  },
});
const count = Number(values.files);
const frames = Math.round((Number(values.kilobytes) * 1000) / 6);
const folder = await mkdtemp(path.join(values.folder, 'flagstone-bench-'));
await chmod(folder, 0o755);
const [drive, out] = [path.join(folder, 'drive'), path.join(folder, 'out')];
for (const each of [drive, out]) await mkdir(each);

const noise = Float32Array.from({ length: frames }, (_, at) => Math.sin(at / 9) * 0.4 + Math.sin(at / 2.1) * 0.1);
for (let index = 0; index < count; index += 1) {
  const own = noise.slice();
  own[0] = index / count;
  await writeFile(path.join(drive, `sound ${index}.wav`), wavBytes([own, own], { rate: 96_000, bits: 24 }));
}

const postgres = await startLocalPostgres(path.join(folder, 'data'));
const log = pino({ level: 'warn' }, pino.destination(2));
const { context, close } = await openContext(postgres.connectionString, [folder], log);
const seconds = async (work: () => Promise<unknown>): Promise<number> => {
  const started = performance.now();
  await work();
  return (performance.now() - started) / 1000;
};
const line = (what: string, taken: number, note = ''): void =>
  void process.stdout.write(
    `${what.padEnd(34)} ${taken.toFixed(1).padStart(7)} s ${String(Math.round(count / taken)).padStart(6)} files/s ${note}\n`,
  );

/** Copied one after the other, each flushed. */
async function copyAndFlush(): Promise<void> {
  const to = path.join(out, 'copied');
  await mkdir(to);
  for (const name of await readdir(drive)) {
    if (!name.endsWith('.wav')) continue;
    await copyFile(path.join(drive, name), path.join(to, name));
    const handle = await open(path.join(to, name), 'r+');
    await handle.sync();
    await handle.close();
  }
  await rm(to, { recursive: true });
}

try {
  const person = await programPerson(context.db);
  const { job, batchId } = await openBatch(context, drive, undefined, person, 'all');
  await context.jobs.runHere((run) => indexJob(context, run), job, person);
  await fileBatch(context, batchId, person, 'all');
  await context.db.execute(sql`update records set licence = 'CC BY 4.0'`);
  const asking = { person, sight: 'all' as const, librarianIn: 'all' as const };
  const what = {
    kind: 'sounds' as const,
    selection: { kind: 'catalogue' as const, filter: filterSchema.parse({}) },
    cut: 'whole' as const,
  };
  const make = async (name: string, profile: DeliveryProfile): Promise<number> => {
    const to = path.join(out, name);
    await mkdir(to);
    const rest = { forWhom: '', use: 'game' as const, isCommercial: true, show: '', deadline: '', profileName: '' };
    return makeDelivery(context, { name, folder: to, what, profile, ...rest }, asking);
  };
  const deliver = async (id: number): Promise<void> => {
    const ended = await context.jobs.runHere(
      (run) => deliverJob(context, run, 'all'),
      deliverJobOf({ id, name: '', forWhom: '' }),
      person,
    );
    if (ended.state !== 'done' || ended.failed > 0) throw new Error(`it ended ${ended.state}, ${ended.failed} failed`);
  };
  process.stdout.write(
    `${count} files of ${values.kilobytes} kB, Node.js ${process.version}, ${os.availableParallelism()} cores, ${values.folder}\n`,
  );
  const floor = await seconds(copyAndFlush);
  line('floor: cp and fsync of each', floor);
  let id = 0;
  line('tree laid', await seconds(async () => (id = await make('as is', { ...PLAIN_PROFILE, withRecord: false }))));
  const asIs = await seconds(() => deliver(id));
  line('delivered as they are', asIs, `${(floor / asIs).toFixed(2)} of the floor`);
  line(
    'the same again, nothing to do',
    await seconds(async () => {
      await layDelivery(context, id, sql`true`, 'all');
      await deliver(id);
    }),
  );
  await rm(path.join(out, 'as is'), { recursive: true });
  const carrying = await make('with records', PLAIN_PROFILE);
  line('with the record in each', await seconds(() => deliver(carrying)));
  await rm(path.join(out, 'with records'), { recursive: true });
  const game = await make('game', SHIPPED_PROFILES.game);
  line('as 48 kHz mono 16-bit', await seconds(() => deliver(game)));
} finally {
  await close();
  await postgres.stop();
  await rm(folder, { recursive: true, force: true });
}
