import { createReadStream } from 'node:fs';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { AppError } from '@flagstone/core/errors';
import { Decrypter } from 'age-encryption';
import pg from 'pg';
import { startProgram } from './postgres-programs.ts';

/** The address of another database of the same server. */
export function addressOf(address: string, database: string): string {
  const url = new URL(address);
  url.pathname = `/${encodeURIComponent(database)}`;
  return url.href;
}

/** Asks one database of a server something, by a connection of its own. */
export async function withClient<Value>(address: string, work: (client: pg.Client) => Promise<Value>): Promise<Value> {
  const client = new pg.Client({ connectionString: address });
  client.on('error', () => undefined);
  await client.connect();
  try {
    return await work(client);
  } finally {
    await client.end();
  }
}

/** Makes an empty database of the same server as another one, of the same character set. Throws BACKUP_FAILED where the account may make none. */
export async function createEmpty(ownerAddress: string, name: string): Promise<string> {
  await withClient(ownerAddress, (client) =>
    client.query(`create database ${pg.escapeIdentifier(name)} template template0`).catch((cause: unknown) => {
      const why = cause instanceof Error ? cause.message : String(cause);
      throw new AppError('BACKUP_FAILED', `No database can be made to restore into: ${why}.`, { cause });
    }),
  );
  return addressOf(ownerAddress, name);
}

export async function dropDatabase(ownerAddress: string, name: string): Promise<void> {
  await withClient(ownerAddress, (client) =>
    client.query(`drop database if exists ${pg.escapeIdentifier(name)} with (force)`),
  );
}

const SCRATCH = 'flagstone_scratch_';
const DAY_MS = 24 * 3_600_000;

/** A database to be dropped soon: its name says when it was made. */
export const passingName = (prefix: string): string => `${prefix}${Date.now()}_${process.pid}`;

/** Drops the databases of such names that killed processes left: a day old, with nobody in them. */
export async function dropLeft(ownerAddress: string, prefix: string): Promise<void> {
  await withClient(ownerAddress, async (client) => {
    const { rows } = await client.query<{ name: string }>(
      `select datname as name from pg_database d where starts_with(datname, $1) and not exists (select from pg_stat_activity a where a.datid = d.oid)`,
      [prefix],
    );
    for (const { name } of rows) {
      const [, madeAt = ''] = /^(\d{13})_\d+$/.exec(name.slice(prefix.length)) ?? [];
      if (madeAt !== '' && Date.now() - Number(madeAt) > DAY_MS)
        await client.query(`drop database if exists ${pg.escapeIdentifier(name)}`);
    }
  });
}

/** Works with an empty database that is gone afterwards. */
export async function withScratchDatabase<Value>(
  ownerAddress: string,
  work: (address: string) => Promise<Value>,
): Promise<Value> {
  await dropLeft(ownerAddress, SCRATCH);
  const name = passingName(SCRATCH);
  const address = await createEmpty(ownerAddress, name);
  try {
    return await work(address);
  } finally {
    await dropDatabase(ownerAddress, name);
  }
}

/** Restores a dump, decrypted where there is a pass phrase, into an empty database. Throws BACKUP_FAILED, PASSPHRASE_WRONG. */
export async function restoreInto(
  address: string,
  dump: string,
  passphrase: string,
  args: readonly string[] = [],
): Promise<void> {
  const plain = await decrypted(createReadStream(dump), passphrase);
  const always = [
    '--no-owner',
    '--no-privileges',
    '--exit-on-error',
    `--dbname=${decodeURIComponent(new URL(address).pathname.slice(1))}`,
  ];
  const { child, ended } = await startProgram('pg_restore', address, [...always, ...args]);
  child.stdout.resume();
  // One that failed says why by itself; that it reads no more follows from that.
  const fed = pipeline(plain, child.stdin).catch((error: NodeJS.ErrnoException) => {
    if (error.code !== 'EPIPE' && error.code !== 'ERR_STREAM_PREMATURE_CLOSE') {
      child.kill();
      throw error;
    }
  });
  const [feeding, ending] = await Promise.allSettled([fed, ended]);
  if (feeding.status === 'rejected') throw feeding.reason;
  if (ending.status === 'rejected') throw ending.reason;
}

async function decrypted(file: Readable, passphrase: string): Promise<Readable> {
  if (passphrase === '') return file;
  const decrypter = new Decrypter();
  decrypter.addPassphrase(passphrase);
  try {
    const stream = await decrypter.decrypt(Readable.toWeb(file) as ReadableStream<Uint8Array>);
    return Readable.fromWeb(stream as Parameters<typeof Readable.fromWeb>[0]);
  } catch (cause) {
    file.destroy();
    throw new AppError('PASSPHRASE_WRONG', 'The pass phrase does not open this backup.', { cause });
  }
}
