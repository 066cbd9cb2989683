import { readdir, readFile } from 'node:fs/promises';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import os from 'node:os';
import { afterEach, beforeEach, expect, it } from '@jest/globals';
import express from 'express';
import pino from 'pino';
import { withScratchFile } from '../disk/scratch-file.ts';
import { errorAnswer } from './error-answer.ts';
import { incoming } from './incoming.ts';

const MOST = 100_000;
let server: Server;
let address = '';
/** Keeps what is sent, and answers how many bytes that were, or why it is refused. */
beforeEach(async () => {
  const app = express();
  app.post('/', async (request, response) => {
    const { signal } = new AbortController();
    response.end(
      await withScratchFile(incoming(request), MOST, signal, async (file) => String((await readFile(file)).length)),
    );
  });
  app.use(errorAnswer(pino({ level: 'silent' })));
  server = createServer(app);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  address = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
});
afterEach(() => new Promise((resolve) => server.close(resolve)));

const leftOver = async () => (await readdir(os.tmpdir())).filter((name) => name.startsWith('flagstone-heard-'));

/** Sent in parts, without a word on how many. */
function sent(bytes: number): Promise<Response> {
  let left = bytes;
  const body = new ReadableStream<Uint8Array>({
    pull: (controller) => {
      const part = Math.min(left, 10_000);
      left -= part;
      if (part > 0) controller.enqueue(new Uint8Array(part));
      else controller.close();
    },
  });
  return fetch(address, { method: 'POST', body, duplex: 'half' } as RequestInit);
}

it.each([
  [0, '0'],
  [MOST, String(MOST)],
  [MOST + 1, 'TOO_LARGE'],
  [MOST * 300, 'TOO_LARGE'],
])('of %i bytes that come in parts whoever sends them hears “%s”', async (bytes, said) => {
  const before = await leftOver();
  expect(await (await sent(bytes)).text()).toContain(said);
  expect(await leftOver()).toEqual(before);
});

it('refuses what is said to be too large before it comes', async () => {
  const before = await leftOver();
  const headers = { 'Content-Length': String(MOST * 300) };
  const answer = await fetch(address, { method: 'POST', body: new Uint8Array(MOST * 300), headers });
  expect(await answer.text()).toContain('TOO_LARGE');
  expect(await leftOver()).toEqual(before);
});
