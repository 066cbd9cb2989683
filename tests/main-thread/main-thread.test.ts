import { afterAll, beforeAll, expect, it, jest } from '@jest/globals';
import { sized } from '../size.ts';
import { watchJobs } from './main-thread.ts';
import { TestApplication } from '../server/test-application.ts';

/** `./flagstone bench loop` says how long at 20,000 files; what grows faster than their number is far beyond the limit at some hundreds already. */
const asked = process.env['FLAGSTONE_LOOP_FILES'];
const FILES = Number(asked ?? sized(500, 1000));
const CARRIED_OUT = sized(25, 100);
const LONGEST_MS = 250;

jest.setTimeout(3_600_000);
let app: TestApplication;
beforeAll(async () => {
  app = await TestApplication.open();
});
afterAll(() => app.close());

it('answers others during every kind of job', async () => {
  const busy: string[] = [];
  for await (const { kind, seconds, longestMs, over50 } of watchJobs(app, {
    count: FILES,
    carriedOut: CARRIED_OUT,
    toTheEnd: asked !== undefined,
  })) {
    const line = `${kind.padEnd(12)} ${seconds.toFixed(1).padStart(7)} s, longest ${longestMs.toFixed(0).padStart(5)} ms, ${over50} over 50 ms`;
    if (asked !== undefined) process.stdout.write(`${line}\n`);
    if (longestMs > LONGEST_MS) busy.push(line);
  }
  expect(busy).toEqual([]);
});
