import { createHmac, randomBytes, timingSafeEqual } from 'node:crypto';
import { mkdir, open, readFile } from 'node:fs/promises';
import path from 'node:path';

const KEY_BYTES = 32;
/** Until a key is given, one that nobody else has: what such a process leaves is settled by nobody but itself. */
let keys: [own: Buffer, ...accepted: Buffer[]] = [randomBytes(KEY_BYTES)];

/** The key by which this process signs its write-journals, and others of this installation whose journals it honours. */
export function useJournalKeys(own: Buffer, ...accepted: Buffer[]): void {
  keys = [own, ...accepted];
}

/** The signature of a journal: a file that somebody laid into a folder to have another one overwritten has none. */
export function signatureOf(content: Uint8Array, key: Buffer = keys[0]): string {
  return createHmac('sha256', key).update(content).digest('hex');
}

/** Whether a signature was made by this installation. */
export function isSigned(content: Uint8Array, signature: Uint8Array): boolean {
  return keys.some((key) => {
    const expected = Buffer.from(signatureOf(content, key));
    return expected.length === signature.length && timingSafeEqual(expected, signature);
  });
}

/** The key of the commands that work without a database: kept in the data folder, where only this account reads it; undefined where none can be kept. */
export async function keyOfFolder(dataFolder: string): Promise<Buffer | undefined> {
  const file = path.join(dataFolder, 'write.key');
  try {
    await mkdir(dataFolder, { recursive: true });
    const handle = await open(file, 'wx', 0o600);
    try {
      await handle.writeFile(randomBytes(KEY_BYTES));
      await handle.sync();
    } finally {
      await handle.close();
    }
  } catch (error) {
    if (!['EEXIST', 'EACCES', 'EPERM', 'EROFS'].includes((error as NodeJS.ErrnoException).code ?? '')) throw error;
  }
  const key = await readFile(file).catch(() => undefined);
  return key?.length === KEY_BYTES ? key : undefined;
}
