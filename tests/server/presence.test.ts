import { randomUUID } from 'node:crypto';
import { get } from 'node:http';
import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import type { LiveEvent } from '@flagstone/contract/jobs';
import type { Presence } from '@flagstone/contract/presence';
import { openApplication, type Application } from '@flagstone/server/application';
import { sql } from 'drizzle-orm';
import pino from 'pino';
import { httpServer } from '../../server/src/http-server.ts';
import { addPersonWith, signedInAs } from '../signed-in.ts';
import { listenOn, type Listening } from './listen-on.ts';
import { TestApplication } from './test-application.ts';
import { twoCollections, type Held } from './two-collections.ts';

let app: TestApplication;
/** Another process of the server, on the same database. */
let other: Application;
const servers: Listening[] = [];
let own: Held;
let foreign: Held;

beforeAll(async () => {
  app = await TestApplication.open();
  ({ own, foreign } = await twoCollections(app));
  other = await openApplication(app.databaseAddress, [app.drive], pino({ level: 'silent' }));
  for (const { context } of [app, other]) servers.push(await listenOn(httpServer(context)));
}, 90_000);
afterAll(async () => {
  for (const { close } of servers) close();
  await other.close();
  await app.close();
});

/** The pages that a test opened are closed with it, and it is over when nobody is here any more. */
const closers: (() => void)[] = [];
afterEach(async () => {
  for (const close of closers.splice(0)) close();
  while ((await listed(0)).length > 0) await new Promise(setImmediate);
});

const addressOf = (which: 0 | 1): string => servers[which]?.address ?? '';
const json = { 'Content-Type': 'application/json' };
const listed = async (which: 0 | 1, headers = signedInAs(1)): Promise<Presence[]> =>
  (await (await fetch(`${addressOf(which)}/presence`, { headers })).json()) as Presence[];

/** A page of somebody whose stream of events is open, until it is closed. */
async function openPage(which: 0 | 1, headers: Record<string, string>, page = randomUUID()) {
  const closing = new AbortController();
  const answer = await fetch(`${addressOf(which)}/events?page=${page}`, { headers, signal: closing.signal });
  if (!answer.ok) throw new Error(`no events: ${answer.status}`);
  const reader = answer.body!.getReader();
  void (async () => {
    while (!(await reader.read()).done);
  })().catch(() => undefined);
  const at = (where: { batchId: number | null; soundId: number | null }) =>
    fetch(`${addressOf(which)}/presence`, {
      method: 'POST',
      headers: { ...headers, ...json },
      body: JSON.stringify({ page, ...where }),
    });
  closers.push(() => closing.abort());
  return { page, at, close: () => closing.abort() };
}

/** What the other server hears of presence, from before something is done until it hears what is waited for; with how long that took. */
async function hears(act: () => Promise<unknown>, isIt: (event: Extract<LiveEvent, { type: 'presence' }>) => boolean) {
  const started = performance.now();
  let stop: () => void = () => undefined;
  const heard = new Promise<void>((resolve) => {
    stop = other.context.live.subscribe((event) => event.type === 'presence' && isIt(event) && resolve());
  });
  await act();
  await heard;
  stop();
  return (performance.now() - started) / 1000;
}

describe('who is here', () => {
  it('is known at every server within two seconds, with what they have open, and gone within ten when they close it', async () => {
    let page: Awaited<ReturnType<typeof openPage>> | undefined;
    const came = await hears(
      async () => void (page = await openPage(0, signedInAs(2))),
      ({ presence, isHere }) => isHere && presence.personId === 2,
    );
    expect(came).toBeLessThan(2);
    const where = { batchId: own.batch, soundId: own.sound };
    const moved = await hears(
      async () => page?.at(where),
      ({ presence }) => presence.page === page?.page && presence.soundId === own.sound,
    );
    expect(moved).toBeLessThan(2);
    expect(await listed(1)).toEqual([{ page: page?.page, personId: 2, ...where }]);
    const left = await hears(
      () => Promise.resolve(page?.close()),
      ({ presence, isHere }) => !isHere && presence.page === page?.page,
    );
    expect(left).toBeLessThan(10);
    expect(await listed(1)).toEqual([]);
  });

  it('stays when the stream is made again, at whichever server', async () => {
    const first = await openPage(0, signedInAs(2));
    await first.at({ batchId: own.batch, soundId: null });
    const again = await openPage(1, signedInAs(2), first.page);
    first.close();
    // The first stream has ended for the server when it beats no more for it.
    await hears(
      () => again.at({ batchId: own.batch, soundId: own.sound }),
      ({ presence }) => presence.soundId === own.sound,
    );
    expect(await listed(0)).toMatchObject([{ page: first.page, soundId: own.sound }]);
    await hears(
      () => Promise.resolve(again.close()),
      ({ isHere }) => !isHere,
    );
  });

  it('is gone within ten seconds when the server that held the page was killed', async () => {
    const page = randomUUID();
    const gone = await hears(
      () =>
        app.context.db.execute(
          sql`insert into presence (page, person_id, stream) values (${page}::uuid, 2, ${randomUUID()}::uuid)`,
        ),
      ({ presence, isHere }) => !isHere && presence.page === page,
    );
    expect(gone).toBeLessThan(10);
  });

  it('tells nobody of what they do not see', async () => {
    const listener = await addPersonWith(app.context.db, 'Listens', [
      { collectionId: own.collection, role: 'listener' },
    ]);
    const page = await openPage(0, signedInAs(1));
    await hears(
      () => page.at({ batchId: foreign.batch, soundId: foreign.sound }),
      ({ presence }) => presence.soundId === foreign.sound,
    );
    expect(await listed(0, listener.headers)).toEqual([{ page: page.page, personId: 1, batchId: null, soundId: null }]);
    expect(await listed(0)).toMatchObject([{ batchId: foreign.batch, soundId: foreign.sound }]);
  });

  it('is nobody whose page closed while its stream was opened', async () => {
    const pages = Array.from({ length: 40 }, (): string => randomUUID());
    const opened = pages.map(async (page, index) => {
      const request = get(`${addressOf(0)}/events?page=${page}`, { headers: signedInAs(1) });
      const closed = new Promise((resolve) => request.once('close', resolve));
      request.on('error', () => undefined);
      request.once('socket', (socket) => socket.once('connect', () => setTimeout(() => request.destroy(), index / 2)));
      await closed;
    });
    await Promise.all(opened);
    while ((await listed(1)).some(({ page }) => pages.includes(page))) await new Promise(setImmediate);
  });

  it('is told by nobody for the page of somebody else', async () => {
    const page = await openPage(0, signedInAs(1));
    const body = JSON.stringify({ page: page.page, batchId: own.batch, soundId: null });
    await fetch(`${addressOf(0)}/presence`, { method: 'POST', headers: { ...signedInAs(2), ...json }, body });
    await openPage(1, signedInAs(2), page.page);
    const now = await listed(0);
    expect(now.find((each) => each.page === page.page)).toEqual({
      page: page.page,
      personId: 1,
      batchId: null,
      soundId: null,
    });
  });
});

describe('a stream of events', () => {
  it('tells of everything that happens from the moment its answer begins', async () => {
    for (let soundId = 1; soundId <= 20; soundId += 1) {
      const closing = new AbortController();
      const answer = await fetch(`${addressOf(0)}/events`, { headers: signedInAs(1), signal: closing.signal });
      await app.context.live.publish(app.context.db, { type: 'records', soundIds: [soundId] });
      const told = answer.body!.pipeThrough(new TextDecoderStream()).getReader();
      for (let text = ''; !text.includes(`"soundIds":[${soundId}]`);) {
        const { done, value } = await told.read();
        if (done) throw new Error(`the stream ended after: ${text}`);
        text += value;
      }
      closing.abort();
    }
  });
});
