import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { open, stat } from 'node:fs/promises';
import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import { diskError } from '../disk/disk-errors.ts';
import { MANIFEST, MOST_MANIFEST_BYTES, parseManifest, type Manifest } from './manifest.ts';

/** The manifest of a backup. Throws BACKUP_INVALID, BACKUP_TOO_NEW and what the disk says. */
export async function readManifest(backup: string): Promise<Manifest> {
  const file = path.join(backup, MANIFEST);
  const handle = await open(file, 'r').catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT' || error.code === 'ENOTDIR')
      throw new AppError('BACKUP_INVALID', `${backup} is no backup: there is no ${MANIFEST} in it.`);
    throw diskError(error, file);
  });
  try {
    if ((await handle.stat()).size > MOST_MANIFEST_BYTES)
      throw new AppError('BACKUP_INVALID', `${file} is too large for a manifest.`);
    return parseManifest(await handle.readFile('utf8'), file);
  } finally {
    await handle.close();
  }
}

/** Throws BACKUP_INVALID when the dump of a backup is not as it was written: a byte more, less or other. */
export async function checkDump(backup: string, { file, bytes, sha256 }: Manifest): Promise<void> {
  const full = path.join(backup, file);
  const { size } = await stat(full).catch((error: unknown) => {
    throw diskError(error, full);
  });
  if (size !== bytes)
    throw new AppError(
      'BACKUP_INVALID',
      `${full} has ${size} bytes and should have ${bytes}: it was cut off or changed.`,
    );
  const hash = createHash('sha256');
  for await (const block of createReadStream(full)) hash.update(block as Buffer);
  if (hash.digest('hex') !== sha256)
    throw new AppError('BACKUP_INVALID', `${full} was changed or damaged since it was made.`);
}
