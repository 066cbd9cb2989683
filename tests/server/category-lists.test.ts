import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { builtInCategoryList } from '@flagstone/core/ucs/category-list';
import type { SoundRow } from '@flagstone/contract/record';
import ExcelJS from 'exceljs';
import { csvOf, listFile, releaseRows } from './category-release.ts';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let batchId = 0;
beforeEach(async () => {
  app = await TestApplication.open();
  for (const [at, name] of ['pot', 'door', 'rain', 'goose'].entries())
    await app.put(`Lane/${name}.wav`, { seed: 300 + at });
  ({ batchId } = await app.intake());
  const { rows } = await app.call('listBatchRows', { params: { id: batchId } });
  const catIds: Record<string, string> = { pot: 'CERMBrk', door: 'DOORWood', rain: 'RAINClth', goose: 'BIRDWtr' };
  for (const { copyId, name } of rows) {
    const catId = catIds[name.replace('.wav', '')] as string;
    await app.call('editRecords', {
      body: {
        selection: { kind: 'copies', copyIds: [copyId] },
        edit: { set: { catId: builtInCategoryList().find(catId)?.catId ?? 'RAIN' } },
      },
    });
  }
});
afterEach(() => app.close());

/** The list without the category of the rain, and with one that is new. */
function release(): string[][] {
  return [
    ['The list, release 9'],
    ...releaseRows(rainId),
    ['KILNS', 'ROAR', 'KILNRoar', 'KILN', 'A kiln at work.', 'kiln, roar'],
  ];
}
let rainId = '';
const recordsByName = async () => {
  const { rows } = await app.call('listBatchRows', { params: { id: batchId } });
  return Object.fromEntries(rows.map(({ name, record }: SoundRow) => [name.replace('.wav', ''), record]));
};

describe('another release of the category list', () => {
  beforeEach(async () => {
    rainId = (await recordsByName())['rain']?.catId ?? '';
  });

  it('is compared with the one in force, from CSV, TSV and XLSX alike, and nothing is changed', async () => {
    const workbook = new ExcelJS.Workbook();
    workbook.addWorksheet('Read me').addRow(['Nothing here']);
    workbook.addWorksheet('List').addRows(release());
    const files = [
      listFile('Release 9.csv', csvOf(release())),
      listFile(
        'Release 9.tsv',
        release()
          .map((row) => row.join('\t'))
          .join('\n'),
      ),
      listFile('Release 9.xlsx', new Uint8Array(await workbook.xlsx.writeBuffer())),
    ];
    for (const list of files) {
      const comparison = await app.call('compareCategoryList', { body: { list } });
      expect(comparison.source).toBe('Release 9');
      expect(comparison.added.map(({ catId }) => catId)).toEqual(['KILNRoar']);
      expect(comparison.renamed.map(({ from, to, records }) => [from.catId, to.catId, to.category, records])).toEqual(
        expect.arrayContaining([
          ['CERMBrk', 'CERMShat', 'CERAMICS', 1],
          ['DOORWood', 'DOORWood', 'GATES', 1],
        ]),
      );
      expect(comparison.removed).toMatchObject([{ from: { catId: rainId }, records: 1 }]);
      expect(comparison.removed[0]?.likely).not.toBeNull();
    }
    expect((await app.call('listCategories')).source).toBe(builtInCategoryList().source);
  });

  it.each([
    ['list.csv', 'a,b,c\n1,2,3', 'no column'],
    ['list.xlsx', 'no sheet at all', 'cannot be read'],
    ['list.pdf', 'x', 'no CSV, TSV or XLSX'],
    ['list.csv', 'Category,SubCategory,CatID,CatShort\n', 'holds no category'],
    ['list.csv', 'Category,SubCategory,CatID,CatShort\nA,B,C C,D\n', 'row 2'],
    ['list.csv', 'Category,SubCategory,CatID,CatShort\nA,B,CC,D\nA,B,cc,D\n', 'row 3 stands twice'],
  ])('says what is wrong with %s: %s', async (fileName, text, message) => {
    const answer = await app.send('compareCategoryList', { body: { list: listFile(fileName, text) } });
    expect(answer.status).toBe(422);
    expect(answer.body).toMatchObject({ code: 'LIST_INVALID' });
    expect((answer.body as { message: string }).message).toContain(message);
  });

  it('moves the records over as one change, counts everywhere and after a restart, and goes back', async () => {
    const list = listFile('Release 9.csv', csvOf(release()));
    const adopt = (moves: Record<string, string>) =>
      app.send('adoptCategoryList', { body: { list, source: 'Release 9, spring', moves } });
    expect((await adopt({ [rainId]: 'NOWHERE' })).body).toMatchObject({ code: 'CATEGORY_UNKNOWN' });
    expect((await adopt({ [rainId]: 'KILNRoar' })).body).toMatchObject({ changed: 3 });
    expect(await recordsByName()).toMatchObject({
      pot: { catId: 'CERMShat', category: 'CERAMICS', subCategory: 'BREAK' },
      door: { catId: 'DOORWood', category: 'GATES' },
      rain: { catId: 'KILNRoar', category: 'KILNS' },
    });
    await app.restart();
    expect((await app.call('listCategories')).source).toBe('Release 9, spring');
    const edit = { set: { catId: 'CERMBrk' } };
    expect(
      (await app.send('editRecords', { body: { selection: { kind: 'batch', batchId }, edit } })).body,
    ).toMatchObject({
      code: 'CATEGORY_UNKNOWN',
    });
    // Recipes run in threads of their own, which know the list too.
    const steps = [{ do: 'readName', how: 'replace' }];
    await app.put('Names/KILNRoar_Roar_ORV_CLAY.wav', { seed: 399 });
    const { batchId: named } = await app.intake('Names');
    const run = await app.call('countRecipe', { body: { selection: { kind: 'batch', batchId: named }, steps } });
    expect(run).toMatchObject({ rows: 1, problems: 0 });
    expect((await app.call('countCategoryUses')).map(({ catId }) => catId)).toContain('KILNRoar');

    const lists = await app.call('listCategoryLists');
    expect(lists.map(({ source, inForce }) => [source, inForce])).toEqual([
      ['Release 9, spring', true],
      [builtInCategoryList().source, false],
    ]);
    const back = { list: { id: 0 }, source: 'built in', moves: {} };
    await app.call('adoptCategoryList', { body: back });
    expect((await recordsByName())['pot']).toMatchObject({ catId: 'CERMBrk' });
    // A category that the list does not have any more is told where it is used.
    const { rows } = await app.call('listBatchRows', { params: { id: batchId } });
    const planned = await app.call('makePlan', { body: { kind: 'rename', selection: { kind: 'batch', batchId } } });
    const { items } = await app.call('listPlanItems', { params: { id: planned.id } });
    const rain = rows.find(({ name }) => name === 'rain.wav');
    expect(items.find(({ copyId }) => copyId === rain?.copyId)?.problems.map(({ code }) => code)).toContain(
      'CATID_UNKNOWN',
    );
  });
});
