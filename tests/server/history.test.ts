import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { RecordEdit } from '@flagstone/core/record/edit';
import type { SoundRow } from '@flagstone/contract/record';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let batchId = 0;
let rows: SoundRow[] = [];
beforeAll(async () => {
  app = await TestApplication.open();
  for (const [at, name] of ['kiln', 'goose', 'weir', 'loom'].entries())
    await app.put(`Lane/${name}.wav`, { seed: 100 + at, tags: { info: { INAM: `Raw ${name}` } } });
  ({ batchId } = await app.intake());
  ({ rows } = await app.call('listBatchRows', { params: { id: batchId } }));
});
afterAll(() => app.close());

const edit = (copyIds: number[], change: RecordEdit, person = 1) =>
  app.call('editRecords', { body: { selection: { kind: 'copies', copyIds }, edit: change }, person });
const soundOf = async (id = rows[0]?.soundId) => app.call('getSound', { params: { id } });

describe('the history of a record', () => {
  it('gives back any state that it was in, as a change of its own that can be undone', async () => {
    const [row] = rows as [SoundRow];
    await edit([row.copyId], { set: { catId: 'CERMBrk', fxName: 'Pot Falls' }, addKeywords: ['pot'] });
    await edit([row.copyId], { set: { fxName: 'Jar Falls', notes: 'close' } }, 2);
    await edit([row.copyId], { set: { catId: 'DOORWood' }, removeKeywords: ['pot'] });

    const back = await app.call('goBack', { params: { id: row.soundId }, body: { revision: 2 }, person: 2 });
    expect(back).toMatchObject({ changed: 1, summary: 'Back to revision 2' });
    const { row: now, revisions } = await soundOf();
    expect(now.record).toMatchObject({
      catId: 'CERMBrk',
      subCategory: 'BREAK',
      fxName: 'Pot Falls',
      notes: '',
      keywords: ['pot'],
    });
    expect(revisions.map(({ revision, person }) => [revision, person])).toEqual([
      [5, 'Tobias Reed'],
      [4, 'Orla Venn'],
      [3, 'Tobias Reed'],
      [2, 'Orla Venn'],
    ]);
    expect(revisions[0]).toMatchObject({
      before: { fxName: 'Jar Falls', keywords: [] },
      after: { fxName: 'Pot Falls', keywords: ['pot'] },
    });

    await app.call('goBack', { params: { id: row.soundId }, body: { revision: 1 } });
    expect((await soundOf()).row.record).toMatchObject({
      catId: '',
      category: '',
      fxName: row.record.fxName,
      keywords: [],
    });
    await app.call('undoLast');
    expect((await soundOf()).row.record).toMatchObject({ catId: 'CERMBrk', fxName: 'Pot Falls' });
  });

  it('says so when there is no such revision, or nothing to go back from', async () => {
    const { row } = await soundOf();
    const send = (revision: unknown) => app.send('goBack', { params: { id: row.soundId }, body: { revision } });
    expect((await send(row.revision)).body).toMatchObject({ code: 'NOT_UNDOABLE' });
    expect((await send(row.revision + 1)).body).toMatchObject({ code: 'NOT_FOUND' });
    expect((await send(0)).status).toBe(400);
    expect((await app.send('goBack', { params: { id: 99_999 }, body: { revision: 1 } })).status).toBe(404);
  });
});

describe('what many sounds say in their fields', () => {
  it('is counted over all of them, keywords each by itself', async () => {
    const [, goose, weir, loom] = rows as [SoundRow, SoundRow, SoundRow, SoundRow];
    await edit([goose.copyId, weir.copyId, loom.copyId], {
      set: { library: 'Canal', weight: 3 },
      addKeywords: ['water'],
    });
    await edit([loom.copyId], { set: { library: 'Mill', creator: 'Ida Marsh' }, addKeywords: ['wood'] });
    const copyIds = [goose.copyId, weir.copyId, loom.copyId];
    const { sounds, fields } = await app.call('countValues', { body: { selection: { kind: 'copies', copyIds } } });
    expect(sounds).toBe(3);
    expect(fields).toMatchObject({
      library: {
        distinct: 2,
        values: [
          { value: 'Canal', times: 2 },
          { value: 'Mill', times: 1 },
        ],
      },
      creator: { distinct: 1, values: [{ value: 'Ida Marsh', times: 1 }] },
      weight: { distinct: 1, values: [{ value: '3', times: 3 }] },
      keywords: {
        distinct: 2,
        values: [
          { value: 'water', times: 3 },
          { value: 'wood', times: 1 },
        ],
      },
    });
    expect(fields.notes).toBeUndefined();
    const all = await app.call('countValues', { body: { selection: { kind: 'batch', batchId } } });
    expect(all.sounds).toBe(4);
    expect(all.fields.fxName?.distinct).toBe(4);
  });
});
