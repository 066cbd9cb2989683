import { mkdir, readdir } from 'node:fs/promises';
import path from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import type { Role } from '@flagstone/contract/roles';
import type { JobRun } from '../../server/src/jobs/job-queue.ts';
import { copyOutJob } from '../../server/src/delivering/copy-out-job.ts';
import { httpServer } from '../../server/src/http-server.ts';
import { runPlanJob } from '../../server/src/plans/plan-jobs.ts';
import { sql } from 'drizzle-orm';
import { addPersonWith, signedInAs } from '../signed-in.ts';
import { listenOn, type Listening } from './listen-on.ts';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let server: Listening;
let batchId = 0;
/** Somebody whose rights are taken, anew for each test. */
let person: { id: number; headers: Record<string, string> };
let count = 0;

beforeAll(async () => {
  app = await TestApplication.open();
  for (const [seed, name] of ['gate', 'lock', 'sluice'].entries())
    await app.put(`mill/${name}.wav`, { seed: seed + 3 });
  ({ batchId } = await app.intake('mill'));
  await app.call('fileBatch', { params: { id: batchId } });
  await app.measured();
  server = await listenOn(httpServer(app.context));
}, 60_000);
afterAll(async () => {
  server.close();
  await app.close();
});
beforeEach(async () => {
  person = await addPersonWith(app.context.db, `Weaver ${++count}`, [{ collectionId: 1, role: 'librarian' }]);
});

const send = (method: string, address: string, headers: Record<string, string>, body?: object): Promise<Response> =>
  fetch(`${server.address}${address}`, {
    method,
    headers: { ...headers, ...(body ? { 'Content-Type': 'application/json' } : {}) },
    ...(body ? { body: JSON.stringify(body) } : {}),
  });
const json = async <Value>(answer: Promise<Response>): Promise<Value> => {
  const given = await answer;
  if (!given.ok) throw new Error(`${given.status} ${await given.text()}`);
  return (await given.json()) as Value;
};
const codeOf = async (answer: Promise<Response>): Promise<string> => {
  const given = await answer;
  return given.ok ? 'ok' : ((await given.json()) as { code: string }).code;
};
/** As an administrator does it on the page of people. */
const become = (role: Role | undefined): Promise<unknown> =>
  app.call('changeAccount', {
    params: { id: person.id },
    body: { roles: [{ collectionId: 1, role: role ?? null }] },
  });
const selection = () => ({ kind: 'batch' as const, batchId });

/** A job's work that stops after its first step until rights were taken. */
const takenAfterOne =
  (work: (run: JobRun) => Promise<void>, take: () => Promise<unknown>) =>
  (run: JobRun): Promise<void> => {
    let steps = 0;
    return work({
      ...run,
      advance: async (step) => {
        await run.advance(step);
        steps += 1;
        if (steps === 1) await take();
      },
    });
  };

describe('rights that are taken', () => {
  it('hold from the next request on that changes something, and for others as soon as that is heard', async () => {
    const edit = { selection: selection(), edit: { set: { notes: `by ${count}` } } };
    expect(await codeOf(send('PATCH', '/records', person.headers, edit))).toBe('ok');
    await become('editor');
    expect(await codeOf(send('PATCH', '/records', person.headers, edit))).toBe('NOT_ALLOWED');
    expect(await codeOf(send('GET', '/catalogue', person.headers))).toBe('ok');
    await become(undefined);
    expect(await codeOf(send('PATCH', '/records', person.headers, edit))).toBe('NOT_ALLOWED');
    while ((await codeOf(send('GET', '/catalogue', person.headers))) !== 'NOT_ALLOWED');
  });

  it('hold for what changes something also where nobody was told that they were taken', async () => {
    const edit = { selection: selection(), edit: { set: { notes: `of ${count}` } } };
    expect(await codeOf(send('PATCH', '/records', person.headers, edit))).toBe('ok');
    await app.context.db.execute(sql`update collection_people set role = 'editor' where person_id = ${person.id}`);
    expect(await codeOf(send('PATCH', '/records', person.headers, edit))).toBe('NOT_ALLOWED');
  });

  it('stop a plan that runs before its next file; another librarian has the rest run', async () => {
    const edit = { set: { description: `Weir and wheel ${count}` } };
    await app.call('editRecords', { body: { selection: selection(), edit } });
    const plan = await json<{ id: number }>(
      send('POST', '/plans', person.headers, { kind: 'write', selection: selection() }),
    );
    const job = await app.context.jobs.runHere(
      takenAfterOne(
        (run) => runPlanJob(app.context, run),
        () => become('assistant'),
      ),
      { kind: 'write', title: 'Write', payload: { planId: plan.id }, lanes: [], collectionIds: [1] },
      person.id,
    );
    expect(job).toMatchObject({ state: 'failed', done: 1, error: { code: 'NOT_ALLOWED' } });
    const { counts } = await app.call('getPlan', { params: { id: plan.id } });
    expect(counts).toMatchObject({ done: 1, runnable: 2, failed: 0 });
    expect(await codeOf(send('POST', `/plans/${plan.id}/run`, person.headers, {}))).toBe('NOT_ALLOWED');
    await app.ended(await app.call('runPlan', { params: { id: plan.id }, body: {} }));
    expect((await app.call('getPlan', { params: { id: plan.id } })).counts.done).toBe(3);
  });

  it('leave nothing to be copied out by a job that waited', async () => {
    const folder = path.join(app.drive, 'out', `no ${count}`);
    await mkdir(folder, { recursive: true });
    const request = { what: { kind: 'sounds', selection: selection(), cut: 'whole' }, tree: false, folder };
    await become('listener');
    const job = await app.context.jobs.runHere(
      (run) => copyOutJob(app.context, run),
      { kind: 'copyOut', title: 'Copy', payload: { request }, lanes: [], collectionIds: [] },
      person.id,
    );
    expect(job).toMatchObject({ state: 'done', done: 0, failed: 0 });
    expect(await readdir(folder)).toEqual([]);
  });

  it('end the stream of events, which begins anew with what is seen then', async () => {
    const read = async (events: Response, until: (text: string) => boolean): Promise<string> => {
      const reader = events.body!.getReader();
      const decoder = new TextDecoder();
      let text = '';
      for (;;) {
        const { done, value } = await reader.read();
        text += decoder.decode(value);
        if (done || until(text)) return text;
      }
    };
    const before = await send('GET', '/events', person.headers);
    const ended = read(before, () => false);
    await become('listener');
    // The same collections are seen as before: the stream goes on.
    await app.call('editRecords', { body: { selection: selection(), edit: { set: { notes: 'seen still' } } } });
    await become(undefined);
    const heard = await ended;
    expect(heard).toContain('"records"');
    const after = read(await send('GET', '/events', person.headers), (text) => text.includes('"categories"'));
    await app.call('editRecords', { body: { selection: selection(), edit: { set: { notes: 'not for them' } } } });
    await app.context.live.publish(app.context.db, { type: 'categories' });
    expect(await after).not.toContain('"records"');
  });

  it('are asked for when something is taken back that they allowed', async () => {
    const edit = { selection: selection(), edit: { set: { notes: `gone by ${count}` } } };
    await json(send('PATCH', '/records', person.headers, edit));
    await become('listener');
    expect(await codeOf(send('POST', '/undo', person.headers, {}))).toBe('NOT_ALLOWED');
    await become('assistant');
    expect(await codeOf(send('POST', '/undo', person.headers, {}))).toBe('ok');
    expect(await codeOf(send('POST', '/redo', person.headers, {}))).toBe('ok');
  });
});

describe('a token with a role', () => {
  const tokenWith = async (role: string | null, headers = person.headers): Promise<Record<string, string>> => {
    const { token } = await json<{ token: string }>(
      send('POST', '/tokens', headers, { name: `as ${role}`, role, days: 3 }),
    );
    return { Authorization: `Bearer ${token}` };
  };

  it('may do no more than that, and no more than its person', async () => {
    const listening = await tokenWith('listener');
    const all = await tokenWith(null);
    const edit = { selection: selection(), edit: { set: { notes: `script ${count}` } } };
    expect(await codeOf(send('GET', '/catalogue', listening))).toBe('ok');
    expect(await codeOf(send('PATCH', '/records', listening, edit))).toBe('NOT_ALLOWED');
    expect(await codeOf(send('PATCH', '/records', all, edit))).toBe('ok');
    expect(await codeOf(send('PATCH', '/records', await tokenWith('administrator'), edit))).toBe('ok');
    expect(await codeOf(send('GET', '/accounts', await tokenWith('administrator')))).toBe('NOT_ALLOWED');
    await become('listener');
    expect(await codeOf(send('PATCH', '/records', all, edit))).toBe('NOT_ALLOWED');
  });

  it('of an administrator is one only when it says so', async () => {
    const headers = signedInAs(1);
    expect(await codeOf(send('GET', '/accounts', await tokenWith('administrator', headers)))).toBe('ok');
    const librarian = await tokenWith('librarian', headers);
    expect(await codeOf(send('GET', '/accounts', librarian))).toBe('NOT_ALLOWED');
    expect(await json(send('GET', '/signed-in', librarian))).toMatchObject({
      isAdministrator: false,
      roles: [{ collectionId: 1, role: 'librarian' }],
    });
    expect(await codeOf(send('GET', `/batches/${batchId}`, librarian))).toBe('ok');
  });

  it('makes no other key: that is done in person', async () => {
    const token = await tokenWith(null);
    for (const [method, address, body] of [
      ['POST', '/tokens', { name: 'more', days: 3 }],
      ['POST', '/passkeys/begin', {}],
      ['POST', '/password', { current: 'x', password: 'y' }],
    ] as const)
      expect([address, await codeOf(send(method, address, token, body))]).toEqual([address, 'NOT_ALLOWED']);
  });
});
