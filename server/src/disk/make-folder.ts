import { mkdir } from 'node:fs/promises';

/** Makes a folder where there is none yet. */
export async function makeFolder(folder: string): Promise<void> {
  await mkdir(folder, { recursive: true });
}
