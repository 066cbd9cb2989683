import { execFileSync } from 'node:child_process';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { SHEET_PARTS } from '@flagstone/contract/sheet-parts';
import type { SoundRow } from '@flagstone/contract/record';
import type { Sheet } from '@flagstone/contract/sheets';
import { applySheet, beginApplying } from '@flagstone/server/sheets/apply-sheet';
import { signedInAs } from '../signed-in.ts';
import { handmadeSheet } from '../handmade-sheet.ts';
import { comparedSheet, madeSheet, receivedSheet } from './sheet-exchange.ts';
import { TestApplication } from './test-application.ts';

/** Two houses that hold the same recordings under other names, each with marks, lists, words and a history of its own. */
let pottery: TestApplication;
let mill: TestApplication;

beforeEach(async () => {
  [pottery, mill] = [await TestApplication.open(), await TestApplication.open()];
  for (const seed of [1, 2, 3]) {
    const tags = { info: { INAM: `Gate ${seed}`, ICMT: 'Old wood' } };
    await pottery.put(`Gates/gate ${seed}.wav`, { seed, tags });
    if (seed < 3) await mill.put(`bought/HS_${seed}.wav`, { seed, tags });
  }
  await mill.put('own/own 4.wav', { seed: 4 });
  for (const app of [pottery, mill]) {
    const { batchId } = await app.intake();
    await app.call('fileBatch', { params: { id: batchId } });
    await app.measured();
  }
  await pottery.call('nameHouse', { body: { name: 'Clay and Canal' } });
  await mill.call('nameHouse', { body: { name: 'Weir Mill' } });
});
afterEach(async () => {
  await pottery.close();
  await mill.close();
});

const rowOf = async (app: TestApplication, seed: number): Promise<SoundRow> => {
  const { rows } = await app.call('listCatalogue', { query: { sort: 'name' } });
  const row = rows.find(({ name }) => name.includes(`${seed}.`));
  if (!row) throw new Error(`no sound ${seed}`);
  return row;
};
const selected = async (app: TestApplication, seed: number) => ({
  kind: 'copies',
  copyIds: [(await rowOf(app, seed)).copyId],
});
const edit = async (app: TestApplication, seed: number, set: object, person = 1) =>
  app.call('editRecords', { body: { selection: await selected(app, seed), edit: { set } }, person });
const mark = async (app: TestApplication, seed: number, what: object, person = 1) =>
  app.call('markSounds', { body: { selection: await selected(app, seed), ...what }, person });
const listOf = async (app: TestApplication, name: string) =>
  (await app.call('listPullLists')).find((list) => list.name === name);
async function makeList(app: TestApplication, name: string, ...seeds: number[]): Promise<number> {
  await app.call('makePullList', { body: { name, show: 'Weir', scene: '4' } });
  const id = (await listOf(app, name))?.id ?? 0;
  for (const seed of seeds)
    await app.call('addPullEntry', {
      params: { id },
      body: { soundId: (await rowOf(app, seed)).soundId, part: { from: 0, to: 100 * seed }, comment: `take ${seed}` },
    });
  return id;
}
const entriesOf = async (app: TestApplication, name: string) =>
  (await app.call('listPullEntries', { params: { id: (await listOf(app, name))?.id ?? 0 } })).map(
    ({ row, comment, part, addedBy }) => [row.facts.channels && row.name, comment, part?.to, addedBy],
  );
const marksOf = async (app: TestApplication, seed: number) =>
  (await rowOf(app, seed)).marks.map(({ person, rating, favourite, tags, note }) => [
    person,
    rating,
    favourite,
    tags.join(' '),
    note,
  ]);
const relate = (app: TestApplication, word: string, related: string, kind = 'narrower', hidden = false) =>
  app.call('saveRelation', { body: { word, related, kind, hidden } });
const relations = async (app: TestApplication) =>
  (await app.call('listRelations')).map(({ word, related, kind, hidden, person }) =>
    [word, related, kind, hidden ? 'hidden' : 'shown', person].join(' '),
  );

/** The lines of the sounds of a house, as its sheets have them. */
async function recordsOf(app: TestApplication): Promise<Buffer> {
  const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-lines-'));
  await writeFile(path.join(folder, 'sheet.zip'), await madeSheet(app));
  const lines = execFileSync('unzip', ['-p', path.join(folder, 'sheet.zip'), 'records.jsonl']);
  await rm(folder, { recursive: true });
  return lines;
}

const whole = { parts: SHEET_PARTS };
const sent = async (from: TestApplication, to: TestApplication, body: object = whole): Promise<Sheet> =>
  comparedSheet(await madeSheet(from, body), to);
async function apply(app: TestApplication, { id }: Sheet, body: object = {}) {
  const job = await app.call('applySheet', { params: { id }, body: { wins: 'ours', parts: SHEET_PARTS, ...body } });
  return app.ended(job);
}
const merge = async (from: TestApplication, to: TestApplication, body: object = {}) => {
  const sheet = await sent(from, to);
  expect(await apply(to, sheet, body)).toMatchObject({ state: 'done', failed: 0 });
  return sheet;
};
const undo = (app: TestApplication) => app.call('undoLast', { body: {} });

describe('a whole collection of another house', () => {
  it('brings marks in the names of guests, which count in searches and never sign in', async () => {
    await mark(pottery, 1, { rating: 5, addTags: ['reel2'], note: 'The good one' });
    await mark(pottery, 2, { favourite: true }, 2);
    await merge(pottery, mill);
    expect(await marksOf(mill, 1)).toEqual([['Orla Venn (Clay and Canal)', 5, false, 'reel2', 'The good one']]);
    expect(await marksOf(mill, 2)).toEqual([['Tobias Reed (Clay and Canal)', null, true, '', '']]);
    const guest = (await mill.call('listAccounts')).find(({ name }) => name === 'Orla Venn (Clay and Canal)');
    expect(guest).toMatchObject({ account: null, hasPassword: false, isAdministrator: false });
    const { rows } = await mill.call('listCatalogue', { query: { q: 'rating:5' } });
    expect(rows.map(({ name }) => name)).toEqual(['HS_1.wav']);
  });

  it('brings marks in the name of a person whom an administrator names, merged with their own', async () => {
    await mark(pottery, 1, { rating: 5, addTags: ['reel2'], note: 'From the pottery' });
    await mark(mill, 1, { addTags: ['wet'], note: 'From the mill' });
    const sheet = await sent(pottery, mill);
    const stands = { as: 'person', personId: 1 };
    const params = { id: sheet.id };
    const answer = await mill.call('placeSheetPerson', { params, body: { name: 'Orla Venn', stands } });
    expect(answer.people).toEqual([{ name: 'Orla Venn', marks: 1, lists: 0, stands, changeable: true }]);
    await apply(mill, sheet);
    expect(await marksOf(mill, 1)).toEqual([['Orla Venn', 5, false, 'reel2 wet', 'From the mill']]);
    // What the one house changes later is taken, as the other did not change it since.
    await mark(pottery, 1, { rating: 2, removeTags: ['reel2'] });
    await merge(pottery, mill);
    expect(await marksOf(mill, 1)).toEqual([['Orla Venn', 2, false, 'wet', 'From the mill']]);
  });

  it('brings nobody marks in the name of somebody else, unless an administrator says so, and none of those who are left out', async () => {
    await mark(pottery, 1, { rating: 5 });
    const answer = await madeSheet(pottery, whole);
    const received = await mill.nobody
      .post('/api/sheets')
      .set('Host', '127.0.0.1')
      .set(signedInAs(2))
      .set('Content-Type', 'application/zip')
      .send(answer);
    const params = { id: (received.body as { id: string }).id };
    const place = (stands: object) =>
      mill.send('placeSheetPerson', { params, body: { name: 'Orla Venn', stands }, person: 2 });
    expect((await place({ as: 'person', personId: 1 })).status).toBe(403);
    expect((await place({ as: 'person', personId: 2 })).status).toBe(200);
    expect((await place({ as: 'nobody' })).status).toBe(200);
    for (const job of await mill.call('listJobs')) await mill.ended(job);
    await mill.ended(await mill.call('applySheet', { params, body: { wins: 'ours', parts: SHEET_PARTS }, person: 2 }));
    expect(await marksOf(mill, 1)).toEqual([]);
  });

  it('brings pull lists with the entries whose sounds are held here, once however often it comes', async () => {
    await makeList(pottery, 'Reel 2', 2, 1, 3);
    await merge(pottery, mill);
    await merge(pottery, mill);
    expect(await mill.call('listPullLists')).toMatchObject([
      { name: 'Reel 2', show: 'Weir', scene: '4', person: 'Orla Venn (Clay and Canal)', entries: 2 },
    ]);
    expect(await entriesOf(mill, 'Reel 2')).toEqual([
      ['HS_2.wav', 'take 2', 200, 'Orla Venn (Clay and Canal)'],
      ['HS_1.wav', 'take 1', 100, 'Orla Venn (Clay and Canal)'],
    ]);
  });

  it('merges lists both ways: what either added is in both, what was removed here stays removed', async () => {
    const id = await makeList(pottery, 'Reel 2', 1);
    await merge(pottery, mill);
    const there = (await listOf(mill, 'Reel 2'))?.id ?? 0;
    await mill.call('addPullEntry', { params: { id: there }, body: { soundId: (await rowOf(mill, 2)).soundId } });
    await mill.call('updatePullList', { params: { id: there }, body: { scene: '5' } });
    const [first] = await mill.call('listPullEntries', { params: { id: there } });
    await mill.call('updatePullEntry', { params: { id: first?.id }, body: { comment: 'closer' } });
    await merge(mill, pottery);
    // Both say something else in them, and nobody has said who is to win: that decides for what is here.
    expect(await listOf(pottery, 'Reel 2')).toMatchObject({ id, scene: '4', person: 'Orla Venn', entries: 2 });
    expect((await entriesOf(pottery, 'Reel 2')).map(([name, comment]) => [name, comment])).toEqual([
      ['gate 1.wav', 'take 1'],
      ['gate 2.wav', ''],
    ]);
    await mill.call('updatePullList', { params: { id: there }, body: { scene: '6' } });
    await mill.call('updatePullEntry', { params: { id: first?.id }, body: { comment: 'closer still' } });
    await merge(mill, pottery, { wins: 'theirs' });
    expect(await listOf(pottery, 'Reel 2')).toMatchObject({ scene: '6', entries: 2 });
    expect((await entriesOf(pottery, 'Reel 2')).map(([, comment]) => comment)).toEqual(['closer still', '']);
    const [own] = await pottery.call('listPullEntries', { params: { id } });
    await pottery.call('removePullEntries', { params: { id }, body: { entryIds: [own?.id] } });
    await merge(mill, pottery, { wins: 'theirs' });
    expect((await entriesOf(pottery, 'Reel 2')).map(([name]) => name)).toEqual(['gate 2.wav']);
  });

  it('brings what was added to the thesaurus, and asks who wins where both said something of the same words', async () => {
    await relate(pottery, 'sluice', 'weir');
    await relate(pottery, 'kiln', 'oven', 'same');
    await relate(mill, 'kiln', 'oven', 'heard');
    await relate(mill, 'goose', 'gander');
    const sheet = await merge(pottery, mill);
    expect(await relations(mill)).toEqual([
      'goose gander narrower shown Orla Venn',
      'kiln oven heard shown Orla Venn',
      'sluice weir narrower shown Orla Venn',
    ]);
    const { words } = await mill.call('getSheetParts', { params: { id: sheet.id } });
    expect([words.counts, words.some.map(({ word, standing, ours }) => [word, standing, ours?.kind])]).toEqual([
      { new: 0, same: 1, theirs: 0, ours: 1, both: 0 },
      [['kiln', 'ours', 'heard']],
    ]);
    await relate(pottery, 'kiln', 'oven', 'broader');
    await merge(pottery, mill);
    expect(await relations(mill)).toContain('kiln oven heard shown Orla Venn');
    await relate(pottery, 'kiln', 'oven', 'broader', true);
    await merge(pottery, mill, { wins: 'theirs' });
    expect(await relations(mill)).toContain('kiln oven broader hidden Orla Venn');
  });

  it('brings histories, by which it is known who went on from whom', async () => {
    // The mill says what the pottery said before it said something else; of the notes it is the other way round.
    await edit(pottery, 1, { fxName: 'Gate Creak' });
    await edit(pottery, 1, { fxName: 'Lock Gate Creak', notes: 'Near' });
    await edit(mill, 1, { fxName: 'Gate Creak' });
    await edit(mill, 1, { notes: 'Near' });
    await edit(mill, 1, { notes: 'Near, wet' });
    const bare = await sent(pottery, mill, { parts: [] });
    const fieldsOf = async ({ id }: Sheet) =>
      (await mill.call('listSheetItems', { params: { id }, query: {} })).items
        .flatMap(({ fields }) => fields)
        .map(({ field, outcome }) => `${field} ${outcome}`);
    expect(await fieldsOf(bare)).toEqual(['fxName open', 'notes open']);
    const sheet = await sent(pottery, mill);
    expect(await fieldsOf(sheet)).toEqual(['fxName taken']);
    await apply(mill, sheet);
    const { row, toldRevisions } = await mill.call('getSound', { params: { id: (await rowOf(mill, 1)).soundId } });
    expect(row.record).toMatchObject({ fxName: 'Lock Gate Creak', notes: 'Near, wet' });
    expect(toldRevisions.map(({ house, revision, person, after }) => [house, revision, person, after])).toEqual([
      ['Clay and Canal', 3, 'Orla Venn', { fxName: 'Lock Gate Creak', notes: 'Near' }],
      ['Clay and Canal', 2, 'Orla Venn', { fxName: 'Gate Creak' }],
    ]);
  });

  it('is undone as one by whoever applied it, and can be applied again', async () => {
    await edit(pottery, 1, { notes: 'From the pottery' });
    await mark(pottery, 1, { rating: 5 });
    await makeList(pottery, 'Reel 2', 1);
    await relate(pottery, 'sluice', 'weir');
    const state = async () => [
      (await rowOf(mill, 1)).record.notes,
      await marksOf(mill, 1),
      (await mill.call('listPullLists')).map(({ name, entries }) => [name, entries]),
      await relations(mill),
    ];
    const nothing = await state();
    const sheet = await merge(pottery, mill);
    const all = await state();
    expect(all).toEqual([
      'From the pottery',
      [['Orla Venn (Clay and Canal)', 5, false, '', '']],
      [['Reel 2', 1]],
      ['sluice weir narrower shown Orla Venn'],
    ]);
    await undo(mill);
    expect(await state()).toEqual(nothing);
    await mill.call('redoLast', { body: {} });
    expect(await state()).toEqual(all);
    for (let turn = 0; turn < 2 && (await marksOf(mill, 1)).length > 0; turn += 1) await undo(mill);
    expect((await state()).slice(1)).toEqual(nothing.slice(1));
    await apply(mill, sheet);
    expect(await state()).toEqual(all);
  });

  it('knows a list again that was undone and done again, and a guest who was somebody here for a while', async () => {
    await edit(pottery, 1, { notes: 'From the pottery' });
    await makeList(pottery, 'Reel 2', 1);
    await mark(pottery, 1, { rating: 5 });
    const sheet = await merge(pottery, mill);
    await undo(mill);
    await mill.call('redoLast', { body: {} });
    const place = (stands: object) =>
      mill.call('placeSheetPerson', { params: { id: sheet.id }, body: { name: 'Orla Venn', stands } });
    await place({ as: 'person', personId: 2 });
    await place({ as: 'guest' });
    await mark(pottery, 1, { rating: 4 });
    await merge(pottery, mill, { wins: 'theirs' });
    expect(await mill.call('listPullLists')).toMatchObject([{ name: 'Reel 2', entries: 1 }]);
    expect((await marksOf(mill, 1)).map(([person, rating]) => [person, rating])).toEqual([
      ['Orla Venn (Clay and Canal)', 4],
    ]);
  });

  it('goes home under the numbers that things have there, without the marks of guests', async () => {
    await mark(pottery, 1, { rating: 5 });
    await makeList(pottery, 'Reel 2', 1);
    await merge(pottery, mill);
    const back = await sent(mill, pottery);
    expect(await pottery.call('getSheetParts', { params: { id: back.id } })).toMatchObject({
      marks: { total: 0 },
      lists: { total: 1, some: [{ name: 'Reel 2', entries: 1, held: 1, isKnown: true }] },
    });
    await apply(pottery, back);
    expect(await pottery.call('listPullLists')).toMatchObject([{ name: 'Reel 2', person: 'Orla Venn', entries: 1 }]);
    expect(await marksOf(pottery, 1)).toEqual([['Orla Venn', 5, false, '', '']]);
  });

  it('holds, as what changed since, sounds of which only a mark or an entry did', async () => {
    const since = { ...whole, forWhom: 'The mill', onlyChanged: true };
    await madeSheet(pottery, { ...whole, forWhom: 'The mill' });
    await mark(pottery, 2, { rating: 4 });
    await makeList(pottery, 'Reel 3', 3);
    const sheet = await sent(pottery, mill, since);
    expect([sheet.counts.total, await mill.call('getSheetParts', { params: { id: sheet.id } })]).toMatchObject([
      2,
      { marks: { total: 1, held: 1 }, lists: { total: 1, some: [{ entries: 1, held: 0 }] } },
    ]);
  });

  it('goes on where it was when it was cut short, with nothing twice', async () => {
    for (const seed of [1, 2]) await mark(pottery, seed, { rating: seed });
    await makeList(pottery, 'Reel 2', 1, 2);
    await relate(pottery, 'sluice', 'weir');
    const sheet = await sent(pottery, mill);
    const how = { wins: 'ours' as const, parts: SHEET_PARTS, personId: 1, sight: 'all' as const };
    await beginApplying(mill.context.db, sheet.id, 'ours');
    // Each time it is cut off behind the first thing that it did.
    for (let cut = 0; cut < 6; cut += 1)
      await applySheet(mill.context, sheet.id, how, () => Promise.reject(new Error('cut off'))).catch(
        (error: unknown) => expect(String(error)).toContain('cut off'),
      );
    await applySheet(mill.context, sheet.id, how, () => Promise.resolve());
    expect(await mill.call('listPullLists')).toMatchObject([{ name: 'Reel 2', entries: 2 }]);
    const ratings = [...(await marksOf(mill, 1)), ...(await marksOf(mill, 2))].map(([, rating]) => rating);
    expect(ratings).toEqual([1, 2]);
    await undo(mill);
    expect([await marksOf(mill, 1), await mill.call('listPullLists'), await relations(mill)]).toEqual([[], [], []]);
  });
});

describe('what comes along with a sheet that is not what it says', () => {
  const codeOf = async (files: Record<string, string>, said: object = {}): Promise<string> => {
    const answer = await receivedSheet(handmadeSheet({ 'records.jsonl': '', ...files }, said), mill);
    return answer.status === 200 ? 'taken' : (answer.body as { code: string }).code;
  };
  const good = { line: 1, person: 'Ines Talbot', rating: 5, favourite: false, tags: [], note: 'near' };
  const marks = (said: object): Record<string, string> => ({ 'marks.jsonl': JSON.stringify({ ...good, ...said }) });

  it('is refused as a whole, with the line', async () => {
    expect(await codeOf(marks({}))).toBe('taken');
    expect(await codeOf(marks({ rating: 9 }))).toBe('SHEET_INVALID');
    expect(await codeOf(marks({ note: 'a\0b' }))).toBe('SHEET_INVALID');
    expect(await codeOf(marks({ note: '\ud800' }))).toBe('SHEET_INVALID');
    expect(await codeOf(marks({ note: 'two halves \u{1f600}' }))).toBe('taken');
    expect(await codeOf({ 'pull-lists.jsonl': '{"home":{"house":"../../etc","number":1}}' })).toBe('SHEET_INVALID');
    expect(await codeOf({ 'histories.jsonl': 'no line' })).toBe('SHEET_INVALID');
    expect(await codeOf(marks({}), { files: [] })).toBe('SHEET_INVALID');
    const crowd = Array.from({ length: 501 }, (_, at) => JSON.stringify({ ...good, person: `Nobody ${at}` })).join(
      '\n',
    );
    expect(await codeOf({ 'marks.jsonl': crowd })).toBe('TOO_LARGE');
    expect((await mill.call('listSheets')).length).toBe(2);
  });

  it('changes no entry of another list than it says', async () => {
    const own = await mill.call('getHouse');
    await makeList(mill, 'Open', 1);
    const secret = await makeList(mill, 'Secret', 2);
    const [aim] = await mill.call('listPullEntries', { params: { id: secret } });
    const home = (number: number) => ({ house: own.id, number });
    const entry = { home: home(aim?.id ?? 0), list: home(secret - 1), person: 'Ines', part: null, tryOut: null };
    const records = await recordsOf(pottery);
    const lines = JSON.stringify({ ...entry, line: 1, comment: 'changed' });
    const sheet = await comparedSheet(handmadeSheet({ 'records.jsonl': records, 'pull-entries.jsonl': lines }), mill);
    expect(await apply(mill, sheet, { wins: 'theirs' })).toMatchObject({ state: 'done' });
    expect(await entriesOf(mill, 'Secret')).toEqual([['HS_2.wav', 'take 2', 200, 'Orla Venn']]);
    expect(await entriesOf(mill, 'Open')).toHaveLength(1);
  });

  it('is passed over where it means sounds or lists that there are not', async () => {
    const home = (number: number) => ({ house: '6f9619ff-8b86-4d01-b42d-00cf4fc964ff', number });
    const entry = { home: home(1), list: home(7), line: 1, person: 'Ines', part: null, tryOut: null, comment: '' };
    const files = { 'records.jsonl': '', ...marks({ line: 99 }), 'pull-entries.jsonl': JSON.stringify(entry) };
    const sheet = await comparedSheet(handmadeSheet(files), mill);
    expect(await apply(mill, sheet)).toMatchObject({ state: 'done', failed: 0 });
    expect(await mill.call('listPullLists')).toEqual([]);
  });
});
