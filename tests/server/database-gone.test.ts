import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { LiveEvent } from '@flagstone/contract/jobs';
import pg from 'pg';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let admin: pg.Client;
beforeAll(async () => {
  app = await TestApplication.open();
  admin = new pg.Client(process.env['FLAGSTONE_TEST_DATABASE']);
  await admin.connect();
});
afterAll(async () => {
  await admin.end();
  await app.close();
});

/** Cuts every connection of the application, as a database that is started anew does. */
async function cutAll(): Promise<void> {
  const database = app.databaseAddress.split('/').at(-1);
  await admin.query('select pg_terminate_backend(pid) from pg_stat_activity where datname = $1', [database]);
}

/** Whether the database takes connections. */
async function letIn(isOpen: boolean): Promise<void> {
  await admin.query(`alter database ${app.databaseAddress.split('/').at(-1)} with allow_connections ${isOpen}`);
}

const nextEvent = (type: LiveEvent['type']) =>
  new Promise<LiveEvent>((resolve) => {
    const stop = app.context.live.subscribe((event) => {
      if (event.type !== type) return;
      stop();
      resolve(event);
    });
  });

describe('a database whose connections are cut', () => {
  it('is connected to again, and everybody is told that events were missed', async () => {
    const missed = nextEvent('missed');
    await cutAll();
    await missed;
    const told = nextEvent('pullLists');
    while ((await app.send('makePullList', { body: { name: 'After the cut' } })).status !== 200);
    await told;
  });

  it('answers 503 while it is away, says so to whoever listens, and ends no process', async () => {
    const lost = new Promise<void>((resolve) => app.context.live.onLost(resolve));
    const missed = nextEvent('missed');
    // In the middle of a transaction, whose connection belongs to somebody.
    const cut = app.context.db.transaction(async (tx) => {
      await tx.execute('select 1');
      await letIn(false);
      await cutAll();
      await tx.execute('select 1');
    });
    await expect(cut).rejects.toThrow();
    await lost;
    // Also to those who watch the process, by whatever name.
    const probe = async (address: string) => (await app.http.get(address).set('Host', 'watcher.example')).status;
    expect([await probe('/healthz'), await probe('/readyz'), await probe('/api/health')]).toEqual([200, 503, 403]);
    const { status } = await app.http.get('/api/events').set('Host', '127.0.0.1');
    expect(status).toBe(503);
    await letIn(true);
    await missed;
    expect((await app.send('listPeople')).status).toBe(200);
  });
});

describe('a request with values that no column holds', () => {
  it('is the fault of the request', async () => {
    const answers = await Promise.all([
      app.send('getSound', { params: { id: 2 ** 52 } }),
      app.send('getBatch', { params: { id: 2 ** 40 } }),
      app.send('listPullEntries', { params: { id: 2 ** 40 } }),
      app.send('makePullList', { body: { name: 'A\0list' } }),
      app.send('listCatalogue', { query: { q: 'kiln\0door' } }),
      app.send('saveSearch', { body: { name: 'x\0', q: '' } }),
    ]);
    expect(answers.map(({ status }) => status)).toEqual([404, 400, 400, 400, 200, 400]);
  });
});
