import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import type { ThreeWays } from '@flagstone/contract/contents';
import type { SoundRow } from '@flagstone/contract/record';
import { TestApplication } from './test-application.ts';

const FILE = 'mill/gate.wav';
const SAYS = { INAM: 'Lock gate', ICMT: 'Old wood', IKEY: 'gate, creak' };
let app: TestApplication;
let batchId = 0;

beforeEach(async () => {
  app = await TestApplication.open();
  await app.put(FILE, { seed: 1, tags: { info: SAYS } });
  ({ batchId } = await app.intake());
});
afterEach(() => app.close());

const row = async (): Promise<SoundRow> => (await app.call('listBatchRows', { params: { id: batchId } })).rows[0]!;
const edit = async (change: object, person = 1) => {
  const selection = { kind: 'copies' as const, copyIds: [(await row()).copyId] };
  return app.call('editRecords', { body: { selection, edit: change }, person });
};
/** What another program makes of the file. */
const elsewhere = async (info: object): Promise<void> => {
  await app.put(FILE, { seed: 1, tags: { info: { ...SAYS, ...info } } });
  await app.intake();
};
const ways = async (): Promise<ThreeWays> => app.call('getThreeWays', { params: { id: (await row()).copyId } });
const inShort = async () =>
  (await ways()).fields.map(({ field, base, record, file, standing }) => [field, standing, base, record, file]);

describe('a record and its file, against what both last agreed on', () => {
  it('say nothing of what is the same', async () => {
    expect((await row()).state).toBe('inStep');
    expect(await ways()).toMatchObject({ agreedRevision: 1, revision: 1, fields: [] });
  });

  it('tell what the record has since, by whom', async () => {
    await edit({ set: { fxName: 'Sluice' } });
    await edit({ set: { fxName: 'Sluice gate', library: 'Canal' } }, 2);
    expect((await row()).state).toBe('behind');
    const { fields, agreedRevision } = await ways();
    expect(agreedRevision).toBe(1);
    expect(fields).toMatchObject([
      { field: 'fxName', standing: 'record', base: 'Lock gate', record: 'Sluice gate', file: 'Lock gate' },
      { field: 'library', standing: 'record', base: '', record: 'Canal', file: '' },
    ]);
    expect(fields.map(({ changedBy }) => changedBy?.person)).toEqual(['Tobias Reed', 'Tobias Reed']);
  });

  it('tell what the file has since, which the record can take', async () => {
    await elsewhere({ ICMT: 'Old oak', IKEY: 'gate, creak, oak' });
    expect((await row()).state).toBe('ahead');
    const { fields } = await ways();
    expect(fields).toMatchObject([
      { field: 'description', standing: 'file', base: 'Old wood', file: 'Old oak', merged: 'Old oak', changedBy: null },
      { field: 'keywords', standing: 'file', file: ['gate', 'creak', 'oak'] },
    ]);
    await edit({ set: Object.fromEntries(fields.map(({ field, merged }) => [field, merged])) });
    expect((await row()).state).toBe('inStep');
    expect(await inShort()).toEqual([]);
  });

  it('tell of a file that is split who changed what, and merge keywords', async () => {
    await edit({ set: { fxName: 'Sluice gate', description: 'Wet wood', keywords: ['gate', 'wet'] } });
    await elsewhere({ ICMT: 'Old oak', IKEY: 'gate, creak, oak', IPRD: 'Canal' });
    expect((await row()).state).toBe('split');
    expect(await inShort()).toEqual([
      ['fxName', 'record', 'Lock gate', 'Sluice gate', 'Lock gate'],
      ['description', 'both', 'Old wood', 'Wet wood', 'Old oak'],
      ['keywords', 'both', ['gate', 'creak'], ['gate', 'wet'], ['gate', 'creak', 'oak']],
      ['library', 'file', '', '', 'Canal'],
    ]);
    const merged = (await ways()).fields.map(({ field, merged: value }) => [field, value]);
    expect(merged).toEqual([
      ['fxName', 'Sluice gate'],
      ['description', undefined],
      ['keywords', ['gate', 'wet', 'oak']],
      ['library', 'Canal'],
    ]);
    // Once it is written, both say the same again.
    await edit({ set: { description: 'Old oak', keywords: ['gate', 'wet', 'oak'], library: 'Canal' } });
    expect((await inShort()).map(([field]) => field)).toEqual(['fxName', 'keywords']);
    await app.planAndRun('write', batchId);
    expect((await row()).state).toBe('inStep');
    expect(await ways()).toMatchObject({ fields: [], agreedRevision: (await row()).revision });
  });

  it('count whoever says something where they never agreed', async () => {
    await app.put('mill/DOORWood_Door Slam_ORV_CLAY.wav', { seed: 2, tags: { info: { INAM: 'Another' } } });
    await app.intake();
    const { rows } = await app.call('listBatchRows', { params: { id: batchId }, query: { q: 'door ' } });
    const told = await app.call('getThreeWays', { params: { id: rows[0]?.copyId } });
    expect(told.agreedRevision).toBeNull();
    expect(told.fields.find(({ field }) => field === 'catId')).toMatchObject({ standing: 'record', file: '' });
    expect((await app.send('getThreeWays', { params: { id: 999_999 } })).status).toBe(404);
  });
});
