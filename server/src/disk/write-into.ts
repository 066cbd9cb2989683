import type { Writable } from 'node:stream';

/** Writes into a stream, and waits while it is full. Rejects with what ended the stream. */
export async function writeInto(into: Writable, what: unknown): Promise<void> {
  if (into.write(what)) return;
  await new Promise<void>((resolve, reject) => {
    const clear = (): void => void into.off('drain', settle).off('error', fail);
    const settle = (): void => {
      clear();
      resolve();
    };
    const fail = (error: Error): void => {
      clear();
      reject(error);
    };
    into.once('drain', settle).once('error', fail);
  });
}
