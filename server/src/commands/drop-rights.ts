import { spawnSync } from 'node:child_process';
import { chownSync, mkdirSync, readFileSync, statSync } from 'node:fs';
import path from 'node:path';
import { PROJECT_FOLDER } from './usage.ts';

/** The account that a server started by root works as, where there is one of this name and the data folder is new. */
const OWN_ACCOUNT = 'flagstone';

interface Account {
  name: string;
  uid: number;
  gid: number;
}

/**
 * When root starts Flagstone, gives up root's rights for those of the account that owns the data folder; a data folder that is new belongs to the account
 * `flagstone`, where there is one. To be called before anything else of the work is done; returns what is to be said of it, empty when somebody else than
 * root starts it.
 */
export function dropRights(dataFolder: string): string {
  if (process.getuid?.() !== 0 || !process.setuid || !process.setgid) return '';
  const account = accountFor(dataFolder);
  if (!account)
    return `Flagstone runs with all rights of root. To run it with those of an account: give it the data folder (chown -R NAME ${dataFolder}), or make an account “${OWN_ACCOUNT}” before the first start.`;
  if (!mayRead(account))
    return `Flagstone runs with all rights of root: the account “${account.name}”, which owns ${dataFolder}, cannot read the program in ${PROJECT_FOLDER}.`;
  const cluster = path.join(dataFolder, 'postgres', 'cluster');
  if (![undefined, account.uid].includes(ownerOf(cluster)))
    return `Flagstone runs with all rights of root: ${cluster} belongs to another account than ${dataFolder} (chown -R ${account.name} ${dataFolder}).`;
  process.setgroups?.([]);
  (process as { initgroups?: (user: string, extraGroup: number) => void }).initgroups?.(account.name, account.gid);
  process.setgid(account.gid);
  process.setuid(account.uid);
  process.env['HOME'] = dataFolder;
  return `Started by root; runs with the rights of the account “${account.name}”, which owns ${dataFolder}.`;
}

function accountFor(dataFolder: string): Account | undefined {
  const owner = ownerOf(dataFolder);
  if (owner !== undefined) return owner === 0 ? undefined : accountBy(({ uid }) => uid === owner);
  const own = accountBy(({ name }) => name === OWN_ACCOUNT);
  if (own) {
    mkdirSync(dataFolder, { recursive: true });
    chownSync(dataFolder, own.uid, own.gid);
  }
  return own;
}

function ownerOf(folder: string): number | undefined {
  return statSync(folder, { throwIfNoEntry: false })?.uid;
}

/** The first account of /etc/passwd that is so. */
function accountBy(isIt: (account: Account) => boolean): Account | undefined {
  return readFileSync('/etc/passwd', 'utf8')
    .split('\n')
    .map((line) => line.split(':'))
    .map(([name = '', , uid, gid]) => ({ name, uid: Number(uid), gid: Number(gid) }))
    .find((account) => account.name !== '' && isIt(account));
}

/** Whether an account can read Flagstone itself, of which parts are loaded later. */
function mayRead({ uid, gid }: Account): boolean {
  const file = path.join(PROJECT_FOLDER, 'package.json');
  const asIt = ['--reuid', String(uid), '--regid', String(gid), '--clear-groups', 'test', '-r', file];
  return spawnSync('setpriv', asIt, { stdio: 'ignore', cwd: '/' }).status === 0;
}
