import { execFile } from 'node:child_process';
import { mkdtemp, readFile, rm } from 'node:fs/promises';
import { createServer as createPlain, request as plainRequest, type IncomingHttpHeaders, type Server } from 'node:http';
import { createServer, request } from 'node:https';
import type { AddressInfo } from 'node:net';
import os from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import { httpServer } from '@flagstone/server/http-server';
import { makeLink } from '@flagstone/server/people/sign-in-links';
import { sql } from 'drizzle-orm';
import { TestApplication } from './test-application.ts';

const NAME = 'effects.example';
const PASSWORD = 'geese under the mill wheel';

let app: TestApplication;
let folder = '';
let certificate = '';
/** Over TLS by a name; behind a proxy that is believed; behind one that is not. */
let [secure, behind, unknown]: (Server | undefined)[] = [];

const listening = async (server: Server): Promise<Server> => {
  server.listen(0, '127.0.0.1');
  await new Promise((resolve) => server.once('listening', resolve));
  return server;
};

beforeAll(async () => {
  app = await TestApplication.open();
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-tls-'));
  const [key, cert] = [path.join(folder, 'key.pem'), path.join(folder, 'cert.pem')];
  const made = ['-nodes', '-keyout', key, '-out', cert, '-days', '2', '-subj', `/CN=${NAME}`];
  await promisify(execFile)('openssl', [
    'req',
    '-x509',
    '-newkey',
    'rsa:2048',
    ...made,
    '-addext',
    `subjectAltName=DNS:${NAME}`,
  ]);
  certificate = await readFile(cert, 'utf8');
  const names = new Set([NAME]);
  const tls = { cert: certificate, key: await readFile(key, 'utf8') };
  secure = await listening(createServer(tls, httpServer(app.context, { names, proxies: [] })));
  behind = await listening(createPlain(httpServer(app.context, { names, proxies: ['127.0.0.1'] })));
  unknown = await listening(createPlain(httpServer(app.context, { names, proxies: ['10.0.0.2'] })));
});
afterAll(async () => {
  for (const server of [secure, behind, unknown]) server?.close();
  await rm(folder, { recursive: true, force: true });
  await app.close();
});
beforeEach(() => app.context.db.execute(sql`delete from sign_in_failures`));

interface Answer {
  status: number;
  headers: IncomingHttpHeaders;
  text: string;
}
async function send(
  server: Server | undefined,
  method: string,
  where: string,
  headers: Record<string, string>,
  body?: object,
): Promise<Answer> {
  const { port } = server?.address() as AddressInfo;
  const options = {
    host: '127.0.0.1',
    port,
    method,
    path: `/api${where}`,
    headers: { 'Content-Type': 'application/json', ...headers },
  };
  return new Promise((resolve, reject) => {
    const sent = server === secure ? request({ ...options, ca: certificate, servername: NAME }) : plainRequest(options);
    sent.once('error', reject).once('response', (answer) => {
      let text = '';
      answer.on('data', (part: Buffer) => (text += part.toString()));
      answer.once('end', () => resolve({ status: answer.statusCode ?? 0, headers: answer.headers, text }));
    });
    sent.end(body === undefined ? undefined : JSON.stringify(body));
  });
}
/** Signs the second person of tests in by a link; returns the cookie that was set. */
async function cookieOf(server: Server | undefined, headers: Record<string, string>): Promise<string> {
  const secret = await makeLink(app.context.db, 2);
  const answer = await send(server, 'POST', '/sign-in-link/take', headers, { secret, password: PASSWORD });
  expect([answer.status, answer.text]).toEqual([200, expect.stringContaining('Tobias Reed')]);
  return answer.headers['set-cookie']?.[0] ?? '';
}

describe('over TLS, by the name that it was told', () => {
  it('gives a cookie that no plain page and no other host can set, and has browsers stay with TLS', async () => {
    const cookie = await cookieOf(secure, { Host: NAME });
    expect(cookie).toMatch(
      /^__Host-flagstone-session=[\w-]{43}; Max-Age=\d+; Path=\/; Expires=[^;]+; HttpOnly; Secure; SameSite=Lax$/,
    );
    const answer = await send(secure, 'GET', '/signed-in', { Host: NAME, Cookie: cookie.split(';')[0] ?? '' });
    expect([answer.status, answer.headers['strict-transport-security']]).toEqual([200, 'max-age=31536000']);
    // One of that name without the prefix is none.
    const bare = (cookie.split(';')[0] ?? '').replace('__Host-', '');
    expect((await send(secure, 'GET', '/signed-in', { Host: NAME, Cookie: bare })).status).toBe(401);
  });

  it('answers by no other name, and takes no change from a page of one', async () => {
    expect((await send(secure, 'GET', '/health', { Host: 'evil.example' })).status).toBe(403);
    expect((await send(secure, 'GET', '/health', { Host: `${NAME}.evil.example` })).status).toBe(403);
    const sent = (origin: string) => send(secure, 'POST', '/sign-out', { Host: NAME, Origin: origin }, {});
    expect((await sent(`https://${NAME}`)).status).toBe(200);
    expect((await sent(`http://${NAME}`)).status).toBe(403);
    expect((await sent(`https://${NAME}:8443`)).status).toBe(403);
  });
});

describe('behind a proxy', () => {
  const forwarded = { 'X-Forwarded-Proto': 'https', 'X-Forwarded-Host': NAME, 'X-Forwarded-For': '203.0.113.9' };

  it('that is believed, counts as what the proxy was asked', async () => {
    expect(await cookieOf(behind, forwarded)).toMatch(/^__Host-flagstone-session=.*; Secure/);
    const answer = await send(behind, 'GET', '/health', forwarded);
    expect(answer.headers['strict-transport-security']).toBeDefined();
    expect((await send(behind, 'GET', '/health', { ...forwarded, 'X-Forwarded-Host': 'evil.example' })).status).toBe(
      403,
    );
    await send(behind, 'POST', '/sign-in', forwarded, { account: 'somebody', password: 'not the one' });
    const { rows } = await app.context.db.execute(sql`select key from sign_in_failures where key like 'address%'`);
    expect(rows).toEqual([{ key: 'address 203.0.113.9' }]);
  });

  it('that is not, counts as whoever it is', async () => {
    expect(await cookieOf(unknown, forwarded)).toMatch(/^flagstone-session=/);
    await send(unknown, 'POST', '/sign-in', forwarded, { account: 'somebody', password: 'not the one' });
    const { rows } = await app.context.db.execute(sql`select key from sign_in_failures where key like 'address%'`);
    expect(rows).toEqual([{ key: 'address 127.0.0.1' }]);
    expect(
      (await send(unknown, 'GET', '/health', { Host: NAME })).headers['strict-transport-security'],
    ).toBeUndefined();
  });
});
