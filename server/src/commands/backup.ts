import path from 'node:path';
import { parseArgs } from 'node:util';
import { makeBackup } from '../backup/make-backup.ts';
import { passphraseIn } from '../backup/passphrase.ts';
import { withOwnersDatabase } from './owners-database.ts';
import { UsageError } from './usage.ts';
import { VERSION } from '../version.ts';

const USAGE = 'usage: flagstone backup DIR [--data DIR | --database ADDRESS] [--passphrase-file FILE] [--keep N]';

/** `backup`: a copy of the database as it is now, in a new folder below DIR, restored by itself once to see that it can be. People go on working meanwhile. */
export async function backup(args: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args,
    allowPositionals: true,
    options: {
      data: { type: 'string' },
      database: { type: 'string' },
      'passphrase-file': { type: 'string' },
      keep: { type: 'string', default: '0' },
    },
  });
  const [into] = positionals;
  const keep = Number(values.keep);
  if (into === undefined || positionals.length > 1 || !Number.isInteger(keep) || keep < 0) throw new UsageError(USAGE);
  const passphrase = await passphraseIn(values['passphrase-file']);
  const made = await withOwnersDatabase(values, (address) =>
    makeBackup(address, path.resolve(into), { passphrase, keep, version: VERSION, told: say }),
  );
  process.stdout.write(`${made}\n`);
  return 0;
}

/** Progress goes to the error stream, the answer alone to the other one. */
export const say = (what: string): void => void process.stderr.write(`${what}\n`);
