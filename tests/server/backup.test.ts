import { execFile } from 'node:child_process';
import { mkdir, mkdtemp, readdir, readFile, rm, stat, truncate, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { makeBackup } from '@flagstone/server/backup/make-backup';
import { readManifest } from '@flagstone/server/backup/read-backup';
import { restoreBackup, whatIsLost } from '@flagstone/server/backup/restore-backup';
import { withClient } from '@flagstone/server/backup/scratch-database';
import { TestApplication } from './test-application.ts';

const run = promisify(execFile);
const PASSPHRASE = 'quiet weir below the mill';
let app: TestApplication;
let into = '';

beforeEach(async () => {
  app = await TestApplication.open();
  into = await mkdtemp(path.join(os.tmpdir(), 'flagstone-backups-'));
  for (const seed of [1, 2, 3]) await app.put(`gates/gate ${seed}.wav`, { seed });
  const { batchId } = await app.intake('gates');
  await app.call('fileBatch', { params: { id: batchId } });
  await app.measured();
});
afterEach(async () => {
  await app.close();
  await rm(into, { recursive: true, force: true });
});

const backUp = (more: { passphrase?: string; keep?: number } = {}): Promise<string> =>
  makeBackup(app.databaseAddress, into, { passphrase: '', keep: 0, version: '1.2.3', ...more });
const describeAll = (description: string) =>
  app.call('editRecords', {
    body: { selection: { kind: 'catalogue', filter: {} }, edit: { set: { description } } },
  });
const descriptions = async () => (await app.call('listCatalogue')).rows.map(({ record }) => record.description);
/** The databases of the server whose names begin as that of the application. */
const databases = async (): Promise<string[]> => {
  const own = path.basename(new URL(app.databaseAddress).pathname);
  const { rows } = await withClient(app.databaseAddress, (client) =>
    client.query<{ datname: string }>('select datname from pg_database where starts_with(datname, $1) order by 1', [
      own,
    ]),
  );
  return rows.map(({ datname }) => datname.slice(own.length).replace(/\d+$/, ''));
};
const restored = async (backup: string, passphrase = ''): Promise<void> => {
  await app.whileClosed(() => restoreBackup(app.databaseAddress, backup, passphrase));
};

describe('a backup', () => {
  it('holds the database as it was while people went on, is proved, and is restored with all that it held', async () => {
    await describeAll('before');
    const making = backUp();
    await describeAll('while it was made');
    const backup = await making;
    expect((await readdir(backup)).sort()).toEqual(['database.dump', 'manifest.json']);
    expect((await stat(path.join(backup, 'database.dump'))).mode & 0o077).toBe(0);
    const manifest = await readManifest(backup);
    expect(manifest).toMatchObject({ form: 1, version: '1.2.3', file: 'database.dump' });
    expect(manifest.tables['public.sounds']?.rows).toBe(3);
    expect(manifest.verifiedAt).not.toBeNull();
    // By PostgreSQL's own program it is a dump, with everything but the queue of jobs.
    const { stdout } = await run('/bin/sh', [
      '-c',
      '"$(ls -d /usr/lib/postgresql/*/bin | tail -n 1)/pg_restore" --list "$1"',
      'sh',
      path.join(backup, 'database.dump'),
    ]);
    expect(stdout).toContain('TABLE DATA public records');
    expect(stdout).not.toContain('pgboss');

    await describeAll('after');
    await app.call('makePullList', { body: { name: 'Reel 9' } });
    expect(await whatIsLost(app.databaseAddress, manifest)).toMatchObject({
      isEmpty: false,
      sounds: { now: 3, inBackup: 3 },
    });
    await restored(backup);
    expect(['before', 'while it was made']).toContain((await descriptions())[0]);
    expect(new Set(await descriptions()).size).toBe(1);
    expect(await app.call('listPullLists')).toEqual([]);
    // What was there is kept beside it.
    expect(await databases()).toEqual(['', '_before_']);
    // It goes on: what is edited now is found.
    await describeAll('heron');
    expect((await app.call('listCatalogue', { query: { q: 'heron' } })).total).toBe(3);
  });

  it('is encrypted in an open form, which another program reads, and opens by its pass phrase alone', async () => {
    await describeAll('before');
    const backup = await backUp({ passphrase: PASSPHRASE });
    const dump = path.join(backup, 'database.dump.age');
    expect((await readFile(dump)).subarray(0, 21).toString()).toBe('age-encryption.org/v1');
    // age(1) asks a terminal for the pass phrase: script(1) is one.
    const plain = path.join(into, 'plain');
    const asking = run('script', ['-qec', `age -d -o ${plain} ${dump}`, '/dev/null']);
    asking.child.stdin?.end(`${PASSPHRASE}\n`);
    await asking;
    expect((await readFile(plain)).subarray(0, 5).toString()).toBe('PGDMP');
    await describeAll('after');
    for (const [passphrase, code] of [
      ['', 'PASSPHRASE_WRONG'],
      ['another one', 'PASSPHRASE_WRONG'],
    ] as const)
      await expect(restored(backup, passphrase)).rejects.toMatchObject({ code });
    expect([(await descriptions())[0], await databases()]).toEqual(['after', ['']]);
    await restored(backup, PASSPHRASE);
    expect((await descriptions())[0]).toBe('before');
  });

  it('that was cut off, changed, is none or is of a later version is refused, and the database stays as it is', async () => {
    await describeAll('before');
    const backup = await backUp();
    const [dump, manifest] = [path.join(backup, 'database.dump'), path.join(backup, 'manifest.json')];
    const whole = await readFile(dump);
    const said = await readFile(manifest, 'utf8');
    const refused = (code: string) => expect(restored(backup)).rejects.toMatchObject({ code });
    await truncate(dump, whole.length - 1);
    await refused('BACKUP_INVALID');
    const flipped = Buffer.from(whole);
    flipped[whole.length >> 1] = (flipped[whole.length >> 1] as number) ^ 1;
    await writeFile(dump, flipped);
    await refused('BACKUP_INVALID');
    await writeFile(dump, whole);
    await writeFile(manifest, said.replace('"form": 1', '"form": 2'));
    await refused('BACKUP_TOO_NEW');
    await writeFile(manifest, '{"form": 1}');
    await refused('BACKUP_INVALID');
    // One that restores, and holds something else than it says.
    await writeFile(manifest, said.replace(/("public.sounds": \{\s*"rows": )3/, '$14'));
    await refused('BACKUP_FAILED');
    await expect(restored(app.drive)).rejects.toMatchObject({ code: 'BACKUP_INVALID' });
    expect([(await descriptions())[0], await databases()]).toEqual(['before', ['']]);
  });

  it('is not restored while somebody uses the database', async () => {
    const backup = await backUp();
    await expect(restoreBackup(app.databaseAddress, backup, '')).rejects.toMatchObject({ code: 'UNAVAILABLE' });
    expect(await databases()).toEqual(['']);
  });

  it('calls off the jobs that were under way when it was made', async () => {
    const title = 'was to run';
    await app.context.jobs.add(
      { kind: 'index', title, payload: { awaitsDrive: 'Narrowboat' }, lanes: ['x'], collectionIds: [] },
      1,
    );
    const backup = await backUp();
    await restored(backup);
    expect((await app.call('listJobs')).find((job) => job.title === title)?.state).toBe('cancelled');
  });

  it('is kept with the last ones; what others put there, and what is being made, stays', async () => {
    const old = path.join(into, 'flagstone-20200101T000000000Z');
    await mkdir(old);
    await writeFile(path.join(old, 'notes.txt'), 'none of ours');
    const left = path.join(into, '.flagstone-20200101T000000000Z.part');
    await mkdir(left);
    const first = await backUp();
    const second = await backUp({ keep: 1 });
    expect(second).not.toBe(first);
    expect((await readdir(into)).sort()).toEqual([path.basename(old), path.basename(second)].sort());
  });

  it('drops what a killed one left in the server, and nothing else', async () => {
    const names = [
      'flagstone_scratch_1500000000000_7',
      `flagstone_scratch_${Date.now()}_7`,
      'flagstone_scratch_of_somebody',
    ];
    const make = (name: string) => withClient(app.databaseAddress, (client) => client.query(`create database ${name}`));
    for (const name of names) await make(name);
    await backUp();
    const { rows } = await withClient(app.databaseAddress, (client) =>
      client.query<{ datname: string }>(
        "select datname from pg_database where starts_with(datname, 'flagstone_scratch_') order by 1",
      ),
    );
    expect(rows.map(({ datname }) => datname)).toEqual(names.slice(1));
  });

  it('leaves nothing where it cannot be made', async () => {
    const address = new URL(app.databaseAddress);
    address.password = 'wrong';
    await expect(makeBackup(address.href, into, { passphrase: '', keep: 0, version: '1' })).rejects.toThrow();
    expect(await readdir(into)).toEqual([]);
    const file = path.join(into, 'a file');
    await writeFile(file, '');
    await expect(
      makeBackup(app.databaseAddress, file, { passphrase: '', keep: 0, version: '1' }),
    ).rejects.toMatchObject({
      name: 'AppError',
    });
  });
});
