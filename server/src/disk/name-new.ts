import { link, lstat, rename } from 'node:fs/promises';
import { AppError } from '@flagstone/core/errors';

/** Gives a finished file its name, by a link that fails when the name is taken; where there are no links, the name is looked at first. Throws NAME_TAKEN. */
export async function nameNew(temporary: string, target: string): Promise<void> {
  const taken = (cause?: unknown): AppError => new AppError('NAME_TAKEN', `${target} exists.`, { cause });
  try {
    await link(temporary, target);
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    if (code === 'EEXIST') throw taken(error);
    if (code !== 'EPERM' && code !== 'ENOTSUP' && code !== 'EOPNOTSUPP') throw error;
    const there = await lstat(target).catch((missing: NodeJS.ErrnoException) => {
      // Only where nothing stands may the rename go on: it would replace what does.
      if (missing.code !== 'ENOENT') throw missing;
      return undefined;
    });
    if (there) throw taken(error);
    await rename(temporary, target);
  }
}
