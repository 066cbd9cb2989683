import { rename, unlink, utimes } from 'node:fs/promises';
import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { folderStamps } from '@flagstone/server/db/schema';
import { TestApplication, toneBytes } from './test-application.ts';

let app: TestApplication;
let batchId = 0;
beforeEach(async () => {
  app = await TestApplication.open();
  for (const [at, name] of ['geese/one.wav', 'geese/two.wav', 'looms/three.wav', 'looms/deep/four.wav'].entries())
    await app.put(name, { seed: at + 1 });
  ({ batchId } = await app.intake());
});
afterEach(() => app.close());

const known = async () =>
  (await app.context.db.select().from(folderStamps)).map(({ folder, files }) => `${folder}: ${files}`).sort();
const scan = async () => (await app.intake()).job.result;
const foundIn = async (found: string) =>
  (await app.call('listBatchRows', { params: { id: batchId }, query: { found } })).rows.map((row) => row.name).sort();
const ALL = [': 0', 'geese: 2', 'looms/deep: 1', 'looms: 1'];

describe('folders in which nothing changed', () => {
  it('are known by their stamps, passed over, and noted as the same', async () => {
    expect(await known()).toEqual(ALL);
    expect(await foundIn('new')).toHaveLength(4);
    expect(await scan()).toMatchObject({ same: 4, new: 0, gone: 0 });
    expect(await foundIn('same')).toEqual(['four.wav', 'one.wav', 'three.wav', 'two.wav']);
  });

  it('are looked at again when a file in them is new, changed with the same size, or gone', async () => {
    await app.put('geese/five.wav', { seed: 5 });
    await app.put('looms/three.wav', { seed: 3, bytes: toneBytes(77) });
    await unlink(path.join(app.drive, 'looms/deep/four.wav'));
    expect(await scan()).toMatchObject({ same: 2, new: 1, changedOutside: 1, gone: 1 });
    expect(await known()).toEqual([': 0', 'geese: 3', 'looms/deep: 0', 'looms: 1']);
    await app.put('looms/deep/four.wav', { seed: 4 });
    expect(await scan()).toMatchObject({ gone: 0, same: 4 });
    const later = new Date(Date.now() + 60_000);
    await utimes(path.join(app.drive, 'looms/deep/four.wav'), later, later);
    expect(await scan()).toMatchObject({ changedOutside: 1, same: 4 });
    expect(await scan()).toMatchObject({ changedOutside: 0, same: 5 });
  });

  it('lose their stamp when Flagstone itself changes a file in them, and get it back', async () => {
    const { rows } = await app.call('listBatchRows', { params: { id: batchId } });
    const selection = {
      kind: 'copies',
      copyIds: rows.filter((row) => row.folder === 'geese').map((row) => row.copyId),
    };
    const set = { catId: 'BIRDFowl', fxName: 'Geese', creatorId: 'ORV', sourceId: 'CLAY' };
    await app.call('editRecords', { body: { selection, edit: { set } } });
    const plan = await app.call('makePlan', { body: { kind: 'rename', selection } });
    await app.ended(await app.call('runPlan', { params: { id: plan.id }, body: {} }));
    expect(await known()).not.toContain('geese: 2');
    expect(await scan()).toMatchObject({ same: 4, new: 0, moved: 0, gone: 0 });
    expect(await known()).toContain('geese: 2');
  });

  it('are tried at each scan while a file in them cannot be read, and when the exclusions change', async () => {
    await app.put('looms/torn.wav', { bytes: new Uint8Array(50) });
    expect(await scan()).toMatchObject({ unreadable: 1, same: 4 });
    expect(await scan()).toMatchObject({ unreadable: 1, same: 4 });
    const [folder] = await app.call('listReadFolders');
    const exclude = (patterns: string[]) =>
      app.call('updateReadFolder', { params: { id: folder?.id }, body: { exclude: patterns } });
    await exclude(['torn.wav', 'geese']);
    expect(await scan()).toMatchObject({ unreadable: 0, same: 2, gone: 0 });
    await exclude([]);
    expect(await scan()).toMatchObject({ unreadable: 1, same: 4, gone: 0 });
  });

  it('that moved as a whole are found where they are now', async () => {
    await rename(path.join(app.drive, 'geese'), path.join(app.drive, 'birds'));
    expect(await scan()).toMatchObject({ moved: 2, gone: 0 });
    expect(await scan()).toMatchObject({ moved: 0, gone: 0, same: 4 });
    expect(await known()).toContain('birds: 2');
  });
});
