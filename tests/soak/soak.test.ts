import { chmod, mkdtemp, rm } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, expect, it, jest } from '@jest/globals';
import { sized } from '../size.ts';
import { RunningServer } from '../running-server.ts';
import { makeSoakDrive, readSoakDrive } from './soak-drive.ts';
import { soak } from './soak.ts';

jest.setTimeout(120_000);
/** A taste of `bench soak`, which goes on for three minutes. */
const SECONDS = sized(10, 60);
let folder = '';
let server: RunningServer;
beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-soak-'));
  await chmod(folder, 0o755);
  await makeSoakDrive(path.join(folder, 'drive'), 60);
  server = new RunningServer(path.join(folder, 'data'), path.join(folder, 'drive'));
  await server.start();
});
afterAll(async () => {
  await server.end();
  await rm(folder, { recursive: true, force: true });
});

it('keeps every word of twenty people who work at once, and answers all of them', async () => {
  const batchId = await readSoakDrive(server, path.join(folder, 'drive'));
  const result = await soak(server, batchId, { seconds: SECONDS, seed: 17 });
  expect(result.faults).toEqual([]);
  expect(result.requests).toBeGreaterThan(SECONDS * 10);
});
