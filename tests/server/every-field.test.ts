import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { SEARCH_FIELDS } from '@flagstone/core/query/search-fields';
import { records } from '@flagstone/server/db/schema';
import { getTableColumns, sql } from 'drizzle-orm';
import { TestApplication } from './test-application.ts';

const FILES = ['mill/geese.wav', 'mill/wheel/Paddle-2.wav', 'race/geese.wav', 'race/lock/gate.wav'];
const [GEESE, PADDLE, RACE, GATE] = FILES as [string, string, string, string];
let app: TestApplication;
let driveName = '';
const idOf = new Map<string, { soundId: number; copyId: number }>();

beforeAll(async () => {
  app = await TestApplication.open();
  for (const [index, file] of FILES.entries()) await app.put(file, { seed: index + 1 });
  const { batchId } = await app.intake();
  await app.measured();
  await app.call('fileBatch', { params: { id: batchId } });
  for (const row of (await app.call('listCatalogue')).rows) {
    idOf.set(`${row.folder}/${row.name}`, row);
    driveName = row.driveName;
  }
});
afterAll(() => app.close());

async function found(q: string, query: Record<string, unknown> = {}, person = 1): Promise<string[]> {
  const { rows } = await app.call('listCatalogue', { query: { q: `${q} `, sort: 'folder', ...query }, person });
  return rows.map(({ folder, name }) => `${folder}/${name}`);
}
const without = (...files: string[]): string[] => FILES.filter((file) => !files.includes(file));

/** Writes into a record, past all checks, and makes its search row anew. */
async function say(file: string, column: string, value: unknown): Promise<void> {
  const { db } = app.context;
  const id = idOf.get(file)?.soundId;
  await db.execute(sql`update records set ${sql.identifier(column)} = ${value} where sound_id = ${id}`);
  await db.execute(sql`select flagstone_refresh_search(array[${id}]::bigint[])`);
}

const IN_RECORDS = SEARCH_FIELDS.flatMap(({ name, kind, field }) =>
  kind === 'text' && field ? [[name, getTableColumns(records)[field].name] as const] : [],
);

describe('a field of the search line', () => {
  it.each(IN_RECORDS)('“%s” finds words, phrases and whole values of its own field alone', async (name, column) => {
    const text = "Weir's Tollgäte-Herons CamelCase 7";
    const value = column === 'keywords' ? sql`array[${text}]` : text;
    const empty = column === 'keywords' ? sql`'{}'` : '';
    const other = column === 'notes' ? 'location' : 'notes';
    await say(GEESE, column, value);
    await say(PADDLE, other, text);
    for (const asked of [
      'heron',
      'TOLLGATE',
      'camel',
      'camelcase',
      '7',
      '"tollgate herons"',
      '"Tollgäte-Herons"',
      '"weir\'s tollgate.herons"',
      `="${text}"`,
      `="${text.toUpperCase()}"`,
    ])
      expect([asked, await found(`${name}:${asked}`)]).toEqual([asked, [GEESE]]);
    for (const asked of ['her', '"herons tollgate"', '"7 weir\'s"', '=herons', '="herons camelcase 7"', 'gull'])
      expect([asked, await found(`${name}:${asked}`)]).toEqual([asked, []]);
    expect(await found(`-${name}:heron`)).toEqual(without(GEESE));
    expect(await found(`-${name}:="${text}"`)).toEqual(without(GEESE));
    expect(await found(`${name}:heron | ${other}:heron`)).toEqual([GEESE, PADDLE].sort());
    await say(GEESE, column, empty);
    await say(PADDLE, other, '');
    expect(await found(`${name}:heron`)).toEqual([]);
  });

  it('finds a phrase with dots and hyphens in file names, as they are written', async () => {
    expect(await found('name:"paddle-2.wav"')).toEqual([PADDLE]);
    expect(await found('name:"Paddle_2"')).toEqual([PADDLE]);
    expect(await found('name:"2-paddle"')).toEqual([]);
  });

  it('has its own phrases: none begins in one field and ends in the next', async () => {
    await say(GATE, 'fx_name', 'Lock gate');
    await say(GATE, 'keywords', sql`array['creak', 'sluice oak']`);
    await say(GATE, 'description', 'Heavy paddles');
    await say(GATE, 'notes', 'winding');
    for (const q of ['"lock gate"', '"sluice oak"', '"heavy paddles"', '"race"', '"gate wav"'])
      expect([q, (await found(q)).includes(GATE)]).toEqual([q, true]);
    for (const q of [
      '"gate creak"',
      '"creak sluice"',
      '"oak heavy"',
      '"paddles winding"',
      '"lock gate wav"',
      '"race lock"',
    ])
      expect([q, (await found(q)).includes(GATE)]).toEqual([q, false]);
    for (const column of ['fx_name', 'description', 'notes']) await say(GATE, column, '');
    await say(GATE, 'keywords', sql`'{}'`);
  });

  it('finds a whole value that has no word that says anything, and quotes of all kinds', async () => {
    await say(GATE, 'publisher', 'The');
    expect(await found('publisher:=the')).toEqual([GATE]);
    expect(await found('publisher:the')).toEqual([]);
    await say(GATE, 'publisher', String.raw`O'Mill \ Sons & "Lock"`);
    expect(await found(`publisher:o'mill publisher:sons`)).toEqual([GATE]);
    expect(await found(String.raw`publisher:"mill \ sons"`)).toEqual([GATE]);
    expect(await found(String.raw`publisher:\\'':*|!`)).toEqual([]);
    await say(GATE, 'publisher', '');
  });

  it('is never answered by what somebody wrote to look like a term', async () => {
    await say(GATE, 'notes', "is=clipped d=heron 'd=heron' state=behind container=flac");
    for (const q of ['is:clipped', 'description:heron', 'state:behind', 'container:flac'])
      expect([q, await found(q)]).toEqual([q, []]);
    await say(GATE, 'notes', '');
  });

  it.each<[string, () => string[]]>([
    ['name:paddle', () => [PADDLE]],
    ['name:="paddle-2.wav"', () => [PADDLE]],
    ['name:"paddle 2"', () => [PADDLE]],
    ['name:="paddle"', () => []],
    ['folder:race', () => [RACE, GATE].sort()],
    ['folder:="race"', () => [RACE]],
    ['folder:wheel', () => [PADDLE]],
    ['container:wa', () => FILES],
    ['container:=wa', () => []],
    ['container:=wav', () => FILES],
    ['layout:mo', () => FILES],
    ['layout:=mono', () => FILES],
    ['layout:5.1', () => []],
    ['-layout:mono', () => []],
    ['copies:1', () => FILES],
    ['copies:>1', () => []],
    ['state:instep', () => FILES],
    ['-state:instep', () => []],
    ['is:silent', () => []],
    ['rating:0', () => FILES],
    ['rating:<3', () => []],
    ['-rating:<3', () => FILES],
  ])('“%s” finds what it says of files and measures', async (q, files) => {
    expect(await found(q)).toEqual(files());
  });

  it('“in” and “drive” find folders as they lie within each other, and a drive by words and as a whole', async () => {
    const inside = (folder: string): string => `in:"${driveName}${folder}"`;
    expect(await found(inside(''))).toEqual(FILES);
    expect(await found(inside('/mill'))).toEqual([GEESE, PADDLE].sort());
    expect(await found(inside('/race/lock/'))).toEqual([GATE]);
    expect(await found(inside('/rac'))).toEqual([]);
    expect(await found('in:"No such drive/mill"')).toEqual([]);
    expect(await found(`${inside('/mill')} | ${inside('/race/lock')}`)).toEqual(without(RACE));
    const [drive] = await app.call('listDrives');
    const rename = (name: string) => app.call('updateDrive', { params: { id: drive?.id ?? '' }, body: { name } });
    await rename('Mill Race');
    for (const [q, files] of [
      ['drive:race', FILES],
      ['drive:="mill race"', FILES],
      ['drive:=mill', []],
      ['drive:"race mill"', []],
      ['in:"Mill Race/mill"', [GEESE, PADDLE].sort()],
    ] as const)
      expect([q, await found(q)]).toEqual([q, files]);
    await rename(driveName);
  });

  it('knows numbers, marks and what was cut or sliced', async () => {
    await say(GATE, 'weight', 4);
    await say(GATE, 'tempo', 92.5);
    await say(GATE, 'slices', '100,200');
    const selection = { kind: 'copies', copyIds: [idOf.get(RACE)?.copyId ?? 0] };
    await app.call('markSounds', { body: { selection, rating: 4, favourite: true, addTags: ['reel3'] } });
    for (const [q, files] of [
      ['weight:4..5', [GATE]],
      ['weight:<4', []],
      ['-weight:4', without(GATE)],
      ['tempo:90..95', [GATE]],
      ['is:sliced', [GATE]],
      ['is:cut', []],
      ['mine:>=4', [RACE]],
      ['-mine:>=4', without(RACE)],
      ['is:favourite', [RACE]],
      ['-is:loved', without(RACE)],
      ['tag:reel', [RACE]],
      ['tag:=reel', []],
      ['rating:>=3', [RACE]],
      ['rating:0', without(RACE)],
    ] as const)
      expect([q, await found(q)]).toEqual([q, files]);
    expect(await found('mine:>=4', {}, 2)).toEqual([]);
    await app.call('markSounds', { body: { selection, rating: null, favourite: false, removeTags: ['reel3'] } });
    for (const column of ['weight', 'tempo']) await say(GATE, column, null);
    await say(GATE, 'slices', '');
  });

  it('knows pull lists by their names, shows and scenes, and when a sound was pulled', async () => {
    const [list] = await app.call('makePullList', { body: { name: 'Reel 2', show: 'Wéir', scene: '14 night' } });
    const params = { id: list?.id ?? 0 };
    await app.call('addPullEntry', { params, body: { soundId: idOf.get(RACE)?.soundId } });
    for (const [q, files] of [
      ['list:reel', [RACE]],
      ['list:weir', [RACE]],
      ['list:"14 night"', [RACE]],
      ['list:="reel 2"', [RACE]],
      ['list:=reel', []],
      ['-list:reel', without(RACE)],
      ['used:<1d', [RACE]],
      ['used:>1d', []],
      ['-used:<90d', without(RACE)],
      [`used:${new Date().getUTCFullYear()}`, [RACE]],
    ] as const)
      expect([q, await found(q)]).toEqual([q, files]);
    await app.call('removePullList', { params });
    expect(await found('list:reel')).toEqual([]);
  });

  it('“missing” and every order look at what is there', async () => {
    await say(PADDLE, 'description', 'Wooden paddles');
    await say(GATE, 'weight', 4);
    expect(await found('', { missing: 'description' })).toEqual(without(PADDLE));
    expect(await found('', { missing: 'weight' })).toEqual(without(GATE));
    for (const sort of ['description', 'keywords', 'creatorId', 'sourceId', 'folder', 'state', 'loudness', 'rating']) {
      const all = await found('', { sort });
      expect(all.toSorted()).toEqual(FILES);
      const first = await app.call('listCatalogue', { query: { sort, limit: 2 } });
      expect(await found('', { sort, after: first.next })).toEqual(all.slice(2));
      expect(await found('', { sort, direction: 'desc' })).toEqual(all.toReversed());
    }
    expect((await found('', { sort: 'description' })).at(-1)).toBe(PADDLE);
    await say(PADDLE, 'description', '');
    await say(GATE, 'weight', null);
  });
});
