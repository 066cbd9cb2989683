import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { api, rawApi } from '@flagstone/contract/api';
import { httpServer } from '../../server/src/http-server.ts';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let server: Server;
beforeAll(async () => {
  app = await TestApplication.open();
  server = httpServer(app.context).listen(0, '127.0.0.1');
  await new Promise((resolve) => server.once('listening', resolve));
});
afterAll(async () => {
  server.closeAllConnections();
  server.close();
  await app.close();
});

const all = Object.entries({ ...api, ...rawApi });
const COOKIE = { Cookie: 'flagstone-person=1' };

async function answerTo(method: string, path: string, headers: Record<string, string>): Promise<number> {
  const { port } = server.address() as AddressInfo;
  const address = `http://127.0.0.1:${port}/api${path.replace(/:\w+/g, '0')}`;
  const response = await fetch(address, { method, headers });
  await response.body?.cancel();
  return response.status;
}

describe('what an endpoint says that it needs', () => {
  it('is asked of whoever names nobody', async () => {
    for (const [name, { method, path, needs }] of all) {
      const status = await answerTo(method, path, {});
      expect([name, status === 401]).toEqual([name, needs !== 'nobody']);
    }
  });

  it('is a header, which no other site can send, where something is changed', async () => {
    for (const [name, { method, path, needs }] of all) {
      if (needs === 'actor') expect([name, await answerTo(method, path, COOKIE)]).toEqual([name, 401]);
      else if (needs === 'asker') expect([name, await answerTo(method, path, COOKIE)]).not.toEqual([name, 401]);
    }
  });
});
