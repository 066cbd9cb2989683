import { open, utimes } from 'node:fs/promises';

/** The time of files that decay: one that can be given again exactly. */
export const READ_AT = new Date(1_780_000_000_000);
/** Somewhere in the samples of a tone of the tests. */
export const IN_AUDIO = 3000;

const flipped = (byte: number): number => byte ^ 0b100;

/** Changes a byte of a file, a bit of it where nothing else is said, as a disk does that fails: its size and its time stay. */
export async function decay(file: string, offset: number, change: (byte: number) => number = flipped): Promise<void> {
  const handle = await open(file, 'r+');
  const { buffer } = await handle.read(Buffer.alloc(1), 0, 1, offset);
  await handle.write(Buffer.from([change(buffer[0] as number)]), 0, 1, offset);
  await handle.close();
  await utimes(file, READ_AT, READ_AT);
}
