import { mkdir } from 'node:fs/promises';
import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { filterSchema } from '@flagstone/contract/selection';
import { TestApplication } from './test-application.ts';

const FILES = ['kiln.wav', 'Anvil.wav', 'wheel.wav', 'lock.wav'];
let app: TestApplication;
let [first, second] = [0, 0];

beforeEach(async () => {
  app = await TestApplication.open();
  for (const [index, name] of FILES.entries()) await app.put(name, { seed: index + 1 });
  const { batchId } = await app.intake();
  await app.call('fileBatch', { params: { id: batchId } });
  for (const name of ['Reel 1', 'Reel 2'])
    [second, first] = [first, (await app.call('makePullList', { body: { name, show: '', scene: '' } }))[0]?.id ?? 0];
});
afterEach(() => app.close());

const everything = { kind: 'catalogue', filter: filterSchema.parse({}) };
const inList = async (id: number) =>
  (await app.call('listPullEntries', { params: { id } })).map((entry) => ({ id: entry.id, name: entry.row.name }));
const names = async (id: number) => (await inList(id)).map(({ name }) => name);

describe('several sounds at once', () => {
  it('go behind what is in the list, in the order of their names, and count as used', async () => {
    const filter = filterSchema.parse({ q: 'name:lock' });
    await app.call('addPullSounds', { params: { id: first }, body: { selection: { kind: 'catalogue', filter } } });
    expect(await app.call('addPullSounds', { params: { id: first }, body: { selection: everything } })).toEqual({
      added: 4,
    });
    expect(await names(first)).toEqual(['lock.wav', 'Anvil.wav', 'kiln.wav', 'lock.wav', 'wheel.wav']);
    const { rows } = await app.call('listCatalogue', { query: { sort: 'uses', direction: 'desc' } });
    expect(rows[0]).toMatchObject({ name: 'lock.wav', uses: 2 });
  });

  it('go into a list that is there', async () => {
    const answer = await app.send('addPullSounds', { params: { id: 999 }, body: { selection: everything } });
    expect(answer.status).toBe(404);
  });
});

describe('entries', () => {
  const pull = () => app.call('addPullSounds', { params: { id: first }, body: { selection: everything } });
  const take = (id: number, entryIds: readonly (number | undefined)[], before?: number) =>
    app.send('takePullEntries', { params: { id }, body: { entryIds, ...(before === undefined ? {} : { before }) } });

  it('move together, in their order, within a list and into another, and back with undo', async () => {
    await pull();
    const [anvil, kiln, lock, wheel] = await inList(first);
    expect((await take(first, [wheel?.id, kiln?.id], anvil?.id)).status).toBe(200);
    expect(await names(first)).toEqual(['kiln.wav', 'wheel.wav', 'Anvil.wav', 'lock.wav']);
    expect((await take(second, [lock?.id])).status).toBe(200);
    // Of two lists at once, with one that stands there already.
    expect((await take(second, [kiln?.id, wheel?.id], lock?.id)).status).toBe(200);
    expect(await names(second)).toEqual(['kiln.wav', 'wheel.wav', 'lock.wav']);
    expect(await names(first)).toEqual(['Anvil.wav']);
    await app.call('undoLast', { body: {} });
    expect([await names(first), await names(second)]).toEqual([['kiln.wav', 'wheel.wav', 'Anvil.wav'], ['lock.wav']]);
  });

  it('stay where they are when the other list, or the entry in it, is not there', async () => {
    await pull();
    const [anvil, kiln] = await inList(first);
    expect((await take(999, [kiln?.id])).status).toBe(404);
    expect((await take(second, [kiln?.id], anvil?.id)).status).toBe(400);
    expect((await take(first, [kiln?.id, anvil?.id], anvil?.id)).status).toBe(400);
    expect((await take(first, [99_999])).status).toBe(404);
    expect(await names(first)).toEqual(['Anvil.wav', 'kiln.wav', 'lock.wav', 'wheel.wav']);
  });

  it('come off a list together; one that somebody moved meanwhile stays in its other list', async () => {
    await pull();
    const [anvil, kiln, lock] = await inList(first);
    await take(second, [lock?.id]);
    const entryIds = [anvil?.id, kiln?.id, lock?.id];
    await app.call('removePullEntries', { params: { id: first }, body: { entryIds } });
    expect([await names(first), await names(second)]).toEqual([['wheel.wav'], ['lock.wav']]);
  });
});

describe('a list that is kept', () => {
  it('has notes, which are undone like its name', async () => {
    const params = { id: first };
    const notesOf = async () => (await app.call('listPullLists')).find(({ id }) => id === first)?.notes;
    await app.call('updatePullList', { params, body: { notes: 'No geese.\nA lock from inside.' } });
    expect(await notesOf()).toBe('No geese.\nA lock from inside.');
    await app.call('undoLast', { body: {} });
    expect(await notesOf()).toBe('');
  });

  it('tells at each sound where, when and by whom it was used, as far as the list is seen', async () => {
    const { rows } = await app.call('listCatalogue', { query: { q: 'name:lock' } });
    const soundId = rows[0]?.soundId ?? 0;
    const uses = async (person: number) => app.call('listUses', { params: { id: soundId }, person });
    expect(await uses(1)).toEqual([]);
    await app.call('addPullEntry', { params: { id: first }, body: { soundId }, person: 2 });
    const selection = { kind: 'copies', copyIds: [rows[0]?.copyId ?? 0] };
    const folder = path.join(app.drive, 'out');
    const body = { what: { kind: 'sounds', selection, cut: 'whole' }, tree: false, folder };
    await mkdir(folder);
    await app.ended(await app.call('copyOutToFolder', { body }));
    expect(await uses(1)).toMatchObject([
      { person: 'Orla Venn', list: null, folder },
      { person: 'Tobias Reed', list: { id: first }, folder: '' },
    ]);
  });
});
