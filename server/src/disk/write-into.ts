import { once } from 'node:events';
import type { Writable } from 'node:stream';

/** Writes into a stream, and waits while it is full. Rejects with what ended the stream. */
export async function writeInto(into: Writable, what: unknown): Promise<void> {
  if (!into.write(what)) await once(into, 'drain');
}
