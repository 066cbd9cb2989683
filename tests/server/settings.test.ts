import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import type { UndoAnswer } from '@flagstone/contract/changes';
import { addPersonWith } from '../signed-in.ts';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
/** A librarian, anew for each test, so that nobody takes back what another test did. */
let person: { id: number; headers: Record<string, string> };
let count = 0;
let folderId = 0;

beforeAll(async () => {
  app = await TestApplication.open();
  await app.put('mill/gate.wav', { seed: 1, tags: { info: { IART: 'Orla Venn' } } });
  await app.intake('mill');
  folderId = (await app.call('listReadFolders'))[0]?.id ?? 0;
});
afterAll(() => app.close());
beforeEach(async () => {
  person = await addPersonWith(app.context.db, `Miller ${++count}`, [{ collectionId: 1, role: 'librarian' }]);
});

async function ask<Answer>(method: 'get' | 'post' | 'patch' | 'delete', address: string, body?: object) {
  const asked = app.nobody[method](`/api${address}`).set('Host', '127.0.0.1').set(person.headers);
  const answer = await (body === undefined ? asked : asked.send(body));
  return { status: answer.status, body: answer.body as Answer };
}
const list = async <Row>(address: string): Promise<Row[]> => (await ask<Row[]>('get', address)).body;
const undo = async () => (await ask<UndoAnswer & { code?: string }>('post', '/undo', {})).body;
const redo = async () => (await ask<{ summary: string }>('post', '/redo', {})).body;

interface Kept {
  id: number;
  name: string;
}

describe('a setting that somebody changed last', () => {
  it.each<[what: string, address: string, body: object, another: object, read: (rows: never[]) => unknown]>([
    [
      'a saved search',
      '/saved-searches',
      { name: 'Gates', query: { q: 'gate' } },
      { name: 'Gates', query: { q: 'lock gate' } },
      (rows: { query: { q: string } }[]) => rows.map(({ query }) => query.q),
    ],
    [
      'columns',
      '/layouts',
      { name: 'Narrow', layout: { columns: [{ key: 'name', width: 200 }], density: 'dense' } },
      { name: 'Narrow', layout: { columns: [{ key: 'name', width: 300 }], density: 'dense' } },
      (rows: { layout: { columns: { width: number }[] } }[]) => rows.map(({ layout }) => layout.columns[0]?.width),
    ],
    [
      'a relation of words',
      '/relations',
      { word: 'weir', related: 'sluice', kind: 'same' },
      { word: 'weir', related: 'sluice', kind: 'narrower' },
      (rows: { kind: string }[]) => rows.map(({ kind }) => kind),
    ],
    [
      'a name on a list',
      '/authorities',
      { kind: 'creator', name: 'Tobias Reed', code: 'TOR' },
      { kind: 'creator', name: 'Tobias Reed', code: 'TREED' },
      (rows: { name: string; code: string }[]) =>
        rows.filter(({ name }) => name === 'Tobias Reed').map(({ code }) => code),
    ],
    [
      'a recipe',
      '/recipes',
      { name: 'Tidy', steps: [{ do: 'readName', how: 'ifEmpty' }], shared: false },
      { name: 'Tidy', steps: [{ do: 'readName', how: 'replace' }], shared: false },
      (rows: { steps: { how: string }[] }[]) => rows.map(({ steps }) => steps[0]?.how),
    ],
  ] as never)(
    '%s is taken back, the change before the making, and is done again',
    async (_, address, body, another, read) => {
      const now = async () => read(await list<never>(address));
      const none = await now();
      expect((await ask('post', address, body)).status).toBe(200);
      const made = await now();
      expect(made).not.toEqual(none);
      expect((await ask('post', address, another)).status).toBe(200);
      const changed = await now();
      expect(changed).not.toEqual(made);
      await undo();
      expect(await now()).toEqual(made);
      await undo();
      expect(await now()).toEqual(none);
      await redo();
      await redo();
      expect(await now()).toEqual(changed);
      const [{ id } = { id: 0 }] = (await list<Kept>(address)).slice(-1);
      expect((await ask('delete', `${address}/${id}`)).status).toBe(200);
      expect(await now()).toEqual(none);
      await undo();
      expect(await now()).toEqual(changed);
      expect((await ask('delete', `${address}/${id}`)).status).toBe(200);
    },
  );

  it('gathers no more names than it takes back', async () => {
    await ask('post', '/authorities', { kind: 'creator', name: 'By Hand', code: '' });
    const before = await list('/authorities');
    await ask('post', '/authorities/gather', {});
    expect((await list('/authorities')).length).toBeGreaterThan(before.length);
    expect((await undo()).summary).toBe('Undo: Name “Orla Venn” added (1)');
    expect(await list('/authorities')).toEqual(before);
  });

  it('is that of a collection or of a folder, whatever else happened to them since', async () => {
    const collection = async () => (await list<{ id: number; name: string; asksReview: boolean }>('/collections'))[0];
    const folder = async () =>
      (await list<{ id: number; exclude: string[]; rereadMinutes: number | null }>('/read-folders'))[0];
    await ask('patch', '/collections/1', { name: 'The mill' });
    await ask('patch', `/read-folders/${folderId}`, { exclude: ['*.tmp'] });
    // Somebody else changes another setting of both, and the folder is read again.
    await app.call('updateCollection', { params: { id: 1 }, body: { asksReview: true } });
    await app.call('updateReadFolder', { params: { id: folderId }, body: { rereadMinutes: 30 } });
    await app.intake('mill');
    await undo();
    expect(await folder()).toMatchObject({ exclude: [], rereadMinutes: 30 });
    await undo();
    expect(await collection()).toMatchObject({ name: 'Effects', asksReview: true });
    await app.call('updateCollection', { params: { id: 1 }, body: { asksReview: false } });
    await app.call('updateReadFolder', { params: { id: folderId }, body: { rereadMinutes: null } });
  });

  it('stays as somebody else made it since', async () => {
    await ask('post', '/authorities', { kind: 'library', name: 'Canal', code: 'ONE' });
    await app.call('saveAuthority', { body: { kind: 'library', name: 'Canal', code: 'TWO' } });
    expect(await undo()).toMatchObject({ code: 'NOT_UNDOABLE' });
    const canal = (await list<{ id: number; name: string; code: string }>('/authorities')).find(
      ({ name }) => name === 'Canal',
    );
    expect(canal?.code).toBe('TWO');
    await app.call('removeAuthority', { params: { id: canal?.id } });
  });

  it('says so when its name was given to something else', async () => {
    await ask('patch', '/collections/1', { name: 'Once' });
    await app.call('makeCollection', { body: { name: 'Effects' } });
    expect(await undo()).toMatchObject({
      code: 'NOT_UNDOABLE',
      message: 'Its name was given to something else since.',
    });
    const other = (await app.call('listCollections')).find(({ name }) => name === 'Effects')?.id ?? 0;
    await app.call('mergeCollection', { params: { id: other }, body: { intoId: 1 } });
    await undo();
    expect((await list<Kept>('/collections'))[0]?.name).toBe('Effects');
  });

  it('says so when what a folder had is not there any more', async () => {
    const body = { name: 'Once kept', steps: [{ do: 'readName', how: 'ifEmpty' }], shared: true };
    const [recipe] = await app.call('saveRecipe', { body });
    await app.call('updateReadFolder', { params: { id: folderId }, body: { recipeId: recipe?.id } });
    await ask('patch', `/read-folders/${folderId}`, { recipeId: null });
    await app.call('removeRecipe', { params: { id: recipe?.id } });
    expect(await undo()).toMatchObject({
      code: 'NOT_UNDOABLE',
      message: 'Something that it belonged to is not there any more.',
    });
  });

  it('leaves one collection in use', async () => {
    const made = await app.call('makeCollection', { body: { name: 'Spare' } });
    const spare = made.find(({ name }) => name === 'Spare')?.id ?? 0;
    await app.call('updateCollection', { params: { id: spare }, body: { retired: true } });
    await app.call('updateCollection', { params: { id: spare }, body: { retired: false } });
    await app.call('updateCollection', { params: { id: 1 }, body: { retired: true }, person: 2 });
    // To take back that it was taken back would leave none.
    expect((await app.send('undoLast')).body).toMatchObject({ code: 'NOT_UNDOABLE' });
    await app.call('updateCollection', { params: { id: 1 }, body: { retired: false }, person: 2 });
    await app.call('mergeCollection', { params: { id: spare }, body: { intoId: 1 } });
  });

  it('is not taken back by who may not set it any more', async () => {
    await ask('post', '/path-rules', { pattern: 'mill/**', sets: { library: 'Mill' } });
    await app.call('changeAccount', {
      params: { id: person.id },
      body: { roles: [{ collectionId: 1, role: 'editor' }] },
    });
    expect(await undo()).toMatchObject({ code: 'NOT_ALLOWED' });
    const rules = await app.call('listPathRules');
    expect(rules.map(({ pattern }) => pattern)).toContain('mill/**');
    await app.call('removePathRule', { params: { id: rules.at(-1)?.id } });
  });

  it('is one’s own alone, when ten set something at once', async () => {
    const people = await Promise.all(
      Array.from({ length: 10 }, (_, at) =>
        addPersonWith(app.context.db, `Potter ${count} ${at}`, [{ collectionId: 1, role: 'librarian' }]),
      ),
    );
    const say = (headers: Record<string, string>, method: 'post', address: string, body: object) =>
      app.nobody[method](`/api${address}`).set('Host', '127.0.0.1').set(headers).send(body);
    const made = await Promise.all(
      people.map(({ headers }, at) =>
        say(headers, 'post', '/path-rules', { pattern: `yard ${at}/**`, sets: { library: 'Yard' } }),
      ),
    );
    expect(made.map(({ status }) => status)).toEqual(made.map(() => 200));
    await say(people[3]?.headers ?? {}, 'post', '/undo', {});
    const left = (await app.call('listPathRules')).filter(({ pattern }) => pattern.startsWith('yard'));
    expect(left.map(({ pattern }) => pattern).sort()).toEqual(
      people.flatMap((_, at) => (at === 3 ? [] : [`yard ${at}/**`])),
    );
    for (const { id } of left) await app.call('removePathRule', { params: { id } });
  });
});
