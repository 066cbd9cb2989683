import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { sql } from 'drizzle-orm';
import { connect } from '@flagstone/server/db/connect';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let copyIds: number[] = [];
let batchId = 0;
beforeAll(async () => {
  app = await TestApplication.open();
  for (let number = 0; number < 30; number += 1) await app.put(`gates/gate ${number}.wav`, { seed: number });
  batchId = (await app.intake('gates')).batchId;
  await app.measured();
  const { rows } = await app.call('listBatchRows', { params: { id: batchId } });
  copyIds = rows.map((row) => row.copyId);
});
afterAll(() => app.close());

describe('a transaction', () => {
  it('gets no second connection, neither for a statement nor for a transaction in it', async () => {
    const { db } = app.context;
    const inTransaction = (ask: () => Promise<unknown>) => db.transaction(async () => ask());
    await expect(inTransaction(async () => db.execute(sql`select 1`))).rejects.toThrow();
    await expect(inTransaction(() => db.transaction((tx) => tx.execute(sql`select 1`)))).rejects.toThrow(
      /second connection/,
    );
    // What goes on after it has ended may ask again.
    let later: Promise<unknown> | undefined;
    await db.transaction((tx) => {
      later = new Promise((resolve) => setImmediate(resolve)).then(() => ended).then(() => db.execute(sql`select 1`));
      return tx.execute(sql`select 1`);
    });
    end();
    await expect(later).resolves.toBeDefined();
  });
  let end: () => void = () => undefined;
  const ended = new Promise<void>((resolve) => (end = resolve));
});

describe('fifty changes in flight at once', () => {
  const selection = () => ({ kind: 'copies' as const, copyIds });

  it('are all made, of the same records and of others', async () => {
    const edits = Array.from({ length: 50 }, (_, number) =>
      app.send('editRecords', {
        body: { selection: selection(), edit: { addKeywords: [`word ${number}`] } },
        person: 1 + (number % 2),
      }),
    );
    expect((await Promise.all(edits)).map(({ status }) => status)).toEqual(edits.map(() => 200));
    const { rows } = await app.call('listBatchRows', { params: { id: batchId } });
    for (const { record } of rows) expect(record.keywords.filter((word) => word.startsWith('word '))).toHaveLength(50);
  });

  it('are made whatever kind they are: edits, suggestions, recipes, plans and undoing', async () => {
    const asked = Array.from({ length: 10 }, () => [
      app.send('editRecords', { body: { selection: selection(), edit: { set: { location: 'Lock 7' } } } }),
      app.send('acceptSuggestions', {
        body: { selection: selection(), minimumScore: 0, fields: ['catId', 'fxName', 'keywords'] },
      }),
      app.send('runRecipe', {
        body: { selection: selection(), steps: [{ do: 'case', fields: ['fxName'], to: 'title', keptWhole: [] }] },
      }),
      app.send('makePlan', { body: { kind: 'rename', selection: selection() } }),
      app.send('makePlan', { body: { kind: 'write', selection: selection() } }),
    ]).flat();
    const answers = await Promise.all(asked);
    expect(answers.filter(({ status }) => status >= 500).map(({ body }) => body as unknown)).toEqual([]);
    expect((await app.http.get('/api/people').set('Host', '127.0.0.1')).status).toBe(200);
  });
});

describe('the role of the application', () => {
  it('reads and writes rows, and may neither change tables nor read files of the machine', async () => {
    const { db } = app.context;
    const { rows } = await db.execute<{ rolsuper: boolean; rolcreatedb: boolean; rolcreaterole: boolean }>(
      sql`select rolsuper, rolcreatedb, rolcreaterole from pg_roles where rolname = current_user`,
    );
    expect(rows).toEqual([{ rolsuper: false, rolcreatedb: false, rolcreaterole: false }]);
    for (const statement of [
      'drop table copies',
      'alter table records add column x int',
      'create table x (y int)',
      'truncate copies',
      'delete from drizzle.__drizzle_migrations',
      "select pg_read_file('/etc/passwd')",
      "copy records to program 'cat'",
      'set role postgres',
      'alter role current_user superuser',
    ])
      await expect(db.execute(sql.raw(statement))).rejects.toMatchObject({
        cause: { code: expect.stringMatching(/^(42501|42P01|22023|42704)$/) },
      });
  });

  it('is let in again when the password of the owner, from which its own follows, was changed', async () => {
    await app.asOwner("alter role flagstone_application password 'of another time'");
    const { address, close } = await connect(app.databaseAddress);
    await close();
    expect(new URL(address).username).toBe('flagstone_application');
  });
});
