import { randomUUID } from 'node:crypto';
import { open, rename, rm } from 'node:fs/promises';
import path from 'node:path';
import { z } from 'zod';
import { diskError } from './disk-errors.ts';
import { openRegular } from './open-regular.ts';
import { isWithin } from './roots.ts';

/** The small file in the root of a drive that tells it from others, wherever it is mounted. */
export const MARKER_NAME = '.flagstone-drive.json';
const MOST_MARKER_BYTES = 4096;
const markerSchema = z.object({ version: z.literal(1), id: z.uuid() });

/**
 * The identity that a marker in a folder gives; undefined when there is none, or nothing that could be one. Throws when the disk cannot say:
 * a drive that answers badly for a moment is not to get another identity.
 */
export async function readMarker(root: string): Promise<string | undefined> {
  const text = await textOf(path.join(root, MARKER_NAME)).catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT' || error.code === 'ENOTDIR') return undefined;
    throw diskError(error, path.join(root, MARKER_NAME));
  });
  try {
    return text === undefined ? undefined : markerSchema.parse(JSON.parse(text)).id;
  } catch {
    // Cut short or written by somebody else: then it is no marker.
    return undefined;
  }
}

/** The beginning of a plain file; a marker is shorter. */
async function textOf(full: string): Promise<string> {
  const handle = await openRegular(full);
  try {
    const buffer = Buffer.alloc(MOST_MARKER_BYTES);
    const { bytesRead } = await handle.read(buffer, 0, buffer.length, 0);
    return buffer.toString('utf8', 0, bytesRead);
  } finally {
    await handle.close();
  }
}

/** Puts a marker into a folder, with a new identity unless one is given, and returns it; undefined where the account may not write. */
export async function writeMarker(root: string, id: string = randomUUID()): Promise<string | undefined> {
  const temporary = path.join(root, `${MARKER_NAME}.${process.pid}`);
  try {
    const handle = await open(temporary, 'wx', 0o644);
    await handle.writeFile(`${JSON.stringify({ version: 1, id })}\n`);
    await handle.sync();
    await handle.close();
    await rename(temporary, path.join(root, MARKER_NAME));
    return id;
  } catch (error) {
    await rm(temporary, { force: true }).catch(() => undefined);
    if (['EACCES', 'EPERM', 'EROFS', 'ENOSPC', 'EDQUOT'].includes((error as NodeJS.ErrnoException).code ?? ''))
      return undefined;
    throw error;
  }
}

/** The nearest folder with a marker, from a folder upward to the top; undefined when there is none. */
export async function markedFolder(folder: string, top: string): Promise<{ root: string; id: string } | undefined> {
  for (let root = folder; isWithin(top, root); root = path.dirname(root)) {
    const id = await readMarker(root);
    if (id !== undefined) return { root, id };
    if (root === path.dirname(root)) break;
  }
  return undefined;
}
