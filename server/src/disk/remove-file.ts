import { unlink } from 'node:fs/promises';
import { diskError } from './disk-errors.ts';
import { syncFolder, type DriveFiles } from './drive-files.ts';

/** Removes a file that Flagstone itself made or gave its name, once whoever asks has seen that it is still the very one. Throws what the disk says, as an AppError. */
export async function removeMadeFile(files: DriveFiles, folder: string, name: string): Promise<void> {
  const full = files.absolute(folder, name);
  await unlink(full).catch((error: unknown) => {
    throw diskError(error, full);
  });
  await syncFolder(files.absolute(folder));
}
