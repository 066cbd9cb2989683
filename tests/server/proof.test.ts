import { readFile, rm, utimes, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import type { Job } from '@flagstone/contract/jobs';
import { wavBytes } from '@flagstone/demo/wav-file';
import { addDrive } from '@flagstone/server/drives/drives';
import { proveWhatIsDue } from '@flagstone/server/proof/prove-job';
import { sql } from 'drizzle-orm';
import { decay, IN_AUDIO, READ_AT } from './decay.ts';
import { TestApplication } from './test-application.ts';

const SAYS = { INAM: 'Lock gate', ICMT: 'Old wood', IKEY: 'gate, creak' };
const [QUAY, FIELD] = ['quay', 'field'];
let app: TestApplication;
let drives: Record<string, string>;

/** Two drives, each with the same three sounds, all filed and measured. */
beforeEach(async () => {
  app = await TestApplication.open();
  drives = {};
  for (const drive of [QUAY, FIELD])
    for (const seed of [1, 2, 3]) {
      await app.put(`${drive}/gates/gate ${seed}.wav`, {
        seed,
        tags: { info: { ...SAYS, INAM: `Lock gate ${seed}` } },
      });
      await utimes(fileOf(drive, seed), READ_AT, READ_AT);
    }
  for (const drive of [QUAY, FIELD]) drives[drive] = (await addDrive(app.context, path.join(app.drive, drive))).id;
  for (const drive of [QUAY, FIELD]) {
    const { batchId } = await app.intake(drive);
    await app.call('fileBatch', { params: { id: batchId } });
  }
  await app.measured();
});
afterEach(() => app.close());

const fileOf = (drive: string, seed: number): string => path.join(app.drive, drive, 'gates', `gate ${seed}.wav`);

async function proved(drive: string, more: object = {}): Promise<Job> {
  return app.ended(await app.call('startProof', { body: { driveId: drives[drive], share: 100, ...more } }));
}
async function countsOf(drive: string): Promise<object> {
  const { folders } = await app.call('getDrift');
  const [own] = folders.filter(({ driveId }) => driveId === drives[drive]);
  return Object.fromEntries(Object.entries(own?.counts ?? {}).filter(([, copies]) => copies > 0));
}
const listed = async (drive: string, state: 'damaged' | 'ahead') =>
  (await app.call('listCatalogue', { query: { drive: drives[drive], state } })).rows.map(({ name }) => name);
const soundsKnown = async (): Promise<number> =>
  (await app.context.db.execute<{ count: number }>(sql`select count(*)::int as count from sounds`)).rows[0]?.count ?? 0;
/** When each file of a drive was proved, the oldest first. */
const proofs = async (drive: string): Promise<string[]> =>
  (
    await app.context.db.execute<{ name: string }>(
      sql`select name from copies where drive_id = ${drives[drive]} order by proved_at, id`,
    )
  ).rows.map(({ name }) => name);

describe('a proof', () => {
  it('reads every file of a drive as a whole, that whose proof is the oldest first', async () => {
    await app.context.db.execute(
      sql`update copies set proved_at = now() - interval '40 days' where name = 'gate 3.wav'`,
    );
    await app.context.db.execute(
      sql`update copies set proved_at = now() - interval '20 days' where name = 'gate 2.wav'`,
    );
    expect(await proofs(QUAY)).toEqual(['gate 3.wav', 'gate 2.wav', 'gate 1.wav']);
    const old = await proved(QUAY, { olderThanDays: 30 });
    expect(old).toMatchObject({ state: 'done', total: 1, done: 1, failed: 0, result: { same: 1 } });
    expect(await proofs(QUAY)).toEqual(['gate 2.wav', 'gate 1.wav', 'gate 3.wav']);
    expect(await proved(QUAY)).toMatchObject({ total: 3, done: 3, result: { same: 3, damaged: 0 } });
    // In the order of their proofs, and on that drive alone.
    expect(await proofs(QUAY)).toEqual(['gate 2.wav', 'gate 1.wav', 'gate 3.wav']);
    expect(await proofs(FIELD)).toEqual(['gate 3.wav', 'gate 2.wav', 'gate 1.wav']);
  });

  it('finds a bit that flipped, keeps sound, record and place, and says it until the file holds its audio again', async () => {
    const whole = await readFile(fileOf(QUAY, 2));
    await decay(fileOf(QUAY, 2), IN_AUDIO);
    const [sounds, before] = [await soundsKnown(), await app.call('listCatalogue', { query: { drive: drives[QUAY] } })];
    // Reading the folder again sees nothing: size and time are the same.
    await app.intake(QUAY);
    expect(await countsOf(QUAY)).toEqual({ inStep: 3 });
    const job = await proved(QUAY);
    expect(job).toMatchObject({ state: 'done', done: 3, failed: 0, result: { same: 2, damaged: 1 } });
    expect(await countsOf(QUAY)).toEqual({ inStep: 3, damaged: 1 });
    expect(await countsOf(FIELD)).toEqual({ inStep: 3 });
    expect(await listed(QUAY, 'damaged')).toEqual(['gate 2.wav']);
    expect(await soundsKnown()).toBe(sounds);
    const after = await app.call('listCatalogue', { query: { drive: drives[QUAY] } });
    expect(after.rows.map(({ record }) => record)).toEqual(before.rows.map(({ record }) => record));
    // Measuring it anew, as a later version does, takes nothing it says for its sound's.
    await app.context.db.execute(sql`update analyses set version = 0`);
    await app.restart();
    await app.measured();
    expect(await soundsKnown()).toBe(sounds);
    expect(await listed(QUAY, 'damaged')).toEqual(['gate 2.wav']);
    // The very bytes come back with the time that they had.
    await writeFile(fileOf(QUAY, 2), whole);
    await utimes(fileOf(QUAY, 2), READ_AT, READ_AT);
    expect((await proved(QUAY)).result).toMatchObject({ same: 2, repaired: 1 });
    expect(await countsOf(QUAY)).toEqual({ inStep: 3 });
  });

  it('tells a file whose headers decayed, and measures it no more', async () => {
    await decay(fileOf(QUAY, 1), 2, () => 0);
    expect((await proved(QUAY)).result).toMatchObject({ same: 2, damaged: 1 });
    expect(await listed(QUAY, 'damaged')).toEqual(['gate 1.wav']);
  });

  it('takes notice of metadata that were changed without another size or time', async () => {
    const bytes = await readFile(fileOf(QUAY, 1));
    await decay(fileOf(QUAY, 1), bytes.indexOf('Old wood'), () => 'B'.charCodeAt(0));
    expect((await proved(QUAY)).result).toMatchObject({ same: 2, retold: 1, damaged: 0 });
    expect(await countsOf(QUAY)).toEqual({ inStep: 2, ahead: 1 });
    expect(await listed(QUAY, 'ahead')).toEqual(['gate 1.wav']);
    expect((await proved(QUAY)).result).toMatchObject({ same: 3 });
  });

  it('leaves to reading what was changed or went since, and goes on', async () => {
    await app.put('quay/gates/gate 1.wav', { seed: 1, tags: { info: { ...SAYS, ICMT: 'Wood, painted green' } } });
    await rm(fileOf(QUAY, 3));
    const job = await proved(QUAY);
    expect(job).toMatchObject({ state: 'done', done: 1, failed: 2, result: { same: 1, damaged: 0 } });
    expect(job.failures.map(({ code, count }) => [code, count]).sort()).toEqual([
      ['FILE_CHANGED', 1],
      ['FILE_VANISHED', 1],
    ]);
    expect(await countsOf(QUAY)).toEqual({ inStep: 3 });
  });

  it('is not forgotten when another program writes into the damaged file, and is when a whole one takes its place', async () => {
    // So long that the sampled blocks of its audio leave out the part that decays.
    const signal = Float32Array.from({ length: 200_000 }, (_, at) => Math.sin(at / 9) * 0.4);
    const said = (description: string): Buffer =>
      Buffer.from(wavBytes([signal], { rate: 48_000, bits: 16 }, { info: { INAM: 'Weir', ICMT: description } }));
    const file = path.join(app.drive, QUAY, 'weir.wav');
    const read = async (bytes: Buffer): Promise<void> => {
      await writeFile(file, bytes);
      await app.intake(QUAY);
      await app.measured();
    };
    await writeFile(file, said('Old wood'));
    await utimes(file, READ_AT, READ_AT);
    await app.call('fileBatch', { params: { id: (await app.intake(QUAY)).batchId } });
    await app.measured();
    await decay(file, 15_000);
    expect((await proved(QUAY)).result).toMatchObject({ same: 3, damaged: 1 });
    const sounds = await soundsKnown();
    const retold = said('Oak');
    retold[15_000 + retold.length - (await readFile(file)).length] = (await readFile(file))[15_000] as number;
    await read(retold);
    expect(await countsOf(QUAY)).toEqual({ inStep: 3, ahead: 1, damaged: 1 });
    await read(said('Oak'));
    expect(await countsOf(QUAY)).toEqual({ inStep: 3, ahead: 1 });
    expect(await soundsKnown()).toBe(sounds);
  });

  it('is begun by nobody where there is nothing to prove', async () => {
    const answer = await app.send('startProof', { body: { driveId: drives[QUAY], olderThanDays: 5 } });
    expect([answer.status, answer.body]).toMatchObject([422, { code: 'NOTHING_TO_PROVE' }]);
  });
});

describe('proving by itself', () => {
  const times = { everyDays: 30, fromHour: 0, toHour: 0, share: 100 };

  it('begins when files are due, within the hours of the drive, once for all processes', async () => {
    await app.call('updateDrive', { params: { id: drives[QUAY] }, body: { proof: times } });
    expect(await proveWhatIsDue(app.context)).toBe(0);
    await app.context.db.execute(
      sql`update copies set proved_at = now() - interval '31 days' where name = 'gate 3.wav'`,
    );
    const hour = new Date().getHours();
    const elsewhen = { ...times, fromHour: (hour + 2) % 24, toHour: (hour + 3) % 24 };
    await app.call('updateDrive', { params: { id: drives[QUAY] }, body: { proof: elsewhen } });
    expect(await proveWhatIsDue(app.context)).toBe(0);
    await app.call('updateDrive', { params: { id: drives[QUAY] }, body: { proof: times } });
    const queued = await Promise.all([proveWhatIsDue(app.context), proveWhatIsDue(app.context)]);
    expect(queued.sort()).toEqual([0, 1]);
    const [job] = (await app.call('listJobs')).filter(({ kind }) => kind === 'prove');
    expect(await app.ended(job as Job)).toMatchObject({ state: 'done', total: 1, done: 1, result: { same: 1 } });
    expect(await proveWhatIsDue(app.context)).toBe(0);
  });

  it('ends with its hours, and keeps what was proved', async () => {
    await app.call('updateDrive', { params: { id: drives[QUAY] }, body: { proof: times } });
    await app.context.db.execute(sql`update copies set proved_at = now() - interval '31 days'`);
    // While the first file is read, the hours are set to others.
    const hour = new Date().getHours();
    const over = { ...times, fromHour: (hour + 2) % 24, toHour: (hour + 3) % 24 };
    const { workers } = app.context;
    const digest = workers.digest.bind(workers);
    workers.digest = async (...given) => {
      await app.call('updateDrive', { params: { id: drives[QUAY] }, body: { proof: over } });
      return digest(...given);
    };
    expect(await proveWhatIsDue(app.context)).toBe(1);
    const [job] = (await app.call('listJobs')).filter(({ kind }) => kind === 'prove');
    expect(await app.ended(job as Job)).toMatchObject({ state: 'done', total: 3, done: 1 });
  });
});
