import { writeFile } from 'node:fs/promises';
import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import type { RecipeStep } from '@flagstone/core/recipes/recipe';
import { sql } from 'drizzle-orm';
import { TestApplication, toneBytes } from './test-application.ts';

let app: TestApplication;
let batchId = 0;
const KILN = { info: { INAM: 'Kiln door', ISFT: 'YardRecorder 3', IENG: 'Pim Arkwright', IGNR: 'Odd genre' } };
beforeEach(async () => {
  app = await TestApplication.open();
  await app.put('kiln.wav', { seed: 1, tags: KILN });
  await app.put('loom.wav', { seed: 2, tags: { info: { INAM: 'Loom', ISFT: 'Shed Deck 2', IKEY: 'weave; shed' } } });
  await app.put('goose.wav', { seed: 3 });
  ({ batchId } = await app.intake());
  await app.call('fileBatch', { params: { id: batchId } });
});
afterEach(() => app.close());

const found = async (q: string) => {
  const { rows } = await app.call('listCatalogue', { query: { q: `${q} ` } });
  return rows.map(({ name }) => name).sort();
};
const rowOf = async (name: string) => {
  const { rows } = await app.call('listCatalogue', { query: { q: `name:${name}` } });
  return rows[0]!;
};
const selection = () => ({ kind: 'catalogue' as const, filter: {} });
const proved = async () => {
  await app.measured();
  const driveId = (await app.call('listDrives'))[0]?.id;
  return app.ended(await app.call('startProof', { body: { driveId } }));
};

describe('what a file says', () => {
  it.each([
    ['infile:recorder', ['kiln.wav']],
    ['infile:YardRecorder', ['kiln.wav']],
    ['infile:ISFT', ['kiln.wav', 'loom.wav']],
    ['infile:"Pim Arkwright"', ['kiln.wav']],
    // Of two texts that follow each other no phrase is made.
    ['infile:"Arkwright Odd"', []],
    ['infile:="Shed Deck 2"', ['loom.wav']],
    ['infile:="Shed Deck"', []],
    ['infile:=shed', ['loom.wav']],
    // What a field holds is said by the file as well.
    ['infile:door', ['kiln.wav']],
    ['-infile:ISFT', ['goose.wav']],
    ['infile:recorder | infile:deck', ['kiln.wav', 'loom.wav']],
    // It is no word of the record.
    ['arkwright', []],
  ])('%s', async (q, files) => expect(await found(q)).toEqual(files));

  it('is told beside the record, and known anew when the file is written, changed outside, or proved', async () => {
    const { copyId } = await rowOf('kiln');
    const ways = await app.call('getThreeWays', { params: { id: copyId } });
    expect(ways.otherTexts).toEqual([
      { place: 'INFO IENG', text: 'Pim Arkwright' },
      { place: 'INFO IGNR', text: 'Odd genre' },
      { place: 'INFO ISFT', text: 'YardRecorder 3' },
    ]);
    // The record moves on: the file says what it said until it is written.
    await app.call('editRecords', { body: { selection: selection(), edit: { set: { fxName: 'Hatch' } } } });
    expect(await found('infile:hatch')).toEqual([]);
    expect(await found('infile:loom')).toEqual(['loom.wav']);
    await app.planAndRun('write', batchId);
    expect(await found('infile:hatch')).toEqual(['goose.wav', 'kiln.wav', 'loom.wav']);
    expect(await found('infile:loom')).toEqual([]);
    expect(await found('infile:arkwright')).toEqual(['kiln.wav']);

    await writeFile(path.join(app.drive, 'kiln.wav'), toneBytes(1, { info: { IENG: 'Wick Tolland' } }));
    await app.intake();
    expect(await found('infile:tolland')).toEqual(['kiln.wav']);
    expect(await found('infile:arkwright')).toEqual([]);
  });

  it('of files that were read before it was kept is known once they are proved', async () => {
    await app.context.db.execute(sql`update copies set other_texts = null`);
    await app.context.db.execute(sql`select flagstone_refresh_search(array(select id from sounds order by 1))`);
    expect(await found('infile:recorder')).toEqual([]);
    expect((await app.call('getThreeWays', { params: { id: (await rowOf('kiln')).copyId } })).otherTexts).toBeNull();
    await proved();
    expect(await found('infile:recorder')).toEqual(['kiln.wav']);
  });

  it('is found no more when the file is gone', async () => {
    await app.context.db.execute(sql`update copies set gone = true where name = 'kiln.wav'`);
    expect(await found('infile:recorder')).toEqual([]);
  });

  it('is a source of recipes: fields as the file has them, and places that no field takes', async () => {
    const places = await app.call('listFilePlaces', { body: { selection: selection() } });
    expect(places).toEqual(
      expect.arrayContaining([
        { place: 'INFO ISFT', files: 2, example: 'Shed Deck 2' },
        { place: 'INFO IENG', files: 1, example: 'Pim Arkwright' },
        { place: 'keywords', files: 1, example: 'weave, shed' },
      ]),
    );
    await app.call('editRecords', { body: { selection: selection(), edit: { set: { fxName: 'Hatch' } } } });
    const put = (to: 'microphone' | 'creator' | 'notes', place: string): RecipeStep => {
      return { do: 'put', to, from: 'inFile', place, level: 1, how: 'ifEmpty', between: '' };
    };
    const steps = [put('microphone', 'INFO ISFT'), put('creator', 'INFO IENG'), put('notes', 'fxName')];
    expect(await app.call('runRecipe', { body: { selection: selection(), steps } })).toMatchObject({ changed: 2 });
    expect((await rowOf('kiln')).record).toMatchObject({
      microphone: 'YardRecorder 3',
      creator: 'Pim Arkwright',
      notes: 'Kiln door',
    });
    expect((await rowOf('loom')).record).toMatchObject({ microphone: 'Shed Deck 2', creator: '', notes: 'Loom' });
    expect(
      (await app.send('runRecipe', { body: { selection: selection(), steps: [put('notes', '')] } })).body,
    ).toMatchObject({ code: 'RECIPE_INVALID' });
  });
});
