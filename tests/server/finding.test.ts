import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import { parseXml } from '@flagstone/core/formats/xml-document';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { ImportResult } from '@flagstone/contract/imports';
import { parse } from 'csv-parse/sync';
import { sql } from 'drizzle-orm';
import ExcelJS from 'exceljs';
import { sounds } from '@flagstone/server/db/schema';
import { eq } from 'drizzle-orm';
import { bytesOf, TestApplication } from './test-application.ts';

/** Made-up sounds: name of the file, then what stands in it. */
const SOUNDS: [string, { INAM: string; ICMT: string; IKEY?: string; IPRD?: string }][] = [
  ['narrowboat_pass.wav', { INAM: 'Narrowboat passes', ICMT: 'A boat on the canal', IKEY: 'canal, engine' }],
  ['lock_gate_open.wav', { INAM: 'Lock gate opens', ICMT: 'Old wood', IKEY: 'gate, creak' }],
  ['lock_gate_shut.wav', { INAM: 'Lock gate shuts', ICMT: 'Heavy thud at the end', IKEY: 'gate, thud' }],
  ['geese.wav', { INAM: 'Geese on the weir', ICMT: 'Upset, by the gate', IPRD: 'Mill "Days", 2' }],
  ['truck.wav', { INAM: 'Truck at the pottery', ICMT: 'Delivery of clay' }],
  ['rain.wav', { INAM: 'Rain on the kiln roof', ICMT: '=1+1' }],
];
const run = promisify(execFile);
let app: TestApplication;
const idOf = new Map<string, { soundId: number; copyId: number }>();

beforeAll(async () => {
  app = await TestApplication.open();
  for (const [index, [name, info]] of SOUNDS.entries())
    await app.put(`mill/${name}`, { seed: index + 1, tags: { info } });
  const { batchId } = await app.intake();
  await app.call('fileBatch', { params: { id: batchId } });
  const page = await app.call('listCatalogue');
  for (const row of page.rows) idOf.set(row.name, row);
});
afterAll(() => app.close());

const names = async (query: Record<string, unknown>, person = 1): Promise<string[]> =>
  (await app.call('listCatalogue', { query, person })).rows.map(({ name }) => name);
const copiesOf = (...files: string[]) => ({
  kind: 'copies' as const,
  copyIds: files.map((name) => idOf.get(name)?.copyId ?? 0),
});

describe('the order of what is found', () => {
  it('puts the name before keywords, and those before other fields', async () =>
    expect(await names({ q: 'gate ', sort: 'relevance' })).toEqual([
      expect.stringMatching(/^lock_gate/),
      expect.stringMatching(/^lock_gate/),
      'geese.wav',
    ]));

  it('pages through what is relevant without losing or repeating a row', async () => {
    const all = await names({ q: 'gate ', sort: 'relevance' });
    const seen: string[] = [];
    let after: string | undefined;
    do {
      const page = await app.call('listCatalogue', {
        query: { q: 'gate ', sort: 'relevance', limit: 1, ...(after ? { after } : {}) },
      });
      seen.push(...page.rows.map(({ name }) => name));
      after = page.next ?? undefined;
    } while (after !== undefined);
    expect(seen).toEqual(all);
  });

  it('sorts by several keys, each its own way round, page by page', async () => {
    const query = { sort: 'channels', then: '-fxName' };
    const all = await names(query);
    expect(all).toEqual(await names({ sort: 'fxName', direction: 'desc' }));
    const first = await app.call('listCatalogue', { query: { ...query, limit: 2 } });
    expect(await names({ ...query, after: first.next })).toEqual(all.slice(2));
    expect((await app.send('listCatalogue', { query: { then: 'nonsense' } })).status).toBe(400);
  });

  it('shuffles by a seed: the same one gives the same order, through all pages', async () => {
    const orders = await Promise.all([1, 2, 3, 4].map((seed) => names({ sort: 'shuffle', seed })));
    expect(new Set(orders.map(String)).size).toBeGreaterThan(1);
    expect(await names({ sort: 'shuffle', seed: 1 })).toEqual(orders[0]);
    const half = await app.call('listCatalogue', { query: { sort: 'shuffle', seed: 1, limit: 3 } });
    expect([
      ...half.rows.map(({ name }) => name),
      ...(await names({ sort: 'shuffle', seed: 1, after: half.next })),
    ]).toEqual(orders[0]);
  });

  it('puts what was never used first', async () => {
    const lists = await app.call('makePullList', { body: { name: 'Reel 1', show: '', scene: '' } });
    await app.call('addPullEntry', {
      params: { id: lists[0]?.id },
      body: { soundId: idOf.get('geese.wav')?.soundId, part: null, tryOut: null, comment: '' },
    });
    expect((await names({ sort: 'uses' })).at(-1)).toBe('geese.wav');
    expect(await names({ q: 'uses:>0' })).toEqual(['geese.wav']);
  });
});

describe('the words of the search line', () => {
  const read = (q: string) => app.call('readQuery', { query: { q } });

  it('are put right where no sound has them, and what is near occurs', async () => {
    expect(await read('narowboat ')).toMatchObject({
      corrected: 'narrowboat ',
      words: [{ text: 'narowboat', sounds: 0, instead: 'narrowboat' }],
    });
    // Without a space behind it, too: nothing begins so.
    expect((await read('narowboat')).corrected).toBe('narrowboat');
    expect(await read('gaet -engine geeze ')).toMatchObject({ corrected: 'gate -engine geese ' });
  });

  it('stay as they are where they occur, are still typed, or nothing is near', async () => {
    for (const q of ['gate ', 'gat', 'narrowb', 'narw', 'xylophone ', '"narowboat" ', 'description:narowboat ', ''])
      expect((await read(q)).corrected).toBeNull();
  });

  it('know words that mean the same and occur, and are then no slip', async () => {
    const [word] = (await read('lorry ')).words;
    expect(word).toMatchObject({ text: 'lorry', sounds: 0, instead: null });
    expect(word?.related).toContainEqual({ word: 'truck', kind: 'same', sounds: 1 });
  });

  it('stand beside each other: what has the word itself comes first', async () => {
    expect(await names({ q: 'lorry ' })).toEqual([]);
    expect(await names({ q: 'lorry ', also: 'lorry~truck' })).toEqual(['truck.wav']);
    const wide = await names({ q: 'rain ', also: 'rain~truck,rain~geese', sort: 'relevance' });
    expect(wide[0]).toBe('rain.wav');
    expect(wide).toHaveLength(3);
  });

  it('are related as people say, until they say otherwise', async () => {
    const related = async () => (await read('pottery ')).words[0]?.related.map(({ word }) => word);
    expect(await related()).toContain('clay');
    await app.call('saveRelation', { body: { word: 'Pottery', related: 'kiln', kind: 'narrower' } });
    await app.call('saveRelation', { body: { word: 'pottery', related: 'clay', kind: 'same', hidden: true } });
    expect(await related()).toEqual(['kiln']);
    for (const { id } of await app.call('listRelations')) await app.call('removeRelation', { params: { id } });
    expect(await related()).toContain('clay');
    expect((await app.send('saveRelation', { body: { word: 'a;b', related: 'x', kind: 'same' } })).status).toBe(400);
  });
});

describe('marks', () => {
  it('belong to each person; the mean is what is searched for and sorted by', async () => {
    await app.call('markSounds', { body: { selection: copiesOf('rain.wav', 'truck.wav'), rating: 5 } });
    await app.call('markSounds', { body: { selection: copiesOf('rain.wav'), rating: 2 }, person: 2 });
    expect(await names({ q: 'rating:5' })).toEqual(['truck.wav']);
    expect(await names({ q: 'rating:>=3', sort: 'rating', direction: 'desc' })).toEqual(['truck.wav', 'rain.wav']);
    expect(await names({ q: 'mine:2' }, 2)).toEqual(['rain.wav']);
    expect(await names({ q: 'mine:2' })).toEqual([]);
    // Nobody asks for what somebody else thinks, whatever the address says.
    expect(await names({ q: 'mine:2', person: '2' })).toEqual([]);
    await app.call('markSounds', { body: { selection: copiesOf('rain.wav'), rating: null }, person: 2 });
    expect(await names({ q: 'rating:5' })).toEqual(['rain.wav', 'truck.wav']);
  });

  it('hold favourites, tags and a note, and leave the record and its files alone', async () => {
    const selection = copiesOf('geese.wav');
    const rowNow = async () => (await app.call('listCatalogue', { query: { q: 'geese ' } })).rows[0];
    const before = await rowNow();
    await app.call('markSounds', {
      body: { selection, favourite: true, addTags: [' Reel3 ', 'weir'], note: 'for the opening' },
    });
    await app.call('markSounds', { body: { selection, removeTags: ['weir'] } });
    expect(await names({ q: 'is:favourite' })).toEqual(['geese.wav']);
    expect(await names({ q: 'is:favourite' }, 2)).toEqual([]);
    expect(await names({ q: 'is:loved tag:reel3' })).toEqual(['geese.wav']);
    const row = await rowNow();
    expect(row?.marks).toMatchObject([{ favourite: true, tags: ['reel3'], note: 'for the opening', rating: null }]);
    expect([row?.revision, row?.state]).toEqual([before?.revision, before?.state]);
  });

  it('need something to be given to', async () =>
    expect(
      (await app.send('markSounds', { body: { selection: { kind: 'copies', copyIds: [999_999] }, rating: 3 } })).body,
    ).toMatchObject({ code: 'NOTHING_SELECTED' }));
});

describe('saved searches', () => {
  it('count what they find, tell what arrived since, and are shared or not', async () => {
    const query = { q: 'narrowboat' };
    const [kept] = await app.call('saveSearch', { body: { name: 'Boats', query, shared: true } });
    expect(kept).toMatchObject({ name: 'Boats', count: 1, arrived: 0, own: true });
    await app.call('saveSearch', { body: { name: 'Only mine', query: { q: 'rain' } } });
    await app.put('boatyard/moored.wav', { seed: 50, tags: { info: { INAM: 'Narrowboat is moored' } } });
    const { batchId } = await app.intake('boatyard');
    await app.call('fileBatch', { params: { id: batchId } });
    expect((await app.call('listSavedSearches'))[0]).toMatchObject({ count: 2, arrived: 1 });
    const others = await app.call('listSavedSearches', { person: 2 });
    expect(others).toMatchObject([{ name: 'Boats', own: false }]);
    expect((await app.call('visitSavedSearch', { params: { id: kept?.id } }))[0]).toMatchObject({
      count: 2,
      arrived: 0,
    });
    expect((await app.send('removeSavedSearch', { params: { id: kept?.id }, person: 2 })).status).toBe(404);
    expect(await app.call('removeSavedSearch', { params: { id: kept?.id } })).toHaveLength(1);
  });

  it('refuse what is no search', async () => {
    const body = { name: 'Bad', query: { loudness: 'loud' } };
    expect((await app.send('saveSearch', { body })).body).toMatchObject({ code: 'BAD_REQUEST' });
  });
});

it('keeps layouts of columns for each person', async () => {
  const layout = { columns: [{ key: 'name', width: 200 }], density: 'dense' as const };
  await app.call('saveLayout', { body: { name: 'Narrow', layout } });
  const wide = { ...layout, density: 'roomy' as const };
  expect(await app.call('saveLayout', { body: { name: 'Narrow', layout: wide } })).toMatchObject([{ layout: wide }]);
  expect(await app.call('listLayouts', { person: 2 })).toEqual([]);
  const [{ id } = { id: 0 }] = await app.call('listLayouts');
  expect(await app.call('removeLayout', { params: { id } })).toEqual([]);
});

describe('exports', () => {
  const columns = ['path', 'fxName', 'description', 'keywords', 'library', 'durationSeconds'];
  const filter = { q: 'path:mill ' };
  async function exported(
    format: string,
    selection: unknown = { kind: 'catalogue', filter },
    order?: object,
  ): Promise<Buffer> {
    const request = JSON.stringify({ selection, format, columns, order });
    const answer = await app.http.post('/api/export').type('form').send({ request }).buffer(true).parse(bytesOf);
    expect(answer.status).toBe(200);
    return answer.body as Buffer;
  }

  it('are CSV and TSV that another program reads back: quotes, commas, lists', async () => {
    for (const [format, delimiter] of [
      ['csv', ','],
      ['tsv', '\t'],
    ] as const) {
      const rows: Record<string, string>[] = parse(await exported(format), { columns: true, bom: true, delimiter });
      expect(rows).toHaveLength(SOUNDS.length);
      expect(rows.find(({ path }) => path === 'mill/geese.wav')).toEqual({
        path: 'mill/geese.wav',
        fxName: 'Geese on the weir',
        description: 'Upset, by the gate',
        keywords: '',
        library: 'Mill "Days", 2',
        durationSeconds: expect.stringMatching(/^0\.\d+$|^\d+$/),
      });
      expect(rows.find(({ path }) => path === 'mill/lock_gate_shut.wav')?.['keywords']).toBe('gate, thud');
    }
  });

  it('are JSON Lines with numbers and lists as they are, of the selected rows alone', async () => {
    const text = (await exported('jsonl', copiesOf('lock_gate_open.wav'))).toString();
    expect(
      text
        .trimEnd()
        .split('\n')
        .map((line) => JSON.parse(line) as unknown),
    ).toEqual([
      expect.objectContaining({ keywords: ['gate', 'creak'], durationSeconds: expect.any(Number), library: '' }),
    ]);
  });

  it('come in the order of the list, whatever it is sorted by, and selected rows as they are named', async () => {
    const exportedPaths = async (selection: unknown, order: object) =>
      (await exported('jsonl', selection, order))
        .toString()
        .trimEnd()
        .split('\n')
        .map((line) => (JSON.parse(line) as { path: string }).path);
    const everything = { kind: 'catalogue', filter };
    for (const order of [
      { sort: 'name', direction: 'desc' },
      { sort: 'description', direction: 'asc', then: '-name' },
      { sort: 'relevance', direction: 'asc' },
      { sort: 'shuffle', direction: 'asc', seed: 5 },
    ]) {
      const { rows } = await app.call('listCatalogue', { query: { ...filter, ...order } });
      const listed = rows.map((row) => (row.folder === '' ? row.name : `${row.folder}/${row.name}`));
      expect([order, await exportedPaths(everything, order)]).toEqual([order, listed]);
    }
    const named = copiesOf('rain.wav', 'geese.wav') as { copyIds: number[] };
    const turned = { kind: 'copies', copyIds: [...named.copyIds].reverse() };
    const [one, other] = [await exportedPaths(named, { sort: 'name' }), await exportedPaths(turned, { sort: 'name' })];
    expect([one.length, one]).toEqual([2, [...other].reverse()]);
  });

  it('are sheets in which what looks like a formula is a text', async () => {
    const book = new ExcelJS.Workbook();
    await book.xlsx.load((await exported('xlsx')) as unknown as ArrayBuffer);
    const sheet = book.worksheets[0];
    expect(sheet?.getRow(1).values).toEqual([undefined, ...columns]);
    expect(sheet?.rowCount).toBe(1 + SOUNDS.length);
    const texts = sheet?.getColumn(3).values ?? [];
    expect(texts).toContain('=1+1');
  });

  it('are playlists: ffprobe opens what the first entry names, and XML is well formed', async () => {
    const selection = copiesOf('geese.wav', 'rain.wav');
    const lines = (await exported('m3u8', selection)).toString().trimEnd().split('\n');
    expect(lines[0]).toBe('#EXTM3U');
    expect(lines).toHaveLength(5);
    expect(lines[1]).toMatch(/^#EXTINF:\d+,Geese on the weir$/);
    const { stdout } = await run('ffprobe', [
      '-v',
      'error',
      '-show_entries',
      'format=format_name',
      '-of',
      'csv=p=0',
      `file:${lines[2]}`,
    ]);
    expect(stdout.trim()).toBe('wav');
    const xspf = (await exported('xspf', selection)).toString();
    expect(parseXml(xspf).children[0]?.children).toHaveLength(2);
    expect(xspf).toMatch(/<location>file:\/\/\/[^<]*\/mill\/geese\.wav<\/location><title>Geese on the weir<\/title>/);
  });

  it('refuse what is no request', async () => {
    expect((await app.http.post('/api/export').type('form').send({ request: 'no' })).status).toBe(400);
    expect((await app.http.post('/api/export').type('form').send({ request: '{}' })).status).toBe(400);
  });
});

describe('a table that is brought back', () => {
  const bring = (body: Buffer | string, query: Record<string, string>) =>
    app.http.post('/api/import').query(query).type('application/octet-stream').send(body);
  async function exportedAs(format: string, columns: string[]): Promise<Buffer> {
    const selection = { kind: 'catalogue', filter: { q: 'path:mill ' } };
    const request = JSON.stringify({ selection, format, columns });
    const answer = await app.http.post('/api/export').type('form').send({ request }).buffer(true).parse(bytesOf);
    return answer.body as Buffer;
  }

  it.each(['csv', 'tsv', 'xlsx', 'jsonl'])('says that nothing differs when nothing was edited: %s', async (format) => {
    const bytes = await exportedAs(format, [
      'path',
      'name',
      'catId',
      'fxName',
      'description',
      'keywords',
      'library',
      'rating',
    ]);
    expect((await bring(bytes, { format })).body).toMatchObject({
      rows: SOUNDS.length,
      changed: 0,
      unchanged: SOUNDS.length,
      problems: 0,
      unknown: [],
    });
  });

  it('tells what differs, changes nothing before it is asked to, then all as one change that is undone as one', async () => {
    const edited = (await exportedAs('csv', ['path', 'fxName', 'keywords']))
      .toString()
      .replace('Geese on the weir,', 'Geese by the weir,"geese, water"')
      .replace('Rain on the kiln roof', 'Rain on the roof');
    const query = { format: 'csv' };
    const told = (await bring(edited, query)).body as ImportResult;
    expect(told).toMatchObject({ changed: 2, unchanged: SOUNDS.length - 2, applied: false });
    expect(told.examples.find(({ name }) => name === 'geese.wav')?.changes).toEqual([
      { field: 'fxName', before: 'Geese on the weir', after: 'Geese by the weir' },
      { field: 'keywords', before: '', after: 'geese, water' },
    ]);
    expect(await names({ q: '"rain on the roof" ' })).toEqual([]);
    expect((await bring(edited, { ...query, apply: 'yes' })).body).toMatchObject({ changed: 2, applied: true });
    expect(await names({ q: '"rain on the roof" ' })).toEqual(['rain.wav']);
    await app.call('undoLast', { body: {} });
    expect(await names({ q: '"rain on the kiln roof" ' })).toEqual(['rain.wav']);
    expect((await bring(edited, query)).body).toMatchObject({ changed: 2 });
  });

  it('finds its sounds by their places while they are measured anew, when none has its digest', async () => {
    await app.measured();
    const bytes = await exportedAs('csv', ['audioDigest', 'path', 'fxName']);
    const kept = await app.context.db.select({ id: sounds.id, fullDigest: sounds.fullDigest }).from(sounds);
    expect(kept.every(({ fullDigest }) => (fullDigest ?? '') !== '')).toBe(true);
    await app.context.db.update(sounds).set({ fullDigest: null });
    expect((await bring(bytes, { format: 'csv' })).body).toMatchObject({
      rows: SOUNDS.length,
      unchanged: SOUNDS.length,
      problems: 0,
      unknown: [],
    });
    for (const { id, fullDigest } of kept)
      await app.context.db.update(sounds).set({ fullDigest }).where(eq(sounds.id, id));
  });

  it('says of single rows why they cannot be brought back, and goes on with the others', async () => {
    const table = [
      'Path,Rating,CatID,FXName,Colour',
      'mill/geese.wav,4,,New name,red',
      'mill/rain.wav,eleven,,,',
      'mill/truck.wav,,NOSUCH,,',
      'mill/nothing.wav,1,,,',
      'mill/geese.wav,5,,,',
      'mill/lock_gate_open.wav,,,,',
    ].join('\n');
    const { body } = (await bring(table, { format: 'csv' })) as { body: ImportResult };
    expect(body).toMatchObject({ rows: 6, changed: 1, unchanged: 1, problems: 4, unknown: ['Colour'] });
    expect(body.examples.map(({ line, problem }) => [line, problem])).toEqual([
      [2, null],
      [3, expect.stringContaining('no number')],
      [4, expect.stringContaining('NOSUCH')],
      [5, expect.stringContaining('No sound')],
      [6, expect.stringContaining('Line 2')],
    ]);
  });

  it('leaves a field alone where the cell is empty, unless empty cells are to empty it', async () => {
    const table = 'name\tlibrary\ngeese.wav\t\n';
    expect((await bring(table, { format: 'tsv' })).body).toMatchObject({ changed: 0 });
    expect((await bring(table, { format: 'tsv', empty: 'clear' })).body).toMatchObject({ changed: 1 });
  });

  it.each([
    ['csv', 'title,who\nA,B\n'],
    ['csv', 'name\ngeese.wav\n'],
    ['csv', 'name,fxName\n"geese.wav,A\n'],
    ['jsonl', '{"name": {"a": 1}}\n'],
    ['xlsx', 'no workbook'],
    ['csv', ''],
  ])('refuses what cannot be read, as %s: %j', async (format, text) => {
    const answer = await bring(text, { format });
    expect([answer.status, (answer.body as { code: string }).code]).toEqual([422, 'TABLE_INVALID']);
  });
});

describe('search rows', () => {
  it('are there for every sound, and say what its record, copies and measures say', async () => {
    const { rows } = await app.context.db.execute(sql`
      select s.id from sounds s left join search_rows f on f.sound_id = s.id left join records r on r.sound_id = s.id
      left join analyses a on a.sound_id = s.id
      where f.sound_id is null or f.filed <> (s.filed_at is not null) or f.fx_name <> lower(r.fx_name) or f.library <> r.library
        or f.loudness_lufs is distinct from a.loudness_lufs
        or f.name <> (select lower(c.name) from copies c where c.sound_id = s.id order by c.gone, c.id limit 1)`);
    expect(rows).toEqual([]);
  });

  it('hold texts of any length', async () => {
    const long = `${'gåndola '.repeat(900)}end`;
    const selection = copiesOf('truck.wav');
    await app.call('editRecords', {
      body: { selection, edit: { set: { library: long, fxName: long, licence: long } } },
    });
    expect(await names({ q: 'gandola ' })).toEqual(['truck.wav']);
    expect(await names({ q: `library:="${long.trim()}"` })).toEqual(['truck.wav']);
    await app.call('undoLast');
  });
});

it('stems as PostgreSQL says that it does', async () => {
  // ts_debug tells which dictionary answers with which lexeme: the English one gives “gate” for both.
  const { rows } = await app.context.db.execute<{ lexemes: string[] }>(
    sql`select lexemes from ts_debug('pg_catalog.english', 'gates gate') where alias = 'asciiword'`,
  );
  expect(rows.map(({ lexemes }) => lexemes)).toEqual([['gate'], ['gate']]);
  expect(await names({ q: 'gates ' })).toEqual(await names({ q: 'gate ' }));
});
