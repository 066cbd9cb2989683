import { AsyncLocalStorage } from 'node:async_hooks';
import pg from 'pg';

const waiting = new AsyncLocalStorage<AbortSignal | undefined>();

/**
 * Runs reads that end as soon as `signal` is aborted: while somebody types, each letter asks anew, and what PostgreSQL is at for the letter before is
 * told to stop. Throws the reason of the signal then. Never for what writes: nobody could tell how far it came.
 */
export async function whileWaited<Value>(signal: AbortSignal, read: () => Promise<Value>): Promise<Value> {
  try {
    // Awaited inside: what drizzle gives begins only then.
    return await waiting.run(signal, async () => await read());
  } catch (error) {
    throw signal.aborted ? signal.reason : error;
  }
}

/** Runs what others wait for as well, whoever began it. */
export function forAll<Value>(read: () => Promise<Value>): Promise<Value> {
  return waiting.run(undefined, async () => await read());
}

/** A pool whose statements stop when nobody waits for them any more. */
export class WaitingPool extends pg.Pool {
  // The signature of pg.Pool has nine forms; what they are called with is handed on as it is.
  override query(...args: never[]): never {
    const signal = waiting.getStore();
    const result = signal
      ? this.queryWhile(signal, args)
      : (super.query as (...all: unknown[]) => unknown).apply(this, args);
    return result as never;
  }

  private async queryWhile(signal: AbortSignal, args: unknown[]): Promise<unknown> {
    signal.throwIfAborted();
    const client = await this.connect();
    let stopping: Promise<unknown> | undefined;
    const stop = (): void => {
      // Not in pg's types: the number of the process that serves this connection.
      const { processID } = client as unknown as { processID: number };
      stopping = super.query('select pg_cancel_backend($1)', [processID]);
    };
    try {
      signal.throwIfAborted();
      signal.addEventListener('abort', stop, { once: true });
      return await (client.query as (...all: unknown[]) => Promise<unknown>).apply(client, args);
    } finally {
      signal.removeEventListener('abort', stop);
      // Only when PostgreSQL was told is the connection free, since the next statement on it is somebody else's; if the word may arrive later, never.
      const isLost = await Promise.resolve(stopping).then(
        () => false,
        () => true,
      );
      client.release(isLost);
    }
  }
}
