import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let batchId = 0;
let copyIds: number[] = [];
let soundIds: number[] = [];
beforeEach(async () => {
  app = await TestApplication.open();
  for (const [seed, name] of ['lock gate', 'kiln door', 'loom'].entries()) await app.put(`mill/${name}.wav`, { seed });
  batchId = (await app.intake('mill')).batchId;
  await app.measured();
  const { rows } = await rowsOf();
  copyIds = rows.map((row) => row.copyId);
  soundIds = rows.map((row) => row.soundId);
});
afterEach(() => app.close());

const rowsOf = () => app.call('listBatchRows', { params: { id: batchId } });
const selection = () => ({ kind: 'copies' as const, copyIds });
const set = (fields: Record<string, unknown>, person = 1, of = copyIds) =>
  app.call('editRecords', {
    body: { selection: { kind: 'copies', copyIds: of }, edit: { set: fields } },
    person,
  });
const undo = (person = 1) => app.call('undoLast', { person });
const rate = (rating: number | null) => app.call('markSounds', { body: { selection: selection(), rating } });
const ratings = async () => (await rowsOf()).rows.map(({ marks }) => marks[0]?.rating ?? null);

describe('taking back what a person did last', () => {
  beforeEach(() => set({ location: 'Weir' }));

  it('takes back a rating, not the change of records before it', async () => {
    await rate(2);
    await rate(5);
    expect(await undo()).toMatchObject({ summary: 'Undo: Rated 5 of 5 (3)', job: null });
    expect(await ratings()).toEqual([2, 2, 2]);
    await app.call('redoLast');
    expect(await ratings()).toEqual([5, 5, 5]);
    await undo();
    await undo();
    expect(await ratings()).toEqual([null, null, null]);
    expect((await rowsOf()).rows.every(({ record }) => record.location === 'Weir')).toBe(true);
    await undo();
    expect((await rowsOf()).rows.every(({ record }) => record.location === '')).toBe(true);
  });

  it('notes nothing of a mark that changed nothing', async () => {
    await app.call('markSounds', { body: { selection: selection(), removeTags: ['never given'] } });
    expect(await undo()).toMatchObject({ summary: 'Undo: Location (3)' });
  });

  it('takes back what was done to pull lists, with all that stood in them', async () => {
    const [list] = await app.call('makePullList', { body: { name: 'Scene 12', show: 'The Mill', scene: '12' } });
    const id = list?.id ?? 0;
    const entries = () => app.call('listPullEntries', { params: { id } });
    await app.call('addPullSounds', { params: { id }, body: { selection: selection() } });
    const [first, second] = await entries();
    await app.call('updatePullEntry', { params: { id: first?.id ?? 0 }, body: { comment: 'softer' } });
    await app.call('removePullEntries', { params: { id }, body: { entryIds: [second?.id ?? 0] } });
    await app.call('removePullList', { params: { id } });
    expect(await app.call('listPullLists')).toEqual([]);
    await undo();
    expect((await entries()).map(({ comment }) => comment)).toEqual(['softer', '']);
    await undo();
    expect(await entries()).toHaveLength(3);
    await undo();
    expect((await entries()).map(({ comment }) => comment)).toEqual(['', '', '']);
    await undo();
    expect(await entries()).toEqual([]);
    await undo();
    expect(await app.call('listPullLists')).toEqual([]);
    await undo();
    expect((await rowsOf()).rows.every(({ record }) => record.location === '')).toBe(true);
  });

  it('leaves an entry that a colleague changed since, and a list that is theirs too by now', async () => {
    const [list] = await app.call('makePullList', { body: { name: 'Scene 13' } });
    const id = list?.id ?? 0;
    const [entry] = await app.call('addPullEntry', {
      params: { id },
      body: { soundId: soundIds[0], part: null, tryOut: null, comment: '' },
    });
    await app.call('updatePullEntry', { params: { id: entry?.id ?? 0 }, body: { comment: 'mine' }, person: 2 });
    expect((await app.send('undoLast')).body).toMatchObject({ code: 'NOT_UNDOABLE' });
    const [kept] = await app.call('listPullEntries', { params: { id } });
    expect(kept?.comment).toBe('mine');
    await undo(2);
    expect((await undo()).summary).toMatch(/^Undo: Pulled onto/);
    await undo();
    expect(await app.call('listPullLists')).toEqual([]);
  });

  it('takes back filing, of what was filed then alone', async () => {
    const before = (await app.call('listCatalogue', {})).total;
    await app.call('fileBatch', { params: { id: batchId } });
    expect((await app.call('listCatalogue', {})).total).toBe(3);
    expect((await undo()).summary).toMatch(/^Undo: Filed/);
    expect((await app.call('listCatalogue', {})).total).toBe(before);
    expect((await app.call('getBatch', { params: { id: batchId } })).filedAt).toBeNull();
    await undo();
  });

  it('says what it would do to files before it does it, and does it for that plan alone', async () => {
    await set({ catId: 'DOORCreak', creatorId: 'ORV', sourceId: 'MILL' });
    for (const [at, fxName] of ['Gate', 'Door', 'Loom'].entries()) await set({ fxName }, 1, [copyIds[at] ?? 0]);
    const { planId } = await app.planAndRun('rename', batchId);
    const named = (await rowsOf()).rows.map(({ name }) => name);
    const asked = await undo();
    expect(asked).toMatchObject({ job: null, asks: { planId, title: 'Rename 3 files back' } });
    expect((await rowsOf()).rows.map(({ name }) => name)).toEqual(named);
    await rate(3);
    expect((await app.send('undoLast', { body: { planId } })).body).toMatchObject({ code: 'CONFLICT' });
    expect(await undo()).toMatchObject({ summary: 'Undo: Rated 3 of 5 (3)' });
    const { job } = await app.call('undoLast', { body: { planId } });
    if (job) await app.ended(job);
    expect((await rowsOf()).rows.map(({ name }) => name)).not.toEqual(named);
  });
});

describe('taking back a change that others changed since', () => {
  it('keeps what they decided, be it the same once more, and says of how many', async () => {
    await set({ location: 'Before' });
    await set({ location: 'Basin' });
    const [first = 0, second = 0] = copyIds;
    await set({ location: 'Quay' }, 2, [first]);
    // Away from it and back: the same value, decided by somebody else.
    await set({ location: 'Tow path' }, 2, [second]);
    await set({ location: 'Basin' }, 2, [second]);
    expect(await undo()).toMatchObject({
      summary: 'Undo: Location (1); 2 kept what was changed since: Location of 2 (Tobias Reed)',
    });
    expect((await rowsOf()).rows.map(({ copyId, record }) => [copyId, record.location])).toEqual(
      expect.arrayContaining([
        [first, 'Quay'],
        [second, 'Basin'],
        [copyIds[2], 'Before'],
      ]),
    );
  });

  it('counts a decision that was taken back itself for nothing', async () => {
    await set({ project: 'Before' });
    await set({ project: 'The Mill' });
    await set({ project: 'Another' }, 2);
    await undo(2);
    expect(await undo()).toMatchObject({ summary: 'Undo: Project (3)' });
    expect((await rowsOf()).rows.every(({ record }) => record.project === 'Before')).toBe(true);
  });
});
