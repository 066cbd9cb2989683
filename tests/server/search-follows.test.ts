import { afterEach, beforeEach, expect, it } from '@jest/globals';
import { sql } from 'drizzle-orm';
import { TestApplication } from './test-application.ts';

/** What is found follows whatever happens to sounds. */
const GEESE = 'mill/geese.wav';
let app: TestApplication;

beforeEach(async () => {
  app = await TestApplication.open();
});
afterEach(() => app.close());

/** Reads and files a folder with made files, each another sound; returns its batch and its copies. */
async function filed(files: readonly string[]): Promise<{ batchId: number; copyIds: number[] }> {
  for (const [index, file] of files.entries()) await app.put(file, { seed: 100 + index });
  const { batchId } = await app.intake(files[0]?.split('/')[0]);
  await app.measured();
  await app.call('fileBatch', { params: { id: batchId } });
  const { rows } = await app.call('listBatchRows', { params: { id: batchId } });
  return { batchId, copyIds: rows.map(({ copyId }) => copyId) };
}
const TAKES = Array.from({ length: 24 }, (_, index) => `rush/take ${index}.wav`);

async function found(q: string): Promise<string[]> {
  const { rows } = await app.call('listCatalogue', { query: { q: `${q} `, sort: 'folder', limit: 50 } });
  return rows.map(({ folder, name }) => `${folder}/${name}`);
}

it('knows the state of a copy after each step: edited, written, undone, changed by others, gone and back', async () => {
  const { copyIds } = await filed([GEESE]);
  const selection = { kind: 'copies' as const, copyIds };
  const states = async (): Promise<Record<string, string[]>> =>
    Object.fromEntries(
      await Promise.all(
        ['behind', 'ahead', 'split', 'gone', 'instep'].map(
          async (state) => [state, (await found(`state:${state}`)).filter((file) => file === GEESE)] as const,
        ),
      ),
    );
  const only = (state: string) =>
    Object.fromEntries(
      ['behind', 'ahead', 'split', 'gone', 'instep'].map((each) => [each, each === state ? [GEESE] : []]),
    );
  expect(await states()).toEqual(only('instep'));
  const edited = await app.call('editRecords', { body: { selection, edit: { set: { fxName: 'Geese on the weir' } } } });
  expect(await states()).toEqual(only('behind'));
  await app.call('undoChange', { params: { id: edited.changeId ?? 0 } });
  expect(await states()).toEqual(only('instep'));
  await app.call('editRecords', { body: { selection, edit: { set: { fxName: 'Geese on the weir' } } } });
  const plan = await app.call('makePlan', { body: { kind: 'write', selection } });
  await app.ended(await app.call('runPlan', { params: { id: plan.id }, body: {} }));
  expect(await states()).toEqual(only('instep'));
  await app.put(GEESE, { seed: 100, tags: { info: { INAM: 'Ducks', ICMT: 'Written elsewhere' } } });
  await app.intake();
  expect(await states()).toEqual(only('ahead'));
  await app.call('editRecords', { body: { selection, edit: { set: { notes: 'Both sides of the lock' } } } });
  expect(await states()).toEqual(only('split'));
});

it('stays true while sounds are edited, written, read again and marked at the same time', async () => {
  const { batchId, copyIds } = await filed(TAKES);
  const selection = { kind: 'copies' as const, copyIds };
  const edit = (fxName: string) =>
    app.call('editRecords', { body: { selection, edit: { set: { fxName } } } }).then(({ changed }) => changed);
  await edit('Loom before');
  const plan = await app.call('makePlan', { body: { kind: 'write', selection } });
  const [written, , ...edits] = await Promise.all([
    app.call('runPlan', { params: { id: plan.id }, body: {} }).then((job) => app.ended(job)),
    app.call('markSounds', { body: { selection, rating: 3 } }),
    ...['Loom one', 'Loom two', 'Loom three'].map(edit),
    app.intake('rush'),
  ]);
  // What was edited before its turn came is left for another plan; nobody waited for somebody who waited for him.
  expect(JSON.stringify(written)).not.toContain('deadlock');
  expect(edits.slice(0, 3)).toEqual([24, 24, 24]);
  await app.intake('rush');
  await app.measured();
  await app.call('fileBatch', { params: { id: batchId } });
  expect(await found('fxname:loom rating:3')).toHaveLength(24);
});

it('counts no sound whose file has come to hold another one', async () => {
  await filed(TAKES);
  const query = { q: 'folder:rush ', limit: 50 };
  const before = await app.call('listCatalogue', { query });
  await app.put('rush/take 0.wav', { seed: 900 });
  const { batchId } = await app.intake('rush');
  const between = await app.call('listCatalogue', { query });
  expect([between.total, between.rows.length]).toEqual([before.rows.length - 1, before.rows.length - 1]);
  await app.call('fileBatch', { params: { id: batchId } });
  // Whatever else is noted of the sound of before, it stays so.
  await app.context.db.execute(sql`update sounds set added_by = added_by`);
  const after = await app.call('listCatalogue', { query });
  expect([after.total, after.rows.length]).toEqual([before.rows.length, before.rows.length]);
  const gone = before.rows.find(({ name }) => name === 'take 0.wav')?.soundId;
  expect(after.rows.map(({ soundId }) => soundId)).not.toContain(gone);
});
