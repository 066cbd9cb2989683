import type { AddressInfo } from 'node:net';
import type { Express } from 'express';

/** A server that listens on loopback, by whatever port is free. */
export interface Listening {
  /** Of its API. */
  address: string;
  close: () => void;
}

/** Has an application answer over a connection of its own, as events and two servers need it. */
export async function listenOn(application: Pick<Express, 'listen'>): Promise<Listening> {
  const server = application.listen(0, '127.0.0.1');
  await new Promise((resolve) => server.once('listening', resolve));
  return {
    address: `http://127.0.0.1:${(server.address() as AddressInfo).port}/api`,
    close: () => {
      server.closeAllConnections();
      server.close();
    },
  };
}
