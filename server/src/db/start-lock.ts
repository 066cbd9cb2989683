import { createHash } from 'node:crypto';
import { createServer, type Server } from 'node:net';
import { setTimeout as wait } from 'node:timers/promises';
import { AppError } from '@flagstone/core/errors';

const RETRY_MS = 100;
const WAIT_MS = 120_000;

/**
 * Runs work while no other process of this machine runs work under the same name; they go one after the other. The lock is a name in Linux's table of abstract
 * sockets, which goes with the process that holds it, so that none is ever left. Throws UNAVAILABLE after two minutes.
 */
export async function whileAlone<Value>(name: string, work: () => Promise<Value>): Promise<Value> {
  const address = `\0flagstone-${createHash('sha256').update(name).digest('hex').slice(0, 32)}`;
  const until = performance.now() + WAIT_MS;
  let held = await take(address);
  while (held === undefined) {
    if (performance.now() > until)
      throw new AppError('UNAVAILABLE', 'Another process has been starting or stopping the database for two minutes.');
    await wait(RETRY_MS);
    held = await take(address);
  }
  try {
    return await work();
  } finally {
    held.close();
  }
}

function take(address: string): Promise<Server | undefined> {
  return new Promise((resolve, reject) => {
    const server = createServer((socket) => socket.destroy());
    server.once('error', (error: NodeJS.ErrnoException) =>
      error.code === 'EADDRINUSE' ? resolve(undefined) : reject(error),
    );
    server.listen(address, () => resolve(server.unref()));
  });
}
