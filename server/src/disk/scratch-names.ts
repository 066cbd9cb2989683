import { open, unlink } from 'node:fs/promises';
import path from 'node:path';
import { temporaryName, whileUnderWay } from './temporary-names.ts';

let counter = 0;

/** Runs work that makes files in a folder by so many temporary names, and removes those that it made. What a killed process leaves is removed as what a write left. */
export async function withScratchNames<Value>(
  folder: string,
  count: number,
  work: (paths: string[]) => Promise<Value>,
): Promise<Value> {
  const names = Array.from({ length: count }, () => temporaryName('part', `00${(counter += 1)}`));
  const paths = names.map((name) => path.join(folder, name));
  const guarded = names.reduceRight<() => Promise<Value>>(
    (inner, name) => () => whileUnderWay(name, inner),
    () => work(paths),
  );
  try {
    return await guarded();
  } finally {
    for (const file of paths)
      await unlink(file).catch((error: NodeJS.ErrnoException) => {
        if (error.code !== 'ENOENT') throw error;
      });
  }
}

/** Writes a new temporary file. */
export async function writeScratch(file: string, bytes: Uint8Array): Promise<void> {
  const handle = await open(file, 'wx', 0o600);
  try {
    await handle.writeFile(bytes);
  } finally {
    await handle.close();
  }
}
