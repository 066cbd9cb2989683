import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { TestApplication } from './test-application.ts';

const MILL = { 'geese.wav': 'Geese by the gate', 'truck.wav': 'Truck at the pottery' };
let app: TestApplication;

const names = async (query: Record<string, unknown>): Promise<string[]> =>
  (await app.call('listCatalogue', { query })).rows.map(({ name }) => name);

describe('the tree of folders', () => {
  const level = async (below = '', q = '') => {
    const { folders } = await app.call('listFolderLevel', { query: { below, q } });
    return folders.map(({ name, count, isParent }) => `${name} ${count}${isParent ? ' ▸' : ''}`);
  };
  let drive = '';

  beforeAll(async () => {
    app = await TestApplication.open();
    for (const [index, [name, words]] of Object.entries(MILL).entries())
      await app.put(`mill/${name}`, { seed: 20 + index, tags: { info: { INAM: words, ICMT: '' } } });
    // Names that begin alike, that are no words, that mean something to a pattern.
    for (const [index, folder] of ['mill-2/a', 'mill/race/deep', 'mill/race', '100% _new_'].entries())
      await app.put(`tree/${folder}/${index}.wav`, { seed: 40 + index });
    const { batchId } = await app.intake();
    await app.call('fileBatch', { params: { id: batchId } });
    drive = (await app.call('listDrives'))[0]?.name ?? '';
  });
  afterAll(() => app.close());

  it('begins with the drives, and has what lies directly in each', async () => {
    expect(await level()).toEqual([`${drive} 6 ▸`]);
    expect(await level(drive)).toEqual(['mill 2', 'tree 4 ▸']);
    expect(await level(`${drive}/tree`)).toEqual(['100% _new_ 1', 'mill 2 ▸', 'mill-2 1 ▸']);
    expect(await level(`${drive}/tree/mill`)).toEqual(['race 2 ▸']);
    expect(await level(`${drive}/tree/mill/race/deep`)).toEqual([]);
    expect(await level('no such drive')).toEqual([]);
  });

  it('counts what the rest of the line finds, whatever folder it names', async () => {
    expect(await level(drive, `gate in:"${drive}/tree" `)).toEqual(['mill 1']);
    expect(await level(drive, 'nothinghasthis ')).toEqual([]);
  });

  it('narrows the list by its terms, to a folder and what lies below it, not to one that begins alike', async () => {
    const { folders } = await app.call('listFolderLevel', { query: { below: `${drive}/tree` } });
    const found = await Promise.all(folders.map(({ term }) => names({ q: `${term} ` })));
    expect(found.map((each) => each.sort())).toEqual([['3.wav'], ['1.wav', '2.wav'], ['0.wav']]);
    expect(await names({ q: `in:"${drive}/tree/mill/race/deep"` })).toEqual(['1.wav']);
    expect(await names({ q: `in:"${drive}/mill/" geese ` })).toEqual(['geese.wav']);
    expect(await names({ q: `-in:"${drive}/tree" truck ` })).toEqual(['truck.wav']);
    expect(await names({ q: 'in:"no such drive/mill"' })).toEqual([]);
  });
});
