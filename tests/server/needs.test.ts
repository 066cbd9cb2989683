import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { api, rawApi } from '@flagstone/contract/api';
import { httpServer } from '../../server/src/http-server.ts';
import { signedInAs } from '../signed-in.ts';
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
/** Forms of a page send what they ask, and change nothing. */
const forms = Object.entries(rawApi).flatMap(([name, { body }]) => (body?.as === 'form' ? [name] : []));
/** All but the one that ends the session by which the others are asked. */
const others = all.filter(([name]) => name !== 'signOut');
const administrator = signedInAs(1);
const assistant = signedInAs(2);
const cookieOf = ({ Cookie = '' }: Record<string, string>): Record<string, string> => ({ Cookie });

async function answerTo(
  method: string,
  path: string,
  headers: Record<string, string>,
): Promise<{ status: number; code: string }> {
  const { port } = server.address() as AddressInfo;
  const address = `http://127.0.0.1:${port}/api${path.replace(/:\w+/g, '0')}`;
  const response = await fetch(address, { method, headers });
  if (response.ok) {
    await response.body?.cancel();
    return { status: response.status, code: '' };
  }
  return { status: response.status, code: ((await response.json()) as { code: string }).code };
}

describe('what an endpoint says that it needs', () => {
  it('is asked of whoever is not signed in', async () => {
    for (const [name, { method, path, needs }] of all) {
      const { code } = await answerTo(method, path, {});
      expect([name, code === 'SIGN_IN_REQUIRED']).toEqual([name, needs !== 'nobody']);
    }
  });

  it('is a header beside the session, which no page of another site can send, where something is changed', async () => {
    for (const [name, { method, path, needs }] of others) {
      const { code } = await answerTo(method, path, cookieOf(administrator));
      const changes = method !== 'GET' && needs !== 'nobody' && !forms.includes(name);
      expect([name, code === 'ORIGIN_REFUSED']).toEqual([name, changes]);
    }
  });

  it('is an administrator where it concerns the whole house', async () => {
    for (const [name, { method, path, needs }] of others) {
      const { code } = await answerTo(method, path, assistant);
      expect([name, code === 'NOT_ALLOWED']).toEqual([name, needs === 'administrator']);
    }
  });

  it('is never met by a page of another site, whoever is signed in there', async () => {
    for (const [name, { method, path }] of all.filter(([, { method }]) => method !== 'GET'))
      for (const foreign of [
        { 'Sec-Fetch-Site': 'cross-site' },
        { 'Sec-Fetch-Site': 'same-site' },
        { Origin: 'https://evil.example' },
        { Origin: 'null' },
      ] as Record<string, string>[]) {
        const { status, code } = await answerTo(method, path, { ...administrator, ...foreign });
        expect([name, status, code]).toEqual([name, 403, 'ORIGIN_REFUSED']);
      }
  });
});
