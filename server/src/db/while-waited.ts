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

/** What a transaction of the current call chain holds; no code below it may ask for a second connection. */
const transactions = new AsyncLocalStorage<{ isOver: boolean; hasConnection: boolean }>();

/**
 * Runs a transaction of a pool's database. While it runs, whatever is called from it gets no other connection of the pool: twelve that hold one each and
 * wait for a second would wait for each other for ever.
 */
export async function holdingOne<Value>(transaction: () => Promise<Value>): Promise<Value> {
  if (transactions.getStore()?.isOver === false) throw secondConnection();
  const held = { isOver: false, hasConnection: false };
  try {
    return await transactions.run(held, transaction);
  } finally {
    held.isOver = true;
  }
}

/**
 * A pool whose statements stop when nobody waits for them any more, and that gives one connection at a time to a call chain: a second one is
 * refused with an error, in production as in tests.
 */
export class WaitingPool extends pg.Pool {
  /** Tells PostgreSQL to stop statements: connections of their own, so that stopping never waits for what it is to stop. */
  private readonly stopping: pg.Pool;

  constructor(config: pg.PoolConfig) {
    super(config);
    this.stopping = new pg.Pool({ connectionString: config.connectionString, max: 2, idleTimeoutMillis: 10_000 });
    this.stopping.on('error', () => undefined);
  }

  // The signature of pg.Pool has nine forms; what they are called with is handed on as it is.
  override query(...args: never[]): never {
    const held = transactions.getStore();
    const signal = waiting.getStore();
    let result: unknown;
    if (held && !held.isOver) result = Promise.reject(secondConnection());
    else if (signal) result = this.queryWhile(signal, args);
    else result = (super.query as (...all: unknown[]) => unknown).apply(this, args);
    return result as never;
  }

  override connect(...args: never[]): never {
    const held = transactions.getStore();
    if (held && !held.isOver) {
      if (held.hasConnection) return Promise.reject(secondConnection()) as never;
      held.hasConnection = true;
    }
    return (super.connect as (...all: unknown[]) => never).apply(this, args);
  }

  override async end(): Promise<void> {
    await Promise.all([super.end(), this.stopping.end()]);
  }

  private async queryWhile(signal: AbortSignal, args: unknown[]): Promise<unknown> {
    signal.throwIfAborted();
    const client = await (this.connect as () => Promise<pg.PoolClient>)();
    let stopping: Promise<unknown> | undefined;
    const stop = (): void => {
      // Not in pg's types: the number of the process that serves this connection.
      const { processID } = client as unknown as { processID: number };
      stopping = this.stopping.query('select pg_cancel_backend($1)', [processID]);
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

function secondConnection(): Error {
  return new Error(
    'A second connection was asked for inside a transaction; what runs in it has to use the transaction.',
  );
}
