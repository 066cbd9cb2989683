import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import type { Selection } from '@flagstone/contract/selection';
import type { SettlingRow } from '@flagstone/contract/settling';
import type { SoundRow } from '@flagstone/contract/record';
import { TestApplication } from './test-application.ts';

const SAYS = { INAM: 'Lock gate', ICMT: 'Old wood', IKEY: 'gate; creak', IART: 'Orla Venn' };
let app: TestApplication;
let batchId = 0;
let whole: Selection;

/** Three sounds that carry their records. */
beforeEach(async () => {
  app = await TestApplication.open();
  for (const seed of [1, 2, 3]) await app.put(`mill/gate ${seed}.wav`, { seed, tags: { info: SAYS } });
  ({ batchId } = await app.intake());
  whole = { kind: 'batch', batchId };
});
afterEach(() => app.close());

const rows = async (): Promise<SoundRow[]> => (await app.call('listBatchRows', { params: { id: batchId } })).rows;
const row = async (seed: number): Promise<SoundRow> => (await rows()).find(({ name }) => name === `gate ${seed}.wav`)!;
const one = async (seed: number): Promise<Selection> => ({ kind: 'copies', copyIds: [(await row(seed)).copyId] });
const edit = async (seed: number, set: object, person = 1) =>
  app.call('editRecords', { body: { selection: await one(seed), edit: { set } }, person });
/** What another program makes of the files. */
async function elsewhere(changes: Record<number, object>): Promise<void> {
  for (const [seed, info] of Object.entries(changes))
    await app.put(`mill/gate ${seed}.wav`, { seed: Number(seed), tags: { info: { ...SAYS, ...info } } });
  await app.intake();
}
const keep = (
  field: 'any' | 'description' | 'creator' | 'fxName',
  wins: 'record' | 'file' | 'longer' | 'newer' | 'both',
  more: object = {},
) => app.call('keepSettlingRule', { body: { driveId: null, collectionId: null, field, wins, ...more } });
const preview = async (selection = whole): Promise<SettlingRow[]> =>
  (await app.call('previewSettling', { body: { selection } })).rows;
const inShort = (all: SettlingRow[]) =>
  all.map(({ name, fields }) => [
    name,
    ...fields.map(({ field, outcome, becomes }) => `${field} ${outcome}: ${becomes}`),
  ]);
const run = (selection = whole, more: object = {}) => app.call('runSettling', { body: { selection, ...more } });

describe('settling what differs', () => {
  it('has nothing to do where files carry their records, or records alone moved on', async () => {
    await edit(1, { notes: 'Dry' });
    expect(await preview()).toEqual([]);
    expect(await app.call('countSettling', { body: { selection: whole } })).toEqual({
      copies: 0,
      taken: 0,
      open: 0,
      problems: 0,
    });
    expect((await run()).changed).toBe(0);
  });

  it('takes what files alone say, by a plan that is tried on one, run on all and taken back as one', async () => {
    await elsewhere({ 1: { ICMT: 'Old oak' }, 2: { ICMT: 'Old elm', IKEY: 'gate; creak; elm' } });
    expect(inShort(await preview())).toEqual([
      ['gate 1.wav', 'description taken: Old oak'],
      ['gate 2.wav', 'description taken: Old elm', 'keywords taken: gate, creak, elm'],
    ]);
    expect(await app.call('countSettling', { body: { selection: whole } })).toEqual({
      copies: 2,
      taken: 2,
      open: 0,
      problems: 0,
    });
    expect((await run(await one(1))).changed).toBe(1);
    expect((await row(1)).state).toBe('inStep');
    expect((await row(2)).state).toBe('ahead');
    const { changed, changeId } = await run();
    expect(changed).toBe(1);
    expect((await rows()).map(({ state }) => state)).toEqual(['inStep', 'inStep', 'inStep']);
    await app.call('undoChange', { params: { id: changeId ?? 0 } });
    expect((await row(2)).record).toMatchObject({ description: 'Old wood', keywords: ['gate', 'creak'] });
  });

  it('leaves what both changed to somebody, unless a rule says who wins', async () => {
    await edit(1, { description: 'Old wooden gate of the lock', creator: 'Bram Oyelaran' });
    await elsewhere({ 1: { ICMT: 'Old oak', IART: 'Tobias Reed' } });
    expect((await row(1)).state).toBe('split');
    expect(inShort(await preview())).toEqual([
      ['gate 1.wav', 'description open: Old wooden gate of the lock', 'creator open: Bram Oyelaran'],
    ]);
    await keep('creator', 'file');
    await keep('description', 'longer');
    expect(inShort(await preview())).toEqual([
      ['gate 1.wav', 'description kept: Old wooden gate of the lock', 'creator taken: Tobias Reed'],
    ]);
    expect((await run()).changed).toBe(1);
    expect((await row(1)).record).toMatchObject({ creator: 'Tobias Reed', description: 'Old wooden gate of the lock' });
    // What the record won goes into the file by a write, and all is in step.
    const plan = await app.call('makePlan', { body: { kind: 'write', selection: await one(1) } });
    await app.ended(await app.call('runPlan', { params: { id: plan.id }, body: {} }));
    expect((await row(1)).state).toBe('inStep');
    expect(await preview()).toEqual([]);
  });

  it('follows the rule of a drive before that of a collection before that of all', async () => {
    const { driveId, collectionId } = await row(1);
    await elsewhere({ 1: { IART: 'Tobias Reed' } });
    const outcome = async () => (await preview())[0]?.fields[0]?.outcome;
    expect(await outcome()).toBe('taken');
    await keep('any', 'record');
    expect(await outcome()).toBe('kept');
    await keep('any', 'file', { collectionId });
    expect(await outcome()).toBe('taken');
    await keep('any', 'record', { driveId });
    expect(await outcome()).toBe('kept');
    // The field itself counts before any.
    await keep('creator', 'file');
    expect(await outcome()).toBe('taken');
  });

  it('keeps one rule for each field of the same copies, which u takes back', async () => {
    await keep('any', 'record');
    const [kept, ...more] = await keep('any', 'file');
    expect(more).toEqual([]);
    expect(kept).toMatchObject({ field: 'any', wins: 'file', driveId: null, collectionId: null, person: 'Orla Venn' });
    await app.call('undoLast', { body: {} });
    expect(await app.call('listSettlingRules')).toMatchObject([{ wins: 'record' }]);
    expect(await app.call('removeSettlingRule', { params: { id: kept?.id } })).toEqual([]);
    expect((await app.send('removeSettlingRule', { params: { id: kept?.id } })).status).toBe(404);
    const both = { driveId: (await row(1)).driveId, collectionId: 1, field: 'any', wins: 'file' };
    expect((await app.send('keepSettlingRule', { body: both })).status).toBe(400);
  });

  it('leaves out what a colleague changed since it was previewed', async () => {
    await elsewhere({ 1: { ICMT: 'Old oak' }, 2: { ICMT: 'Old elm' } });
    const { snapshot } = await app.call('previewSettling', { body: { selection: whole } });
    await edit(1, { description: 'Oak gate, old' }, 2);
    await keep('any', 'file');
    const { changed, leftOut } = await run(whole, { asOf: { snapshot } });
    expect([changed, leftOut]).toEqual([1, 1]);
    expect((await row(1)).record.description).toBe('Oak gate, old');
    expect((await row(2)).record.description).toBe('Old elm');
  });

  it('never takes that a file lost a field, and says why a record cannot take a value', async () => {
    await elsewhere({ 1: { IART: '', ICMT: '' } });
    expect((await preview())[0]?.fields.map(({ outcome }) => outcome)).toEqual(['kept', 'kept']);
    expect((await run()).changed).toBe(0);
    expect((await row(1)).record.creator).toBe('Orla Venn');
  });

  it('lets the copy decide that was changed, where another one of the sound stands before it', async () => {
    // The same audio once more, read later: the first copy says what it said.
    const again = (info: object) => app.put('mill/second 1.wav', { seed: 1, tags: { info: { ...SAYS, ...info } } });
    await again({});
    await app.intake();
    await again({ ICMT: 'Old oak' });
    await app.intake();
    expect((await preview()).map(({ name }) => name)).toEqual(['second 1.wav']);
    expect(await app.call('countSettling', { body: { selection: whole } })).toMatchObject({ copies: 1, taken: 1 });
    expect((await run()).changed).toBe(1);
    expect((await row(1)).record.description).toBe('Old oak');
  });

  it('goes through many copies page by page', async () => {
    for (let seed = 10; seed < 130; seed += 1) await app.put(`mill/gate ${seed}.wav`, { seed, tags: { info: SAYS } });
    await app.intake();
    await elsewhere(Object.fromEntries(Array.from({ length: 120 }, (_, at) => [at + 10, { ICMT: `Gate ${at}` }])));
    const first = await app.call('previewSettling', { body: { selection: whole } });
    expect(first.rows).toHaveLength(100);
    const second = await app.call('previewSettling', { body: { selection: whole, afterCopyId: first.next } });
    expect(second.rows).toHaveLength(20);
    expect(second.next).toBeNull();
    expect((await run()).changed).toBe(120);
  });
});
