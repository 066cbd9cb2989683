import path from 'node:path';
import { parseArgs } from 'node:util';
import { ENCRYPTED_DUMP } from '../backup/manifest.ts';
import { readManifest } from '../backup/read-backup.ts';
import { restoreBackup, whatIsLost } from '../backup/restore-backup.ts';
import { passphraseIn } from '../backup/passphrase.ts';
import { say } from './backup.ts';
import { withOwnersDatabase } from './owners-database.ts';
import { UsageError } from './usage.ts';

const USAGE = 'usage: flagstone restore BACKUP [--data DIR | --database ADDRESS] [--passphrase-file FILE] [--yes]';
/** Nothing was done: what would be lost was told, and nobody has said yes. */
const NOT_CONFIRMED = 3;

/** `restore`: puts a backup in the place of the database, which is kept under another name. Where something would be lost it says what, and does it only with `--yes`. */
export async function restore(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: {
      data: { type: 'string' },
      database: { type: 'string' },
      'passphrase-file': { type: 'string' },
      yes: { type: 'boolean', default: false },
    },
  });
  const [given] = positionals;
  if (given === undefined || positionals.length > 1) throw new UsageError(USAGE);
  const backup = path.resolve(given);
  const manifest = await readManifest(backup);
  const file = values['passphrase-file'];
  // One that the environment names is for those that are encrypted.
  const isNeeded = manifest.file === ENCRYPTED_DUMP || file !== undefined;
  const passphrase = isNeeded ? await passphraseIn(file) : '';
  return withOwnersDatabase(values, async (address) => {
    const lost = await whatIsLost(address, manifest);
    say(`The backup of ${manifest.madeAt}, by Flagstone ${manifest.version}, holds ${lost.sounds.inBackup} sounds.`);
    if (!lost.isEmpty) {
      say(
        `The present database holds ${lost.sounds.now} sounds; since the backup ${lost.changesSince} changes of records and ${lost.plansSince} plans were made, which the restored one does not know. ` +
          'Files on drives stay as they are: read their folders again afterwards.',
      );
      if (!values.yes) {
        say('Nothing was done. Say --yes to go on: the present database is kept under another name.');
        return NOT_CONFIRMED;
      }
    }
    const aside = await restoreBackup(address, backup, passphrase, say);
    process.stdout.write(`Restored. What was there before is the database “${aside}” of the same server.\n`);
    return 0;
  });
}
