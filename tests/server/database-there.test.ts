import { spawn } from 'node:child_process';
import { mkdtemp, readdir, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import { withClient } from '@flagstone/server/backup/scratch-database';
import { programPath } from '@flagstone/server/workers/programs';
import { newDatabase } from './new-database.ts';

jest.setTimeout(60_000);
const PROJECT = fileURLToPath(new URL('../..', import.meta.url));
let folder = '';
beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-there-'));
});
afterAll(() => rm(folder, { recursive: true, force: true }));

/** Starts the command; `until` ends it once it has printed that. */
function run(args: string[], database: string, until?: string) {
  const child = spawn(process.execPath, [programPath('main'), ...args], {
    cwd: PROJECT,
    env: {
      ...process.env,
      FLAGSTONE_LOG: 'silent',
      NODE_OPTIONS: '',
      FLAGSTONE_CWD: PROJECT,
      FLAGSTONE_DATA: path.join(folder, 'data'),
      FLAGSTONE_DATABASE_URL: database,
    },
  });
  let [said, printed] = ['', ''];
  child.stdout.on('data', (text: Buffer) => {
    printed += text.toString();
    if (until !== undefined && printed.includes(until)) child.kill('SIGTERM');
  });
  child.stderr.on('data', (text: Buffer) => (said += text.toString()));
  return new Promise<{ code: number | null; said: string; printed: string }>((resolve) =>
    child.once('exit', (code) => resolve({ code, said, printed })),
  );
}

describe('a PostgreSQL that is there', () => {
  it('is laid out and used instead of one of our own, and left running', async () => {
    const address = await newDatabase(`there_${process.pid}`, 'empty');
    const { code, printed, said } = await run(['start', '--empty', '--port', '0'], address, 'Stop with');
    expect([code, said]).toEqual([0, '']);
    expect(printed).not.toContain(new URL(address).password);
    expect(printed).toContain('This link makes the first administrator');
    expect(await readdir(path.join(folder, 'data'))).not.toContain('postgres');
    const count = await withClient(address, (client) => client.query('select from sounds'));
    expect(count.rows).toEqual([]);
    const into = path.join(folder, 'backups');
    expect(await run(['backup', into], address)).toMatchObject({ code: 0 });
    expect(await readdir(into)).toHaveLength(1);
  });

  it('that does not do is refused with all that it lacks, in one line, without its password', async () => {
    const address = await newDatabase(`unfit_${process.pid}`, 'empty');
    const other = new URL(address);
    other.pathname = `/latin_${process.pid}`;
    const [name, account] = [`latin_${process.pid}`, `guest_${process.pid}`];
    await withClient(address, async (client) => {
      await client.query(`create database ${name} encoding 'LATIN1' lc_collate 'C' lc_ctype 'C' template template0`);
      await client.query(`create role ${account} login password 'quiet'`);
    });
    other.username = account;
    other.password = 'quiet';
    for (const args of [['start', '--empty', '--port', '0'], ['worker'], ['backup', folder]]) {
      const { code, said } = await run(args, other.href);
      expect(code).toBe(1);
      expect(said).toContain('its character set is LATIN1');
      expect(said).toContain('the account may make no tables');
      expect(said).not.toContain('quiet');
      expect(said).not.toContain('    at ');
    }
    other.password = 'wrong';
    const { code, said } = await run(['start', '--empty', '--port', '0'], other.href);
    expect([code, said.includes('cannot be reached'), said.includes('wrong@')]).toEqual([1, true, false]);
    expect((await run(['start', '--empty', '--port', '0'], 'nonsense')).code).toBe(1);
  });
});
