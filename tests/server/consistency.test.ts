import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { checkConsistency } from '@flagstone/server/records/consistency';
import { sql } from 'drizzle-orm';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
beforeAll(async () => {
  app = await TestApplication.open();
  for (const seed of [1, 2, 3, 4]) await app.put(`gates/gate ${seed}.wav`, { seed });
  const { batchId } = await app.intake('gates');
  await app.call('fileBatch', { params: { id: batchId } });
  await app.measured();
});
afterAll(() => app.close());

const check = (repair = false) => checkConsistency(app.context.db, repair);
const found = async (repair = false) =>
  (await check(repair)).map(({ what, count }) => [what.split(' ').slice(0, 3).join(' '), count]);

describe('a database', () => {
  it('that is as it should be has nothing to be said of it, and is left as it is', async () => {
    const before = await app.context.db.execute(sql`select *, xmin from search_rows order by sound_id`);
    expect(await check()).toEqual([]);
    expect(await check(true)).toEqual([]);
    const after = await app.context.db.execute(sql`select *, xmin from search_rows order by sound_id`);
    expect(after.rows).toEqual(before.rows);
  });

  it('tells rows of the search that are stale or missing, and makes them anew', async () => {
    await app.asOwner(`
      update search_rows set fx_name = 'something else' where sound_id = (select min(sound_id) from search_rows);
      update search_rows set terms = '' where sound_id = (select max(sound_id) from search_rows);
      delete from search_rows where sound_id = (select sound_id from search_rows order by 1 offset 1 limit 1)`);
    expect(await found()).toEqual([['rows of the', 3]]);
    // Looking changes nothing.
    expect(await found()).toEqual([['rows of the', 3]]);
    expect(await found(true)).toEqual([['rows of the', 3]]);
    expect(await found()).toEqual([]);
    expect((await app.call('listCatalogue', { query: { q: 'gate' } })).total).toBe(4);
  });

  it('tells counts of Drift that are off, and mends them while people work', async () => {
    await app.asOwner(`
      update drift_counts set copies = copies + 3 where ctid = (select ctid from drift_counts where copies > 0 limit 1);
      insert into drift_counts (drive_id, read_folder_id, state, copies) select id, null, 'split', 2 from drives limit 1`);
    expect((await check())[0]?.examples).toContainEqual(expect.stringContaining('split on'));
    const edit = { set: { description: 'meanwhile' } };
    const editing = app.call('editRecords', { body: { selection: { kind: 'catalogue', filter: {} }, edit } });
    await check(true);
    await editing;
    expect(await found()).toEqual([]);
  });

  it('tells changes of files that were cut short, which the next start settles', async () => {
    const { id } = await app.call('makePlan', {
      body: { kind: 'write', selection: { kind: 'catalogue', filter: {} } },
    });
    await app.context.db.execute(
      sql`update journal set state = 'started' where id = (select min(id) from journal where plan_id = ${id})`,
    );
    const [finding] = await check(true);
    expect(finding).toMatchObject({ count: 1, examples: [expect.stringContaining(`of plan ${id}`)] });
    await app.restart();
    expect(await check()).toEqual([]);
  });
});
