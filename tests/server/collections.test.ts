import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import type { Collection, CollectionChange } from '@flagstone/contract/collections';
import { sql } from 'drizzle-orm';
import { readAgainWhatIsDue } from '@flagstone/server/intake/read-folders';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let effects = 0;
let music = 0;
beforeEach(async () => {
  app = await TestApplication.open();
  await app.put('effects/weir.wav', { seed: 1 });
  await app.put('effects/client/loom.wav', { seed: 2 });
  await app.put('music/waltz.wav', { seed: 3 });
  effects = idOf(await app.call('listCollections'), 'Effects');
  music = idOf(await app.call('makeCollection', { body: { name: '  Music ' } }), 'Music');
});
afterEach(() => app.close());

const idOf = (list: Collection[], name: string): number => list.find((each) => each.name === name)?.id ?? 0;
const named = async (name: string) => (await app.call('listCollections')).find((each) => each.name === name);
const update = (id: number, body: CollectionChange) => app.send('updateCollection', { params: { id }, body });
const inCatalogue = async (collection = '') =>
  (await app.call('listCatalogue', { query: { collection } })).rows.map((row) => row.name).sort();
const folder = async (ending: string) => (await app.call('listReadFolders')).find((each) => each.path.endsWith(ending));

async function intakeInto(name: string, collectionId?: number): Promise<number> {
  const body = { path: path.join(app.drive, name), ...(collectionId === undefined ? {} : { collectionId }) };
  const { batch, job } = await app.call('startIntake', { body });
  await app.ended(job);
  await app.call('fileBatch', { params: { id: batch.id } });
  return batch.id;
}

async function readBoth(): Promise<void> {
  await intakeInto('effects');
  await intakeInto('music', music);
}

describe('a collection', () => {
  it('has a name of its own', async () => {
    expect((await app.send('makeCollection', { body: { name: 'music' } })).status).toBe(409);
    expect((await app.send('makeCollection', { body: { name: ' ' } })).status).toBe(400);
    expect((await update(music, { name: 'EFFECTS' })).status).toBe(409);
    expect((await update(9999, { name: 'Nobody' })).status).toBe(404);
  });

  it('holds the sounds of its folders, searched apart or together', async () => {
    await readBoth();
    expect(await inCatalogue()).toEqual(['loom.wav', 'waltz.wav', 'weir.wav']);
    expect(await inCatalogue(`${music}`)).toEqual(['waltz.wav']);
    expect(await inCatalogue(`${effects},${music}`)).toHaveLength(3);
    expect(await named('Music')).toMatchObject({ folders: 1, files: 1, retired: false });
    for (const collection of ['1;drop', '99999999999', '1,', '-1'])
      expect((await app.send('listCatalogue', { query: { collection } })).status).toBe(400);
    const unknown = { path: path.join(app.drive, 'effects/client'), collectionId: 9999 };
    expect((await app.send('startIntake', { body: unknown })).status).toBe(404);
  });

  it('takes a folder in a folder with what is known of it, and gives it back', async () => {
    await readBoth();
    const client = idOf(await app.call('makeCollection', { body: { name: 'Client' } }), 'Client');
    await intakeInto('effects/client', client);
    expect(await inCatalogue(`${client}`)).toEqual(['loom.wav']);
    expect(await inCatalogue(`${effects}`)).toEqual(['weir.wav']);
    // Read from the folder above, it stays where it is; the folder above counts it all the same.
    await intakeInto('effects');
    expect(await inCatalogue(`${client}`)).toEqual(['loom.wav']);
    expect((await folder('effects'))?.files).toBe(2);
    await app.call('updateReadFolder', {
      params: { id: (await folder('client'))?.id },
      body: { collectionId: effects },
    });
    expect(await inCatalogue(`${client}`)).toEqual([]);
    expect(await inCatalogue(`${effects}`)).toEqual(['loom.wav', 'weir.wav']);
  });

  it('that is retired is listed only when it is asked for, and takes no folder', async () => {
    await readBoth();
    expect((await update(music, { retired: true })).status).toBe(200);
    expect(await inCatalogue()).toEqual(['loom.wav', 'weir.wav']);
    expect(await inCatalogue(`${music}`)).toEqual(['waltz.wav']);
    // The index beside the list counts what the list shows.
    const counted = async (query: object) =>
      (await app.call('countIndex', { query: { ...query } })).categories.categories.reduce(
        (sum, { count }) => sum + count,
        0,
      );
    expect([await counted({}), await counted({ collection: `${music}` })]).toEqual([2, 1]);
    expect([await counted({ state: 'gone' }), await counted({ state: 'notInStep' })]).toEqual([0, 0]);
    await app.put('more music/reel.wav', { seed: 4 });
    const body = { path: path.join(app.drive, 'more music'), collectionId: music };
    expect((await app.send('startIntake', { body })).status).toBe(404);
    expect((await update(music, { retired: false })).status).toBe(200);
    expect(await inCatalogue()).toHaveLength(3);
  });

  it('is merged into another with its folders and people, and the last one stays', async () => {
    await readBoth();
    const roles = [{ collectionId: music, role: 'editor' }];
    await app.call('changeAccount', { params: { id: 2 }, body: { roles } });
    const waltz = (await app.call('listCatalogue', { query: { collection: `${music}` } })).rows[0];
    const edit = { set: { catId: 'MUSCMisc' } };
    await app.call('editRecords', { body: { selection: { kind: 'copies', copyIds: [waltz?.copyId] }, edit } });
    const learned = await app.call('listLearned', { params: { id: music } });
    expect(learned.total).toBeGreaterThan(0);
    const into = idOf(await app.call('makeCollection', { body: { name: 'All tunes' } }), 'All tunes');
    const list = await app.call('mergeCollection', { params: { id: music }, body: { intoId: into } });
    expect(list.find((each) => each.id === into)).toMatchObject({
      people: [{ personId: 2, role: 'editor' }],
      folders: 1,
      files: 1,
    });
    expect(list.some((each) => each.name === 'Music')).toBe(false);
    expect(await app.call('listLearned', { params: { id: into } })).toEqual(learned);
    expect((await app.send('mergeCollection', { params: { id: into }, body: { intoId: into } })).status).toBe(400);
    for (const { id, name } of list) if (name !== 'Effects') await update(id, { retired: true });
    expect((await update(effects, { retired: true })).status).toBe(400);
    expect(await named('Effects')).toMatchObject({ retired: false });
  });

  it('names its sounds after its own pattern', async () => {
    await readBoth();
    const wrong = await update(effects, { pattern: { kind: 'free', template: '{fxName} {pitch}' } });
    expect([wrong.status, wrong.body]).toMatchObject([422, { code: 'PATTERN_INVALID' }]);
    expect(
      (await update(effects, { pattern: { kind: 'free', template: '{fxName:upper}[ - {library}]' } })).status,
    ).toBe(200);
    const { rows } = await app.call('listCatalogue', { query: { collection: `${effects}` } });
    const weir = rows.find((row) => row.name === 'weir.wav');
    const selection = { kind: 'copies', copyIds: [weir?.copyId] };
    await app.call('editRecords', { body: { selection, edit: { set: { fxName: 'Weir', library: 'Canal' } } } });
    const plan = await app.call('makePlan', { body: { kind: 'rename', selection } });
    const { items } = await app.call('listPlanItems', { params: { id: plan.id } });
    expect(items.map((item) => [item.after['name'], item.blocks])).toEqual([['WEIR - Canal.wav', null]]);
    await update(effects, { pattern: null });
  });
});

describe('a folder that is read now and then', () => {
  it('is read when its time has come, once', async () => {
    await readBoth();
    const id = (await folder('effects'))?.id;
    await app.call('updateReadFolder', { params: { id }, body: { rereadMinutes: 60 } });
    expect(await readAgainWhatIsDue(app.context)).toBe(0);
    await app.context.db.execute(sql`update folders set last_read_at = now() - interval '61 minutes' where id = ${id}`);
    await app.put('effects/late.wav', { seed: 5 });
    expect(await readAgainWhatIsDue(app.context)).toBe(1);
    expect(await readAgainWhatIsDue(app.context)).toBe(0);
    const job = (await app.call('listJobs')).find((each) => each.kind === 'index' && each.title.endsWith('again'));
    expect(job && (await app.ended(job)).result).toMatchObject({ new: 1 });
    await app.call('updateReadFolder', { params: { id }, body: { rereadMinutes: null } });
    expect((await folder('effects'))?.rereadMinutes).toBeNull();
  });
});
