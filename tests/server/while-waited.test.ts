import { once } from 'node:events';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { forAll, whileWaited } from '@flagstone/server/db/while-waited';
import { httpServer } from '@flagstone/server/http-server';
import { sql } from 'drizzle-orm';
import pg from 'pg';
import { signedInAs } from '../signed-in.ts';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
beforeAll(async () => {
  app = await TestApplication.open();
});
afterAll(() => app.close());

describe('reads that nobody waits for any more', () => {
  const run = (statement: ReturnType<typeof sql>) => app.context.db.execute<Record<string, number>>(statement);
  const sleeping = async (): Promise<number> => {
    const { rows } = await run(
      sql`select count(*)::int as count from pg_stat_activity where state = 'active' and query like '%pg_sleep(%' and pid <> pg_backend_pid()`,
    );
    return rows[0]?.['count'] ?? 0;
  };
  const until = async (isSo: () => Promise<boolean>): Promise<void> => {
    while (!(await isSo())) await new Promise(setImmediate);
  };

  it('end in PostgreSQL too, with the reason of whoever left', async () => {
    const leaving = new AbortController();
    const read = whileWaited(leaving.signal, () => Promise.all([run(sql`select pg_sleep(60)`), run(sql`select 1`)]));
    await until(async () => (await sleeping()) === 1);
    leaving.abort(new Error('gone'));
    await expect(read).rejects.toThrow('gone');
    await until(async () => (await sleeping()) === 0);
  });

  it('are not begun when everybody has left, and fail as others do when nobody has', async () => {
    const left = AbortSignal.abort(new Error('gone before'));
    await expect(whileWaited(left, () => run(sql`select 1`))).rejects.toThrow('gone before');
    await expect(whileWaited(new AbortController().signal, () => run(sql`select 1 / 0`))).rejects.toThrow();
  });

  it('never take others with them that use the same connections, however it falls', async () => {
    const answers = Array.from({ length: 400 }, async (_, number) => {
      const leaving = new AbortController();
      const read = whileWaited(leaving.signal, () => run(sql`select pg_sleep(0.002)`));
      const other = run(sql`select ${number}::int as number from pg_sleep(0.001)`);
      setTimeout(() => leaving.abort(), number % 7);
      await read.catch(() => undefined);
      return (await other).rows[0]?.['number'];
    });
    expect(await Promise.all(answers)).toEqual(Array.from({ length: 400 }, (_, number) => number));
  });

  it('go on where others wait for the same', async () => {
    const leaving = new AbortController();
    let shared: Promise<unknown> | undefined;
    const read = whileWaited(leaving.signal, () => {
      shared = forAll(() => run(sql`select 5 as five from pg_sleep(0.2)`));
      return Promise.all([shared, run(sql`select pg_sleep(60)`)]);
    });
    await until(async () => (await sleeping()) === 2);
    leaving.abort(new Error('gone'));
    await expect(read).rejects.toThrow('gone');
    expect(await shared).toMatchObject({ rows: [{ five: 5 }] });
  });

  it('end with the request of a browser that asks for something else', async () => {
    const server = httpServer(app.context).listen(0, '127.0.0.1');
    await once(server, 'listening');
    const lock = new pg.Client(app.databaseAddress);
    await lock.connect();
    // Whoever looks for something has to wait for this, as for a long search.
    await lock.query('begin; lock table search_rows in access exclusive mode');
    const waiting = async (): Promise<number> => {
      const { rows } = await run(
        sql`select count(*)::int as count from pg_stat_activity where wait_event_type = 'Lock' and query like '%search_rows%'`,
      );
      return rows[0]?.['count'] ?? 0;
    };
    const leaving = new AbortController();
    const { port } = server.address() as AddressInfo;
    const answer = fetch(`http://127.0.0.1:${port}/api/catalogue?q=kiln&sort=name`, {
      signal: leaving.signal,
      headers: signedInAs(1),
    });
    await until(async () => (await waiting()) > 0);
    leaving.abort(new Error('gone'));
    await expect(answer).rejects.toThrow('gone');
    // What tells how many to expect is shared with whoever asks for the same, and goes on.
    await until(async () => (await waiting()) <= 1);
    await lock.end();
    await until(async () => (await waiting()) === 0);
    server.closeAllConnections();
    server.close();
    expect((await app.call('listCatalogue', { query: { q: 'kiln' } })).rows).toEqual([]);
  });
});
