import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import type { AuditEntry } from '@flagstone/contract/audit';
import { parse } from 'csv-parse/sync';
import { sql } from 'drizzle-orm';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let batchId = 0;
beforeEach(async () => {
  app = await TestApplication.open();
  await app.put('kiln/door.wav', { seed: 4 });
  ({ batchId } = await app.intake());
});
afterEach(() => app.close());

const log = async (query: object = {}): Promise<AuditEntry[]> =>
  (await app.call('listAudit', { query: query as Record<string, unknown> })).entries;
const inShort = ({ person, what, refused }: AuditEntry): string => `${person} ${refused ? 'is refused: ' : ''}${what}`;

/** Runs a plan and undoes it, takes records out, and makes a collection; returns the id of the plan. */
async function act(): Promise<number> {
  const selection = { kind: 'batch' as const, batchId };
  await app.call('editRecords', { body: { selection, edit: { set: { catId: 'DOORMetl', fxName: 'Kiln Door' } } } });
  const plan = await app.call('makePlan', { body: { kind: 'write', selection }, person: 2 });
  await app.ended(await app.call('runPlan', { params: { id: plan.id }, body: {}, person: 2 }));
  await app.ended(await app.call('undoPlan', { params: { id: plan.id }, person: 2 }));
  const request = JSON.stringify({ selection, format: 'csv', columns: ['name'] });
  expect((await app.http.post('/api/export').type('form').send({ request })).status).toBe(200);
  await app.call('makeCollection', { body: { name: 'Looms' } });
  return plan.id;
}

describe('the audit log', () => {
  it('tells what runs, is taken out, removed and set up, with what was asked', async () => {
    const planId = await act();
    const told = await log();
    expect(told.map(inShort)).toEqual([
      'Orla Venn makes a collection',
      'Orla Venn takes records out',
      'Tobias Reed undoes a plan',
      'Tobias Reed runs a plan',
      'Orla Venn reads a folder',
    ]);
    expect(told[0]).toMatchObject({ about: 'name Looms', refused: false });
    expect(told[3]?.about).toBe(`id ${planId}`);
    expect(told[4]?.about).toContain(`path ${path.join(app.drive)}`);
  });

  it('tells what was asked for in vain, with the reason', async () => {
    await app.call('makeCollection', { body: { name: 'Looms' } });
    expect((await app.send('runPlan', { params: { id: 999 }, body: {} })).status).toBe(404);
    expect((await app.send('makeCollection', { body: { name: 'Looms' } })).status).toBe(409);
    const [taken, asked, missing] = await log();
    expect(taken).toMatchObject({
      what: 'makes a collection',
      refused: true,
      about: expect.stringContaining('already'),
    });
    expect(asked).toMatchObject({ what: 'makes a collection', refused: false });
    expect(missing).toMatchObject({ what: 'runs a plan', refused: true });
    expect((await log({ refused: 'only' })).map(({ what }) => what)).toEqual(['makes a collection', 'runs a plan']);
  });

  it('is narrowed by what, whom and day, and read page by page', async () => {
    await act();
    expect((await app.send('runPlan', { params: { id: 999 }, body: {} })).status).toBe(404);
    expect((await log({ what: 'runs a plan', person: 'Tobias Reed' })).map(inShort)).toEqual([
      'Tobias Reed runs a plan',
    ]);
    const today = new Date().toISOString().slice(0, 10);
    const all = await log({ limit: 500 });
    expect(await log({ from: today, to: today, limit: 500 })).toEqual(all);
    expect(await log({ from: '2031-01-01' })).toEqual([]);
    expect(await log({ to: '2025-12-31' })).toEqual([]);
    const paged: AuditEntry[] = [];
    for (let before: number | undefined; ;) {
      const { entries, next } = await app.call('listAudit', { query: { limit: 3, ...(before ? { before } : {}) } });
      paged.push(...entries);
      if (next === null) break;
      before = next;
    }
    expect(paged).toEqual(all);
    const choices = await app.call('listAuditChoices');
    expect(choices.people).toEqual(['Orla Venn', 'Tobias Reed']);
    expect(choices.whats).toContain('takes records out');
    expect((await app.send('listAudit', { query: { from: 'yesterday' } })).status).toBe(400);
  });

  it('is taken out as CSV, in which nothing runs as a formula', async () => {
    await app.context.db.execute(sql`
      insert into audit_log (person_name, what, about, address) select 'Orla Venn', 'runs a plan', '=1+1', '127.0.0.1' from generate_series(1, 1200)`);
    const answer = await app.http.get('/api/audit.csv').query({ what: 'runs a plan' });
    expect([answer.status, answer.headers['content-type']]).toEqual([200, 'text/csv; charset=utf-8']);
    const rows = parse<Record<string, string>>(answer.text, { columns: true });
    expect(rows).toHaveLength(1200);
    expect(rows[0]).toMatchObject({ person: 'Orla Venn', about: "'=1+1", refused: 'false' });
  });

  it('is for administrators alone', async () => {
    expect((await app.send('listAudit', { person: 2 })).status).toBe(403);
    expect((await app.nobody.get('/api/audit.csv')).status).toBe(401);
  });
});
