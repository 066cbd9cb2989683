import { createWriteStream } from 'node:fs';
import { mkdir, readdir, rename, rm, rmdir, unlink } from 'node:fs/promises';
import path from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { AppError } from '@flagstone/core/errors';
import { Encrypter } from 'age-encryption';
import { JOB_QUEUE_SCHEMA } from '../db/job-queue-tables.ts';
import { digesting } from '../disk/digesting.ts';
import { diskError } from '../disk/disk-errors.ts';
import { syncFolder } from '../disk/drive-files.ts';
import { DUMP, ENCRYPTED_DUMP, MANIFEST, newManifest, type Manifest } from './manifest.ts';
import { startProgram } from './postgres-programs.ts';
import { readManifest } from './read-backup.ts';
import { restoreInto, withClient, withScratchDatabase } from './scratch-database.ts';
import { differences, tableDigests } from './table-digests.ts';

const NAME = /^flagstone-\d{8}T\d{9}Z$/;
/** What is being made; one that was cut short is removed by a later one. */
const UNFINISHED = /^\.flagstone-(\d{4})(\d\d)(\d\d)T\d{9}Z\.part$/;
const DAY_MS = 24 * 3_600_000;

export interface BackupOptions {
  /** Encrypts it; empty for none. */
  passphrase: string;
  /** How many of the backups in the folder are kept, this one with them; 0 for all. */
  keep: number;
  version: string;
  told?: (what: string) => void;
}

/**
 * Makes a backup of a database, as it is at one moment while people work, in a new folder below another one: `flagstone-20261201T031500123Z` with the dump and a manifest. It has its name only once it was restored
 * into a database of its own and found to hold the same. Returns its path. Throws BACKUP_FAILED, DISK_FULL and what the disk says; nothing is left then.
 */
export async function makeBackup(
  ownerAddress: string,
  into: string,
  { passphrase, keep, version, told = () => undefined }: BackupOptions,
): Promise<string> {
  await mkdir(into, { recursive: true }).catch((error: unknown) => {
    throw diskError(error, into);
  });
  const name = `flagstone-${new Date().toISOString().replaceAll(/[-:.]/g, '')}`;
  const [made, unfinished] = [path.join(into, name), path.join(into, `.${name}.part`)];
  await mkdir(unfinished).catch((error: unknown) => {
    throw diskError(error, unfinished);
  });
  try {
    told('Copying the database as it is now');
    const manifest = await dumpInto(unfinished, ownerAddress, passphrase, version);
    told('Restoring it into a database of its own, to see that it can be');
    await verify(unfinished, ownerAddress, manifest, passphrase);
    await writeWhole(
      path.join(unfinished, MANIFEST),
      JSON.stringify({ ...manifest, verifiedAt: new Date().toISOString() }, null, 2),
    );
    await syncFolder(unfinished);
    await rename(unfinished, made);
    await syncFolder(into);
  } catch (error) {
    await rm(unfinished, { recursive: true, force: true });
    throw error instanceof AppError ? error : diskError(error, unfinished);
  }
  await removeUnfinished(into);
  if (keep > 0) await keepLast(into, keep);
  return made;
}

async function dumpInto(folder: string, ownerAddress: string, passphrase: string, version: string): Promise<Manifest> {
  return withClient(ownerAddress, async (client) => {
    // pg_dump sees what this transaction sees: what is counted is what is copied.
    await client.query('set statement_timeout = 0; set idle_in_transaction_session_timeout = 0');
    await client.query('begin isolation level repeatable read read only');
    const { rows } = await client.query<{ snapshot: string; postgres: number; at: Date }>(
      `select pg_export_snapshot() as snapshot, current_setting('server_version_num')::int as postgres, now() as at`,
    );
    const [{ snapshot, postgres, at } = { snapshot: '', postgres: 0, at: new Date() }] = rows;
    const file = passphrase === '' ? DUMP : ENCRYPTED_DUMP;
    const args = ['--format=custom', '--no-owner', '--no-privileges', `--exclude-schema=${JOB_QUEUE_SCHEMA}`];
    const { child, ended } = await startProgram('pg_dump', ownerAddress, [...args, `--snapshot=${snapshot}`]);
    const plain = child.stdout;
    // What failed must end the file, not close it as if it were whole.
    ended.catch((error: unknown) => plain.destroy(error as Error));
    const { bytes, sha256 } = await writeHashed(path.join(folder, file), await encrypted(plain, passphrase));
    await ended;
    const tables = await tableDigests(client);
    return newManifest({ version, madeAt: at.toISOString(), postgres, file, bytes, sha256, tables, verifiedAt: null });
  });
}

async function encrypted(plain: Readable, passphrase: string): Promise<Readable> {
  if (passphrase === '') return plain;
  const encrypter = new Encrypter();
  encrypter.setPassphrase(passphrase);
  const stream = await encrypter.encrypt(Readable.toWeb(plain) as ReadableStream<Uint8Array>);
  return Readable.fromWeb(stream as Parameters<typeof Readable.fromWeb>[0]);
}

/** Writes a new file for this account alone, flushed; returns its length and digest. */
async function writeHashed(file: string, from: Readable): Promise<{ bytes: number; sha256: string }> {
  const { stream, digest, bytes } = digesting(from);
  await pipeline(stream, createWriteStream(file, { flags: 'wx', mode: 0o600, flush: true }));
  return { bytes: bytes(), sha256: digest() };
}

async function writeWhole(file: string, text: string): Promise<void> {
  await writeHashed(file, Readable.from([Buffer.from(text)]));
}

/** Throws BACKUP_FAILED where what was copied, restored by itself, is not what was there. */
async function verify(folder: string, ownerAddress: string, manifest: Manifest, passphrase: string): Promise<void> {
  await withScratchDatabase(ownerAddress, async (address) => {
    // Rows alone: indexes say nothing that they do not.
    await restoreInto(address, path.join(folder, manifest.file), passphrase, ['--section=pre-data', '--section=data']);
    const differing = differences(manifest.tables, await withClient(address, tableDigests));
    if (differing.length > 0)
      throw new AppError(
        'BACKUP_FAILED',
        `What was copied is not what was there: ${differing.slice(0, 5).join('; ')}.`,
      );
  });
}

/** The backups in a folder, the latest last: folders of that name with a manifest that is one. */
export async function listBackups(folder: string): Promise<string[]> {
  const entries = await readdir(folder, { withFileTypes: true }).catch((error: unknown) => {
    throw diskError(error, folder);
  });
  const found: string[] = [];
  for (const name of entries
    .flatMap((entry) => (entry.isDirectory() && NAME.test(entry.name) ? [entry.name] : []))
    .sort()) {
    const isOne = await readManifest(path.join(folder, name)).then(
      () => true,
      () => false,
    );
    if (isOne) found.push(path.join(folder, name));
  }
  return found;
}

/** Removes all but the last backups of a folder: of each the two files that it is made of, and its folder where that holds nothing else. */
async function keepLast(folder: string, keep: number): Promise<void> {
  for (const backup of (await listBackups(folder)).slice(0, -keep)) {
    const { file } = await readManifest(backup);
    // The manifest last: until then it is told as the backup that it is.
    for (const each of [file, MANIFEST]) await unlink(path.join(backup, each));
    await rmdir(backup).catch((error: NodeJS.ErrnoException) => {
      if (error.code !== 'ENOTEMPTY') throw error;
    });
  }
}

/** What a killed process left two days ago: another one may be at a later one just now. */
async function removeUnfinished(folder: string): Promise<void> {
  for (const name of await readdir(folder)) {
    const [, year, month, day] = UNFINISHED.exec(name) ?? [];
    if (year === undefined) continue;
    if (Date.now() - Date.parse(`${year}-${month}-${day}T00:00:00Z`) > 2 * DAY_MS)
      await rm(path.join(folder, name), { recursive: true, force: true });
  }
}
