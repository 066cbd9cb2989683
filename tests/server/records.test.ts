import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { SoundRow } from '@flagstone/contract/record';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let batchId = 0;
let rows: SoundRow[] = [];

const NAMES = [
  'Kiln door clank',
  'Goose honks at lock',
  'Rain on canal',
  'Train passes mill',
  'Drain gurgle',
  'Café cups',
  'Loom clack fast',
  'Clay slap',
  'Weir night',
  'Rope creak',
];

beforeAll(async () => {
  app = await TestApplication.open();
  for (const [index, name] of NAMES.entries())
    await app.put(`${index < 5 ? 'pottery' : 'millHouse'}/${name}.wav`, { seed: index + 1 });
  ({ batchId } = await app.intake());
  await load();
});
afterAll(() => app.close());

async function load(): Promise<void> {
  rows = (await app.call('listBatchRows', { params: { id: batchId }, query: { sort: 'added' } })).rows;
}

const idOf = (name: string): number => rows.find((row) => row.name.startsWith(name))?.copyId ?? 0;
const recordOf = async (name: string) =>
  (await app.call('getSound', { params: { id: rows.find((row) => row.name.startsWith(name))?.soundId } })).row.record;

describe('editing records', () => {
  it('fills Category and SubCategory from the CatID, for one or many, and undoes as one', async () => {
    const selection = { kind: 'copies', copyIds: [idOf('Kiln'), idOf('Clay')] };
    const result = await app.call('editRecords', {
      body: { selection, edit: { set: { catId: 'cermimpt', library: 'Clay 1' }, addKeywords: ['kiln', 'clay'] } },
    });
    expect(result).toMatchObject({ changed: 2, summary: 'CatID, Library, Keywords added' });
    expect(await recordOf('Kiln')).toMatchObject({
      catId: 'CERMImpt',
      category: 'CERAMICS',
      subCategory: 'IMPACT',
      library: 'Clay 1',
      keywords: ['kiln', 'clay'],
    });
    await app.call('undoChange', { params: { id: result.changeId } });
    expect(await recordOf('Kiln')).toMatchObject({ catId: '', category: '', library: '', keywords: [] });
  });

  it('records who changed what, and nothing when nothing changes', async () => {
    const selection = { kind: 'copies', copyIds: [idOf('Rope')] };
    await app.call('editRecords', { body: { selection, edit: { set: { notes: 'tight' } } }, person: 2 });
    expect(await app.call('editRecords', { body: { selection, edit: { set: { notes: 'tight' } } } })).toMatchObject({
      changeId: null,
      changed: 0,
    });
    const { revisions } = await app.call('getSound', {
      params: { id: rows.find((row) => row.name.startsWith('Rope'))?.soundId },
    });
    expect(revisions[0]).toMatchObject({
      person: 'Tobias Reed',
      before: { notes: '' },
      after: { notes: 'tight' },
    });
  });

  it('keeps what was changed again since when an older change is undone', async () => {
    const selection = { kind: 'copies', copyIds: [idOf('Weir'), idOf('Loom')] };
    const first = await app.call('editRecords', { body: { selection, edit: { set: { project: 'A' } } } });
    await app.call('editRecords', {
      body: { selection: { kind: 'copies', copyIds: [idOf('Weir')] }, edit: { set: { project: 'B' } } },
    });
    expect(await app.call('undoChange', { params: { id: first.changeId } })).toMatchObject({ changed: 1 });
    expect((await recordOf('Weir')).project).toBe('B');
    expect((await recordOf('Loom')).project).toBe('');
    expect((await app.send('undoChange', { params: { id: first.changeId } })).body).toMatchObject({
      code: 'NOT_UNDOABLE',
    });
  });

  it('does again what was undone, step by step, until something new was done', async () => {
    const copyIds = rows.slice(0, 2).map((row) => row.copyId);
    const set = (location: string) =>
      app.call('editRecords', { body: { selection: { kind: 'copies', copyIds }, edit: { set: { location } } } });
    const now = async () => (await recordOf(rows[0]?.name ?? '')).location;
    await set('Weir');
    await set('Lock');
    await app.call('undoLast');
    await app.call('undoLast');
    expect(await now()).toBe('');
    expect(await app.call('redoLast')).toEqual({ summary: 'Again: Location (2)' });
    expect(await now()).toBe('Weir');
    await app.call('redoLast');
    expect(await now()).toBe('Lock');
    expect((await app.send('redoLast')).body).toMatchObject({ code: 'NOT_UNDOABLE' });
    await app.call('undoLast');
    expect(await now()).toBe('Weir');
    await set('Mill');
    expect((await app.send('redoLast')).status).toBe(409);
    expect((await app.send('redoLast', { person: 2 })).status).toBe(409);
    await app.call('undoLast');
    await app.call('undoLast');
    expect(await now()).toBe('');
  });

  it('edits rows each in its own way, as one change', async () => {
    const [one, two] = rows;
    const edits = [
      { copyId: one?.copyId, edit: { set: { notes: 'first', keywords: ['clay'] } } },
      { copyId: two?.copyId, edit: { set: { notes: 'second' } } },
    ];
    const result = await app.call('editRows', { body: { summary: 'Pasted 2 rows', edits } });
    expect(result).toMatchObject({ changed: 2, summary: 'Pasted 2 rows' });
    const bad = [{ copyId: one?.copyId, edit: { set: { rating: 9 } } }, edits[1]];
    expect((await app.send('editRows', { body: { summary: 'Bad', edits: bad } })).status).toBe(422);
    const notes = async () => [(await recordOf(one?.name ?? '')).notes, (await recordOf(two?.name ?? '')).notes];
    expect(await notes()).toEqual(['first', 'second']);
    await app.call('undoLast');
    expect(await notes()).toEqual(['', '']);
  });

  it('undoes the newest thing of each person, never that of another', async () => {
    const selection = { kind: 'copies', copyIds: [idOf('Rain')] };
    await app.call('editRecords', { body: { selection, edit: { set: { location: 'Lock 7' } } }, person: 1 });
    await app.call('editRecords', { body: { selection, edit: { set: { microphone: 'pair' } } }, person: 2 });
    expect(await app.call('undoLast', { person: 1 })).toMatchObject({ summary: 'Undo: Location (1)' });
    expect(await recordOf('Rain')).toMatchObject({ location: '', microphone: 'pair' });
  });

  it.each([
    ['an unknown CatID', { set: { catId: 'NOPE' } }, 422, 'CATEGORY_UNKNOWN'],
    ['a weight of 9', { set: { weight: 9 } }, 422, 'FIELD_INVALID'],
    ['a form that is none', { set: { form: 'endless' } }, 422, 'FIELD_INVALID'],
    ['an unknown field', { set: { colour: 'red' } }, 400, 'BAD_REQUEST'],
  ])('refuses %s and changes nothing', async (_, edit, status, code) => {
    const answer = await app.send('editRecords', { body: { selection: { kind: 'batch', batchId }, edit } });
    expect(answer.status).toBe(status);
    expect(answer.body).toMatchObject({ code });
    expect((await recordOf('Drain')).catId).toBe('');
  });

  it('accepts suggestions only where nothing stands yet', async () => {
    await app.call('editRecords', {
      body: {
        selection: { kind: 'copies', copyIds: [idOf('Rain')] },
        edit: { set: { catId: 'WATRLap', fxName: 'Mine' } },
      },
    });
    const selection = { kind: 'batch', batchId };
    const accepted = await app.call('acceptSuggestions', { body: { selection, minimumScore: 0 } });
    expect(await recordOf('Rain')).toMatchObject({ catId: 'WATRLap', fxName: 'Mine' });
    expect(await recordOf('Goose')).toMatchObject({ category: 'BIRDS', fxName: 'Goose Honks at Lock' });
    await app.call('undoChange', { params: { id: accepted.changeId } });
  });
});

describe('listing and finding', () => {
  it('pages by key through every row exactly once, in either direction and by any column', async () => {
    for (const sort of ['name', 'folder', 'catId', 'length', 'description', 'keywords', 'state', 'added']) {
      for (const direction of ['asc', 'desc']) {
        const seen: number[] = [];
        let after: string | null | undefined;
        do {
          const page = await app.call('listBatchRows', {
            params: { id: batchId },
            query: { sort, direction, limit: 3, ...(after ? { after } : {}) },
          });
          seen.push(...page.rows.map((row) => row.copyId));
          after = page.next;
        } while (after);
        const whole = await app.call('listBatchRows', {
          params: { id: batchId },
          query: { sort, direction, limit: 500 },
        });
        expect(seen).toEqual(whole.rows.map((row) => row.copyId));
        expect(seen).toHaveLength(NAMES.length);
      }
    }
  });

  it.each([
    ['rain', ['Rain on canal.wav']],
    ['rai', ['Rain on canal.wav']],
    ['pottery goos', ['Goose honks at lock.wav']],
    ['honking', ['Goose honks at lock.wav']],
    ['mill house clack', ['Loom clack fast.wav']],
    ['cafe', ['Café cups.wav']],
    ['"door clank"', ['Kiln door clank.wav']],
    ['"clank door"', []],
    ['pottery -rain -train -drain -goose', ['Kiln door clank.wav']],
    ["'; drop table copies; --", []],
    ['% _ * ( ) : & | !', NAMES.map((name) => `${name}.wav`).sort()],
  ])('finds by “%s”', async (q, expected) => {
    const { rows: found } = await app.call('listBatchRows', { params: { id: batchId }, query: { q } });
    expect(found.map((row) => row.name).sort()).toEqual(expected);
  });

  it('shows in the catalogue what was filed, counts it by category, and filters by category', async () => {
    const selection = { kind: 'copies', copyIds: [idOf('Goose')] };
    const { changeId } = await app.call('editRecords', { body: { selection, edit: { set: { catId: 'BIRDFowl' } } } });
    expect((await app.call('listCatalogue')).total).toBe(0);
    expect(await app.call('fileBatch', { params: { id: batchId } })).toMatchObject({ filed: NAMES.length });
    expect((await app.call('listCatalogue')).total).toBe(NAMES.length);
    const {
      categories: { categories: counts },
    } = await app.call('countIndex');
    expect(counts.reduce((sum, entry) => sum + entry.count, 0)).toBe(NAMES.length);
    const birds = await app.call('listCatalogue', { query: { category: 'BIRDS' } });
    expect(birds.rows.map((row) => row.name)).toEqual(['Goose honks at lock.wav']);
    expect((await app.call('fileBatch', { params: { id: batchId } })).filed).toBe(0);
    await app.call('undoChange', { params: { id: changeId } });
  });
});

describe('hearing', () => {
  it('streams audio by HTTP ranges', async () => {
    const answer = await app.http
      .get(`/api/copies/${idOf('Kiln')}/audio`)
      .set('Host', 'localhost')
      .set('Range', 'bytes=0-3')
      .buffer(true)
      .parse((response, done) => {
        const parts: Buffer[] = [];
        response.on('data', (part: Buffer) => parts.push(part)).on('end', () => done(null, Buffer.concat(parts)));
      });
    expect(answer.status).toBe(206);
    expect(String(answer.body)).toBe('RIFF');
    expect(answer.headers['content-range']).toMatch(/^bytes 0-3\/\d+$/);
  });
});

describe('the API', () => {
  it('asks who acts before it changes anything: a session that nobody has is none', async () => {
    const answer = await app.send('fileBatch', { params: { id: batchId }, person: 999 });
    expect([answer.status, answer.body]).toMatchObject([401, { code: 'SIGN_IN_REQUIRED' }]);
  });

  it('answers only requests that name loopback', async () => {
    const answer = await app.http.get('/api/people').set('Host', 'flagstone.example');
    expect([answer.status, answer.body]).toMatchObject([403, { code: 'HOST_REFUSED' }]);
  });

  it.each([
    ['an address that does not exist', '/api/nothing', 404, 'NOT_FOUND'],
    ['a page that does not exist', '/metrics', 404, 'NOT_FOUND'],
    ['a health that stands elsewhere', '/health', 404, 'NOT_FOUND'],
    ['a batch that does not exist', '/api/batches/99999', 404, 'NOT_FOUND'],
    ['a number that is none', '/api/batches/abc', 400, 'BAD_REQUEST'],
    ['a cursor of another list', '/api/catalogue?after=nonsense', 400, 'BAD_REQUEST'],
    [
      'a cursor of an order that there is not',
      `/api/catalogue?q=goose&sort=relevance&after=${Buffer.from('[0.5,1,1]').toString('base64url')}`,
      400,
      'BAD_REQUEST',
    ],
    ['a sort key that is none', '/api/catalogue?sort=colour', 400, 'BAD_REQUEST'],
  ])('says what is wrong with %s', async (_, address, status, code) => {
    const answer = await app.http.get(address).set('Host', '127.0.0.1');
    expect(answer.status).toBe(status);
    expect(answer.body).toMatchObject({ code });
    expect((answer.body as { remedy: string }).remedy).not.toBe('');
  });

  it('says where a body is not JSON', async () => {
    const answer = await app.http
      .post('/api/plans')
      .set('Host', '127.0.0.1')
      .set('Content-Type', 'application/json')
      .send('{oops');
    expect(answer.body).toMatchObject({ code: 'BAD_REQUEST' });
  });
});
