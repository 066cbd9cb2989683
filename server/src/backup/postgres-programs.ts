import { spawn, type ChildProcessByStdio } from 'node:child_process';
import path from 'node:path';
import type { Readable, Writable } from 'node:stream';
import { AppError } from '@flagstone/core/errors';
import { programFolder } from '../db/local-postgres.ts';

/** The end of what a program said of a failure is enough. */
const MOST_SAID = 4000;

/** A program of PostgreSQL that was started, with its end. */
interface Started {
  child: ChildProcessByStdio<Writable, Readable, Readable>;
  /** Rejects with what it said when it failed. */
  ended: Promise<void>;
}

/** Starts pg_dump or pg_restore on a database. Its password goes by the environment: nobody sees it in a list of processes. */
export async function startProgram(
  name: 'pg_dump' | 'pg_restore',
  address: string,
  args: readonly string[],
): Promise<Started> {
  const { hostname, port, username, password, pathname, searchParams } = new URL(address);
  const child = spawn(path.join(await programFolder(), name), [...args], {
    cwd: '/',
    stdio: ['pipe', 'pipe', 'pipe'],
    env: {
      PATH: process.env['PATH'],
      LC_ALL: 'C.UTF-8',
      PGHOST: decodeURIComponent(searchParams.get('host') ?? hostname.replace(/^\[|\]$/g, '')),
      PGPORT: port === '' ? '5432' : port,
      PGUSER: decodeURIComponent(username),
      PGPASSWORD: decodeURIComponent(password),
      PGDATABASE: decodeURIComponent(pathname.slice(1)),
      ...(searchParams.has('sslmode') ? { PGSSLMODE: searchParams.get('sslmode') ?? '' } : {}),
      PGCONNECT_TIMEOUT: '30',
    },
  });
  let said = '';
  child.stderr.on('data', (part: Buffer) => (said = (said + part.toString()).slice(-MOST_SAID)));
  // A program that ended reads no more; why it ended is told below.
  child.stdin.on('error', () => undefined);
  const ended = new Promise<void>((resolve, reject) => {
    child.once('error', (cause) => reject(new AppError('UNAVAILABLE', `${name} cannot be run: ${cause.message}`)));
    child.once('close', (code) => {
      if (code === 0) resolve();
      else reject(new AppError('BACKUP_FAILED', `${name} ended with ${code}: ${said.trim()}`));
    });
  });
  ended.catch(() => undefined);
  return { child, ended };
}
