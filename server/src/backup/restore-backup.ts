import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import pg from 'pg';
import { ENCRYPTED_DUMP, type Manifest } from './manifest.ts';
import { checkDump, readManifest } from './read-backup.ts';
import {
  addressOf,
  createEmpty,
  dropDatabase,
  dropLeft,
  passingName,
  restoreInto,
  withClient,
} from './scratch-database.ts';
import { differences, tableDigests } from './table-digests.ts';

/** What a database holds now that a backup does not, or that is not known. */
export interface WhatIsLost {
  /** Whether there is anything in it at all. */
  isEmpty: boolean;
  sounds: { now: number; inBackup: number };
  /** Changes of records, and plans, that were made since the backup. */
  changesSince: number;
  plansSince: number;
}

/** What restoring would put in the place of what is there; changes nothing. */
export async function whatIsLost(ownerAddress: string, { madeAt, tables }: Manifest): Promise<WhatIsLost> {
  return withClient(ownerAddress, async (client) => {
    const inBackup = tables['public.sounds']?.rows ?? 0;
    const { rows: known } = await client.query<{ is: boolean }>(
      `select to_regclass('public.sounds') is not null as is`,
    );
    if (!known[0]?.is) return { isEmpty: true, sounds: { now: 0, inBackup }, changesSince: 0, plansSince: 0 };
    const { rows } = await client.query<{ sounds: number; changes: number; plans: number; people: number }>(
      `select (select count(*)::int from sounds) as sounds, (select count(*)::int from changes where created_at > $1) as changes,
        (select count(*)::int from plans where created_at > $1) as plans, (select count(*)::int from people) as people`,
      [madeAt],
    );
    const [{ sounds, changes, plans, people } = { sounds: 0, changes: 0, plans: 0, people: 0 }] = rows;
    const isEmpty = sounds === 0 && people === 0;
    return { isEmpty, sounds: { now: sounds, inBackup }, changesSince: changes, plansSince: plans };
  });
}

/**
 * Puts a backup in the place of a database, which stays on its server under another name. First the backup is checked and restored beside it, and found to hold what it held: until then nothing of the present
 * one is touched. Jobs that were under way when it was made are called off; changes of files that were are settled at the next start by what the disk says. Returns the name under which the present one is
 * kept. Throws BACKUP_INVALID, PASSPHRASE_WRONG, BACKUP_FAILED, and UNAVAILABLE while somebody uses the database.
 */
export async function restoreBackup(
  ownerAddress: string,
  backup: string,
  passphrase: string,
  told: (what: string) => void = () => undefined,
): Promise<string> {
  const manifest = await readManifest(backup);
  if ((manifest.file === ENCRYPTED_DUMP) !== (passphrase !== ''))
    throw new AppError(
      'PASSPHRASE_WRONG',
      passphrase === '' ? 'This backup is encrypted.' : 'This backup is not encrypted: no pass phrase belongs to it.',
    );
  told('Reading the backup as a whole');
  await checkDump(backup, manifest);
  const database = decodeURIComponent(new URL(ownerAddress).pathname.slice(1));
  const maintenance = addressOf(ownerAddress, 'postgres');
  await refuseUsed(maintenance, database);
  const stamp = new Date()
    .toISOString()
    .replace(/\.\d+Z$/, '')
    .replaceAll(/[-:T]/g, '');
  const restoring = `${database}_restoring_`;
  await dropLeft(maintenance, restoring);
  const [coming, aside] = [passingName(restoring), `${database}_before_${stamp}`];
  const address = await createEmpty(maintenance, coming);
  try {
    told('Restoring it beside the present database');
    await restoreInto(addressOf(maintenance, coming), path.join(backup, manifest.file), passphrase);
    await withClient(address, async (client) => {
      const differing = differences(manifest.tables, await tableDigests(client));
      if (differing.length > 0)
        throw new AppError(
          'BACKUP_FAILED',
          `What was restored is not what was kept: ${differing.slice(0, 5).join('; ')}.`,
        );
      await client.query(
        `update jobs set state = 'cancelled', asked = null, finished_at = now() where state in ('waiting', 'running', 'paused')`,
      );
    });
    await refuseUsed(maintenance, database);
    told(`The present database is kept as “${aside}”`);
    await withClient(maintenance, async (client) => {
      await client.query(`alter database ${pg.escapeIdentifier(database)} rename to ${pg.escapeIdentifier(aside)}`);
      try {
        await client.query(`alter database ${pg.escapeIdentifier(coming)} rename to ${pg.escapeIdentifier(database)}`);
      } catch (error) {
        await client.query(`alter database ${pg.escapeIdentifier(aside)} rename to ${pg.escapeIdentifier(database)}`);
        throw error;
      }
    });
    return aside;
  } catch (error) {
    await dropDatabase(maintenance, coming);
    throw error;
  }
}

/** Throws UNAVAILABLE while somebody is connected with a database. */
async function refuseUsed(maintenance: string, database: string): Promise<void> {
  const { rows } = await withClient(maintenance, (client) =>
    client.query<{ who: string }>(
      `select distinct coalesce(nullif(application_name, ''), 'somebody') as who from pg_stat_activity where datname = $1 and backend_type = 'client backend' limit 3`,
      [database],
    ),
  );
  if (rows.length > 0)
    throw new AppError(
      'UNAVAILABLE',
      `The database is in use (${rows.map(({ who }) => who).join(', ')}): stop all processes of Flagstone first.`,
    );
}
