import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let batchId = 0;
beforeEach(async () => {
  app = await TestApplication.open();
  const rule = (pattern: string, sets: object) => app.call('addPathRule', { body: { pattern, sets } });
  await rule('Canal Co/**', { library: 'Canal Company', publisher: 'Towpath' });
  await rule('*loom*', { creator: 'Orla Venn', publisher: 'Nobody' });
  await app.put('Canal Co/Weir/one loom.wav', { seed: 1 });
  await app.put('Canal Co/two.wav', { seed: 2, tags: { info: { IPRD: 'What the file says' } } });
  await app.put('other/three.wav', { seed: 3 });
  ({ batchId } = await app.intake());
});
afterEach(() => app.close());

const rows = async () =>
  new Map((await app.call('listBatchRows', { params: { id: batchId } })).rows.map((row) => [row.name, row]));
const recordOf = async (name: string) => (await rows()).get(name)?.record;

describe('path rules', () => {
  it('fill what is empty on arrival, the first that fits; the history says which', async () => {
    expect(await recordOf('one loom.wav')).toMatchObject({
      library: 'Canal Company',
      publisher: 'Towpath',
      creator: 'Orla Venn',
    });
    expect(await recordOf('two.wav')).toMatchObject({ library: 'What the file says', publisher: 'Towpath' });
    expect(await recordOf('three.wav')).toMatchObject({ library: '', publisher: '', creator: '' });
    const { revisions } = await app.call('getSound', { params: { id: (await rows()).get('one loom.wav')?.soundId } });
    expect(revisions.map(({ kind, summary, after }) => [kind, summary, Object.keys(after)])).toEqual([
      ['rule', 'Path rule “*loom*”', ['creator']],
      ['rule', 'Path rule “Canal Co/**”', ['library', 'publisher']],
    ]);
  });

  it('run again when asked, and can be undone', async () => {
    const list = await app.call('addPathRule', { body: { pattern: 'other', sets: { project: 'The Kiln' } } });
    const body = { selection: { kind: 'batch', batchId } };
    expect(await app.call('runPathRules', { body })).toEqual({ changed: 1 });
    expect((await recordOf('three.wav'))?.project).toBe('The Kiln');
    expect(await app.call('runPathRules', { body })).toEqual({ changed: 0 });
    await app.call('undoLast');
    expect((await recordOf('three.wav'))?.project).toBe('');
    // What several rules did in one go is taken back, and done again, in one go; the history keeps them apart.
    const both = await app.call('addPathRule', { body: { pattern: '*three*', sets: { location: 'Lock 7' } } });
    expect(await app.call('runPathRules', { body })).toEqual({ changed: 2 });
    const three = async () => {
      const { project, location } = (await recordOf('three.wav')) ?? {};
      return [project, location];
    };
    await app.call('undoLast');
    expect(await three()).toEqual(['', '']);
    await app.call('redoLast');
    expect(await three()).toEqual(['The Kiln', 'Lock 7']);
    await app.call('undoLast');
    expect(await three()).toEqual(['', '']);
    await app.call('removePathRule', { params: { id: both.at(-1)?.id } });
    expect(await app.call('removePathRule', { params: { id: list.at(-1)?.id } })).toHaveLength(2);
    expect((await app.send('addPathRule', { body: { pattern: 'x', sets: {} } })).status).toBe(400);
    expect((await app.send('addPathRule', { body: { pattern: 'x', sets: { rating: '5' } } })).status).toBe(400);
  });
});

describe('the recipe of a folder', () => {
  it('runs on what is new when the folder is read, and only on that', async () => {
    const steps = [{ do: 'put', to: 'fxName', from: 'fileName', level: 1, how: 'replace', between: '' }];
    const [recipe] = await app.call('saveRecipe', { body: { name: 'Clean names', steps, shared: true } });
    const [folder] = await app.call('listReadFolders');
    const update = (recipeId: number | null) =>
      app.send('updateReadFolder', { params: { id: folder?.id }, body: { recipeId } });
    expect((await update(999)).status).toBe(404);
    expect((await update(recipe?.id ?? 0)).status).toBe(200);
    const before = await recordOf('three.wav');
    await app.put('other/04_new_kiln_door.wav', { seed: 4, tags: { info: { INAM: 'x' } } });
    await app.intake();
    expect((await recordOf('04_new_kiln_door.wav'))?.fxName).toBe('New Kiln Door');
    expect(await recordOf('three.wav')).toEqual(before);
    const slow = [
      { do: 'set', to: 'fxName', value: 'a'.repeat(60), how: 'replace', between: '' },
      { do: 'replace', fields: ['fxName'], find: '^(a+)+$b', by: '', how: 'pattern', matchCase: false },
    ];
    await app.call('saveRecipe', { body: { name: 'Clean names', steps: slow, shared: true } });
    await app.put('other/05_late.wav', { seed: 5 });
    const { job } = await app.intake();
    expect(job).toMatchObject({ state: 'done', failures: [{ code: 'RECIPE_TOO_SLOW' }], result: { new: 1 } });
    await app.call('removeRecipe', { params: { id: recipe?.id } });
    expect((await app.call('listReadFolders'))[0]?.recipeId).toBeNull();
  });
});

describe('authority lists', () => {
  it('are gathered from the records, with the most frequent code, and counted', async () => {
    const selection = { kind: 'batch', batchId };
    await app.call('editRecords', { body: { selection, edit: { set: { creator: 'Orla Venn', creatorId: 'ORV' } } } });
    const [first] = [...(await rows()).values()];
    const copyIds = [first?.copyId];
    await app.call('editRecords', {
      body: { selection: { kind: 'copies', copyIds }, edit: { set: { creator: 'orla venn', creatorId: '' } } },
    });
    const lists = await app.call('gatherAuthorities');
    expect(lists.filter(({ kind }) => kind === 'creator')).toMatchObject([{ name: 'Orla Venn', code: 'ORV', uses: 3 }]);
    expect(lists.filter(({ kind }) => kind === 'publisher').map(({ name }) => name)).toEqual(['Towpath']);
    // Gathering again changes nothing.
    expect(await app.call('gatherAuthorities')).toEqual(lists);
  });

  it('merge two names: all records follow, as one change', async () => {
    const save = (name: string, code: string) => app.call('saveAuthority', { body: { kind: 'library', name, code } });
    await app.call('gatherAuthorities');
    await save('Canal Company', '');
    const lists = await save('Canal and Clay', 'CLAY');
    const idOf = (name: string) => lists.find((each) => each.name === name)?.id;
    const merge = (id?: number, intoId?: number) => app.send('mergeAuthority', { params: { id }, body: { intoId } });
    expect((await merge(idOf('Towpath'), idOf('Canal and Clay'))).status).toBe(400);
    expect((await merge(idOf('Canal Company'), idOf('Canal and Clay'))).body).toMatchObject({ changed: 1 });
    expect(await recordOf('one loom.wav')).toMatchObject({ library: 'Canal and Clay', sourceId: 'CLAY' });
    await app.call('undoLast');
    expect(await recordOf('one loom.wav')).toMatchObject({ library: 'Canal Company', sourceId: '' });
    expect((await app.send('removeAuthority', { params: { id: 9999 } })).status).toBe(404);
  });
});
