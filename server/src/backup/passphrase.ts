import { readFile } from 'node:fs/promises';
import { AppError } from '@flagstone/core/errors';

const MOST_PASSPHRASE_BYTES = 10_000;

/** The pass phrase of backups: the first line of a file, else of the one that FLAGSTONE_BACKUP_PASSPHRASE_FILE names; empty where none is named. Throws PATH_NOT_FOUND, PASSPHRASE_WRONG. */
export async function passphraseIn(file = process.env['FLAGSTONE_BACKUP_PASSPHRASE_FILE']): Promise<string> {
  if (file === undefined || file === '') return '';
  const text = await readFile(file, 'utf8').catch((cause: unknown) => {
    throw new AppError('PATH_NOT_FOUND', `The file of the pass phrase, ${file}, cannot be read.`, { cause });
  });
  const [line = ''] = text.split(/\r?\n/);
  if (line === '' || text.length > MOST_PASSPHRASE_BYTES)
    throw new AppError('PASSPHRASE_WRONG', `${file} holds no pass phrase in its first line.`);
  return line;
}
