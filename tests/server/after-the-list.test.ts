import { readdir } from 'node:fs/promises';
import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';
import { sql } from 'drizzle-orm';
import { csvOf, listFile, releaseRows } from './category-release.ts';
import { TestApplication } from './test-application.ts';

/** In the release that comes, CERMBrk bears another CatID, and the category of DOORWood another name. */
let app: TestApplication;
let batchId = 0;
const tags = (catId: string) => {
  const { category = '', subCategory = '' } = builtInCategoryList().find(catId) ?? {};
  return {
    info: { INAM: 'Thing' },
    ixml: { 'ASWG/catId': catId, 'ASWG/category': category, 'ASWG/subCategory': subCategory },
  };
};
beforeEach(async () => {
  app = await TestApplication.open();
  await app.put('Lane/CERMBrk_Jug_ORV_TPA.wav', { seed: 1, tags: tags('CERMBrk') });
  await app.put('Lane/CERMBrk_Jug_ORV_TPA.txt', { bytes: Buffer.from('beside it') });
  await app.put('Lane/DOORWood_Shed_ORV_TPA.wav', { seed: 2, tags: tags('DOORWood') });
  await app.put('Lane/DOORMetl_Gate_ORV_TPA.wav', { seed: 3, tags: tags('DOORMetl') });
  // Called after no category, and saying one of nobody's list.
  await app.put('Lane/old jug 7.wav', { seed: 4, tags: { ixml: { 'ASWG/catId': 'CERMBrkk' } } });
  await app.put('Lane/goose.wav', { seed: 5 });
  ({ batchId } = await app.intake());
  await app.call('fileBatch', { params: { id: batchId } });
});
afterEach(() => app.close());

async function adoptRelease(): Promise<void> {
  const list = listFile('Release 9.csv', csvOf(releaseRows()));
  await app.call('adoptCategoryList', { body: { list, source: 'Release 9', moves: {} } });
}

const behind = () => app.call('getBehindList');
const itemsOf = async (planId: number) => {
  const { items } = await app.call('listPlanItems', { params: { id: planId } });
  return items.map(({ does, state, before, after }) => [
    does,
    state,
    before['name'],
    after[does === 'write' ? 'catId' : 'name'] ?? after['category'],
  ]);
};
const onDisk = async () => (await readdir(path.join(app.drive, 'Lane'))).sort();
const inFiles = async () => {
  const { rows } = await app.context.db.execute<{ name: string; said: string }>(
    sql`select name, concat_ws(' ', in_file ->> 'catId', in_file ->> 'category') as said from copies where in_file ? 'catId' order by id`,
  );
  return rows.map(({ name, said }) => `${name}: ${said}`);
};

describe('files after another category list', () => {
  it('are none while nothing moved, but for records that nobody has placed', async () => {
    expect(await behind()).toEqual({
      unknown: [{ catId: 'CERMBrkk', records: 1, likely: 'CERMBrk', how: 'spelt' }],
      more: 0,
      writes: 0,
      renames: 0,
    });
    expect((await app.send('planAfterList')).body).toMatchObject({ code: 'NOTHING_SELECTED' });
  });

  it('are written and renamed as one plan, each file with what lies beside it, and all is taken back', async () => {
    await adoptRelease();
    const before = { files: await onDisk(), said: await inFiles() };
    expect(await behind()).toMatchObject({ writes: 2, renames: 1 });
    const plan = await app.call('planAfterList');
    expect(plan).toMatchObject({ kind: 'afterList', counts: { all: 3, runnable: 3 } });
    expect(await itemsOf(plan.id)).toEqual([
      ['write', 'planned', 'CERMBrk_Jug_ORV_TPA.wav', 'CERMShat'],
      ['rename', 'planned', 'CERMBrk_Jug_ORV_TPA.wav', 'CERMShat_Jug_ORV_TPA.wav'],
      ['write', 'planned', 'DOORWood_Shed_ORV_TPA.wav', 'GATES'],
    ]);
    const [first] = (await app.call('listPlanItems', { params: { id: plan.id } })).items;
    const tried = await app.ended(
      await app.call('runPlan', { params: { id: plan.id }, body: { onlyItemId: first?.id } }),
    );
    expect(tried).toMatchObject({ state: 'done', done: 1, title: 'Make 1 change after the category list' });
    await app.ended(await app.call('runPlan', { params: { id: plan.id }, body: {} }));
    expect(await onDisk()).toEqual([
      'CERMShat_Jug_ORV_TPA.txt',
      'CERMShat_Jug_ORV_TPA.wav',
      'DOORMetl_Gate_ORV_TPA.wav',
      'DOORWood_Shed_ORV_TPA.wav',
      'goose.wav',
      'old jug 7.wav',
    ]);
    expect(await inFiles()).toEqual(
      expect.arrayContaining([
        'CERMShat_Jug_ORV_TPA.wav: CERMShat CERAMICS',
        'DOORWood_Shed_ORV_TPA.wav: DOORWood GATES',
      ]),
    );
    expect(await behind()).toMatchObject({ writes: 0, renames: 0 });

    const undone = await app.ended(await app.call('undoPlan', { params: { id: plan.id } }));
    expect(undone).toMatchObject({ state: 'done', done: 3, failed: 0 });
    expect({ files: await onDisk(), said: await inFiles() }).toEqual(before);
  });

  it('of records on no list are behind once somebody said which category they are of', async () => {
    const move = (moves: Record<string, string>) => app.send('moveCategories', { body: { moves } });
    expect((await move({ CERMBrkk: 'NOWHERE' })).body).toMatchObject({ code: 'CATEGORY_UNKNOWN' });
    // Taken from a page that was opened before somebody took another list.
    expect((await move({ CERMBrk: 'DOORWood' })).body).toMatchObject({ code: 'CONFLICT' });
    expect((await move({ CERMBrkk: 'CERMBrk' })).body).toMatchObject({ changed: 1 });
    expect(await behind()).toEqual({ unknown: [], more: 0, writes: 1, renames: 0 });
    expect(await itemsOf((await app.call('planAfterList')).id)).toEqual([
      ['write', 'planned', 'old jug 7.wav', 'CERMBrk'],
    ]);
    await app.call('undoLast', { body: {} });
    expect((await behind()).unknown).toHaveLength(1);
  });

  it('goes on where it was cut short', async () => {
    await adoptRelease();
    const plan = await app.call('planAfterList');
    // As a killed process leaves it: under way, and nothing done.
    await app.context.db.execute(
      sql`update journal set state = 'started', head_bytes = '', tail_bytes = '' where plan_id = ${plan.id} and after ->> 'does' = 'write'`,
    );
    await app.restart();
    const job = await app.ended(await app.call('runPlan', { params: { id: plan.id }, body: {} }));
    expect(job).toMatchObject({ state: 'done', failed: 0 });
    expect(await behind()).toMatchObject({ writes: 0, renames: 0 });
  });
});
