import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import type { SoundRow } from '@flagstone/contract/record';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let rows: SoundRow[] = [];
let batchId = 0;
beforeEach(async () => {
  app = await TestApplication.open();
  const names = [
    'xqa/plonker one',
    'xqa/plonker two',
    'xqa/plonker three',
    'xqa/zibble',
    'vzb/plonker four',
    'vzb/door creak',
  ];
  for (const [at, name] of names.entries()) await app.put(`${name}.wav`, { seed: at + 1 });
  ({ batchId } = await app.intake());
  ({ rows } = await app.call('listBatchRows', { params: { id: batchId } }));
});
afterEach(() => app.close());

const idOf = (name: string): number => rows.find((row) => row.name === `${name}.wav`)?.copyId ?? 0;
const decide = (catId: string, ...names: string[]) =>
  app.call('editRecords', {
    body: { selection: { kind: 'copies', copyIds: names.map(idOf) }, edit: { set: { catId } } },
  });
const best = async (name: string) =>
  (await app.call('suggest', { body: { copyIds: [idOf(name)] } }))[0]?.suggestions[0];
const learned = async () => (await app.call('listLearned', { params: { id: 1 } })).entries;

describe('suggestions learn from decisions', () => {
  it('of words and of folders, and say so', async () => {
    expect(await best('plonker four')).toBeUndefined();
    await decide('CERMBrk', 'plonker one', 'plonker two');
    expect(await best('plonker four')).toMatchObject({
      catId: 'CERMBrk',
      because: ['2 of 2 decisions on “plonker…”'],
    });
    expect(await best('zibble')).toMatchObject({ catId: 'CERMBrk', because: ['2 of 2 decisions in this folder'] });
    expect((await best('door creak'))?.catId).toBe('DOORCreak');
  });

  it('follow a correction, and forget what was taken back', async () => {
    await decide('CERMBrk', 'plonker one', 'plonker two');
    const before = await learned();
    await decide('WOODHndl', 'plonker one');
    const words = (await learned()).filter(({ word }) => word === 'plonker');
    expect(words).toEqual([
      { word: 'plonker', catId: 'CERMBrk', times: 1 },
      { word: 'plonker', catId: 'WOODHndl', times: 1 },
    ]);
    await app.call('undoLast');
    expect(await learned()).toEqual(before);
    await app.call('redoLast');
    expect((await learned()).filter(({ word }) => word === 'plonker')).toEqual(words);
    await app.call('undoLast');
  });

  it('do not learn from what they filled in themselves, nor lose by its undoing', async () => {
    await decide('CERMBrk', 'plonker one', 'plonker two');
    const before = await learned();
    await app.call('acceptSuggestions', { body: { selection: { kind: 'batch', batchId }, minimumScore: 0 } });
    expect(await learned()).toEqual(before);
    await app.call('undoLast');
    expect(await learned()).toEqual(before);
  });

  it('can be made to forget a word, or all', async () => {
    await decide('CERMBrk', 'plonker one', 'plonker two');
    await app.call('forgetLearned', { params: { id: 1 }, body: { word: 'plonker' } });
    expect((await learned()).some(({ word }) => word === 'plonker')).toBe(false);
    expect((await learned()).length).toBeGreaterThan(0);
    await app.call('forgetLearned', { params: { id: 1 }, body: {} });
    expect(await app.call('listLearned', { params: { id: 1 } })).toEqual({ total: 0, entries: [] });
    expect(await best('plonker four')).toBeUndefined();
    expect((await app.send('forgetLearned', { params: { id: 99 }, body: {} })).status).toBe(404);
  });
});
