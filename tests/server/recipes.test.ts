import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { RecipeStep } from '@flagstone/core/recipes/recipe';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let batchId = 0;
const COUNT = 303;
beforeAll(async () => {
  app = await TestApplication.open();
  for (let at = 0; at < COUNT; at += 1)
    await app.put(`Potter Lane/Kiln/${String(at).padStart(4, '0')}_kiln door.wav`, {
      seed: 10_000 + at,
      tags: { info: { INAM: at % 3 === 0 ? `kiln_door ${at}` : `goose ${at}` } },
    });
  ({ batchId } = await app.intake());
}, 60_000);
afterAll(() => app.close());

const selection = () => ({ kind: 'batch', batchId });
const find = (find: string, by: string, more: object = {}): RecipeStep => {
  return { do: 'replace', fields: ['fxName'], find, by, how: 'plain', matchCase: false, ...more };
};
const rows = async () => (await app.call('listBatchRows', { params: { id: batchId }, query: { limit: 500 } })).rows;

describe('a recipe', () => {
  it('shows what it would change, page by page, and counts it; nothing is changed', async () => {
    const steps = [find('kiln_door', 'Kiln Door')];
    const first = await app.call('previewRecipe', { body: { selection: selection(), steps } });
    expect(first.rows).toHaveLength(100);
    expect(first.rows.flatMap(({ changes }) => changes)).toContainEqual({
      field: 'fxName',
      before: 'kiln_door 0',
      after: 'Kiln Door 0',
    });
    let { next } = first;
    let changed = first.rows.length;
    while (next) {
      const page = await app.call('previewRecipe', { body: { selection: selection(), steps, from: next } });
      changed += page.rows.length;
      ({ next } = page);
    }
    expect(changed).toBe(COUNT / 3);
    const counts = await app.call('countRecipe', { body: { selection: selection(), steps } });
    expect(counts).toEqual({ rows: COUNT, changed: COUNT / 3, problems: 0, notes: 0 });
    expect((await rows())[0]?.record.fxName).toBe('kiln_door 0');
  });

  it('runs as one change, numbering through, and is taken back as one', async () => {
    const steps: RecipeStep[] = [
      { do: 'put', to: 'fxName', from: 'folder', level: 1, how: 'replace', between: '' },
      { do: 'number', to: 'fxName', start: 1, digits: 3, between: ' ' },
      { do: 'nameToKeywords' },
    ];
    const result = await app.call('runRecipe', { body: { selection: selection(), steps, name: 'Kiln names' } });
    expect(result).toMatchObject({ changed: COUNT, summary: 'Recipe “Kiln names”' });
    const names = new Set<string>();
    let after: string | undefined;
    do {
      const query = { limit: 500, sort: 'fxName', ...(after === undefined ? {} : { after }) };
      const page = await app.call('listBatchRows', { params: { id: batchId }, query });
      for (const row of page.rows) names.add(row.record.fxName);
      after = page.next ?? undefined;
    } while (after !== undefined);
    expect(names.size).toBe(COUNT);
    expect([...names].sort().at(-1)).toBe(`Kiln ${COUNT}`);
    // Numbers follow the names, in whatever order the files were read.
    expect(
      (await rows()).every(
        ({ name, record }, at) =>
          name.startsWith(String(at).padStart(4, '0')) && record.fxName === `Kiln ${String(at + 1).padStart(3, '0')}`,
      ),
    ).toBe(true);
    const { revisions } = await app.call('getSound', { params: { id: (await rows())[0]?.soundId } });
    expect(revisions[0]).toMatchObject({ kind: 'recipe', summary: 'Recipe “Kiln names”', person: 'Orla Venn' });
    await app.call('undoLast');
    expect((await rows())[0]?.record).toMatchObject({ fxName: 'kiln_door 0', keywords: [] });
  });

  it('leaves rows as they are that would lose their FXName, and says so', async () => {
    const steps = [find('.*', '', { how: 'pattern' })];
    const counts = await app.call('countRecipe', { body: { selection: selection(), steps } });
    expect(counts).toEqual({ rows: COUNT, changed: 0, problems: COUNT, notes: 0 });
    const { rows: shown } = await app.call('previewRecipe', { body: { selection: selection(), steps } });
    expect(shown[0]?.problem).toBe('Nothing would be left of the FXName.');
    expect(await app.call('runRecipe', { body: { selection: selection(), steps } })).toMatchObject({ changed: 0 });
  });

  it('is refused when a step cannot run, and stopped when it takes too long; the server answers on', async () => {
    const wrong = await app.send('previewRecipe', {
      body: { selection: selection(), steps: [find('(', '', { how: 'pattern' })] },
    });
    expect([wrong.status, wrong.body]).toMatchObject([422, { code: 'RECIPE_INVALID' }]);
    const steps: RecipeStep[] = [
      { do: 'set', to: 'fxName', value: 'a'.repeat(60), how: 'replace', between: '' },
      find('^(a+)+$b', '', { how: 'pattern' }),
    ];
    const slow = app.send('runRecipe', { body: { selection: selection(), steps } });
    expect((await app.send('listPeople')).status).toBe(200);
    expect([(await slow).status, (await slow).body]).toMatchObject([422, { code: 'RECIPE_TOO_SLOW' }]);
    expect((await rows())[0]?.record.fxName).toBe('kiln_door 0');
  });

  it('is kept under its name, shared or not, and changed by whom it belongs to', async () => {
    const steps = [find('a', 'b')];
    await app.call('saveRecipe', { body: { name: 'Mine', steps, shared: false } });
    await app.call('saveRecipe', { body: { name: 'Ours', steps, shared: true } });
    const again = await app.call('saveRecipe', { body: { name: 'Mine', steps: [...steps, ...steps], shared: false } });
    expect(again.map(({ name, steps: kept }) => [name, kept.length])).toEqual([
      ['Mine', 2],
      ['Ours', 1],
    ]);
    const others = await app.call('listRecipes', { person: 2 });
    expect(others).toMatchObject([{ name: 'Ours', own: false, person: 'Orla Venn' }]);
    expect((await app.send('removeRecipe', { params: { id: others[0]?.id }, person: 2 })).status).toBe(404);
    expect(await app.call('removeRecipe', { params: { id: others[0]?.id } })).toHaveLength(1);
    expect((await app.send('saveRecipe', { body: { name: 'Empty', steps: [], shared: false } })).status).toBe(400);
  });

  it('reads names back and looks names up in their lists, telling what it put right', async () => {
    await app.put('Old names/cermbrk_Pot Falls_CLAY.wav', { seed: 77_001 });
    await app.put('Old names/CERMBrk _ Thunnder Jar_ORV_CLAY.wav', { seed: 77_002 });
    const { batchId: named } = await app.intake('Old names');
    const selection = { kind: 'batch', batchId: named };
    await app.call('saveAuthority', { body: { kind: 'library', name: 'Clay and Water', code: 'CLAY' } });
    await app.call('saveAuthority', { body: { kind: 'creator', name: 'Orla Venn', code: 'ORV' } });
    const steps: RecipeStep[] = [
      { do: 'readName', how: 'ifEmpty' },
      { do: 'lookUp', field: 'library' },
      { do: 'lookUp', field: 'creator' },
      { do: 'spell', fields: ['fxName'] },
    ];
    const { rows: shown } = await app.call('previewRecipe', { body: { selection, steps } });
    expect(shown.flatMap(({ notes }) => notes)).toEqual(
      expect.arrayContaining([
        'CatID “cermbrk” is written “CERMBrk”.',
        'A block is missing: “CLAY” is taken for the SourceID.',
        'Blanks around the separators “_” are left out.',
        'FXName: “thunnder” may be “thunder”.',
      ]),
    );
    expect(await app.call('runRecipe', { body: { selection, steps } })).toMatchObject({ changed: 2 });
    const { rows: now } = await app.call('listBatchRows', { params: { id: named } });
    expect(now.map(({ record }) => record)).toEqual(
      expect.arrayContaining([
        expect.objectContaining({
          catId: 'CERMBrk',
          subCategory: 'BREAK',
          fxName: 'Pot Falls',
          sourceId: 'CLAY',
          library: 'Clay and Water',
          creator: '',
        }),
        expect.objectContaining({ fxName: 'Thunnder Jar', creator: 'Orla Venn', creatorId: 'ORV' }),
      ]),
    );
  });
});
