import { execFile } from 'node:child_process';
import { copyFile, mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import type { SoundRow } from '@flagstone/contract/record';
import { fingerprintBytes, readFingerprint } from '@flagstone/core/audio/fingerprint/fingerprint';
import { demoCollection } from '@flagstone/demo/collection';
import { demoFileBytes } from '@flagstone/demo/make-collection';
import { listQuerySchema } from '@flagstone/contract/selection';
import { allOf } from '@flagstone/server/db/sql-parts';
import { filterConditions } from '@flagstone/server/records/search-conditions';
import { rowOfSound } from '@flagstone/server/records/sound-rows';
import { compareFingerprints, findRecordings, otherFormsOf } from '@flagstone/server/records/same-recordings';
import { sql } from 'drizzle-orm';
import { TestApplication } from './test-application.ts';

jest.setTimeout(120_000);

let app: TestApplication;
let folder: string;
/** Three recordings of one to three seconds that differ. */
const originals: string[] = [];

const convert = (from: string, to: string, ...args: string[]) =>
  promisify(execFile)('ffmpeg', ['-v', 'error', '-y', '-i', from, '-map_metadata', '-1', ...args, to]);
const putConverted = async (at: number, to: string, ...args: string[]): Promise<void> => {
  const full = path.join(app.drive, to);
  await mkdir(path.dirname(full), { recursive: true });
  await convert(originals[at] ?? '', full, ...args);
};

beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-recordings-'));
  for (const words of ['VaseBreak_StoneFloor_02', 'gravel_003', 'KilnDoor_Clank_01']) {
    const sound = demoCollection().find((each) => each.path.includes(words));
    if (!sound) throw new Error(`the demo has no ${words}`);
    const file = path.join(folder, `${words}.wav`);
    await writeFile(file, demoFileBytes(sound));
    originals.push(file);
  }
  app = await TestApplication.open();
  await mkdir(path.join(app.drive, 'own'), { recursive: true });
  for (const [at, file] of originals.entries()) await copyFile(file, path.join(app.drive, 'own', `take ${at}.wav`));
  const { batchId } = await app.intake('own');
  await app.call('fileBatch', { params: { id: batchId } });
  await app.measured();
});
afterAll(async () => {
  await app.close();
  await rm(folder, { recursive: true, force: true });
});

const batchRows = async (batchId: number, q = ''): Promise<SoundRow[]> =>
  (await app.call('listBatchRows', { params: { id: batchId }, query: { sort: 'name', q } })).rows;
const pairs = async (): Promise<unknown[]> =>
  (await app.context.db.execute(sql`select sound_id, other_id, is_certain from same_recordings order by 1, 2`)).rows;

describe('recordings that are held already in another form', () => {
  let batchId = 0;

  it('are told in Intake, with which form keeps more', async () => {
    await putConverted(0, 'bought/one.wav', '-ar', '96000', '-c:a', 'pcm_s32le');
    await putConverted(1, 'bought/two.mp3', '-b:a', '128k', '-af', 'adelay=500:all=1');
    await app.put('bought/three.wav', { seed: 77 });
    batchId = (await app.intake('bought')).batchId;
    await app.measured();
    const rows = await batchRows(batchId);
    expect(rows.map(({ name, heldAs }) => [name, heldAs?.quality])).toEqual([
      ['one.wav', 'worse'],
      ['three.wav', undefined],
      ['two.mp3', 'better'],
    ]);
    expect((await app.call('getBatch', { params: { id: batchId } })).counts.held).toBe(2);
    expect((await batchRows(batchId, 'is:doubled')).map(({ name }) => name)).toEqual(['one.wav', 'two.mp3']);
  });

  it('are listed from either side, once both are in the catalogue', async () => {
    const [one] = await batchRows(batchId);
    const ofNew = await app.call('listOtherForms', { params: { id: one?.soundId ?? 0 } });
    expect(ofNew.map(({ row, quality }) => [row.name, quality])).toEqual([['take 0.wav', 'worse']]);
    // What is still in preparation is no double of what is in the catalogue.
    const doubled = { query: { q: 'is:doubled', sort: 'name' } } as const;
    expect((await app.call('listCatalogue', doubled)).rows).toEqual([]);
    await app.call('fileBatch', { params: { id: batchId } });
    const names = (await app.call('listCatalogue', doubled)).rows.map(({ name }) => name);
    expect(names).toEqual(['one.wav', 'take 0.wav', 'take 1.wav', 'two.mp3']);
    const ofOld = await app.call('listOtherForms', { params: { id: ofNew[0]?.row.soundId ?? 0 } });
    expect(ofOld.map(({ row, quality }) => [row.name, quality])).toEqual([['one.wav', 'better']]);
    expect(ofOld[0]?.difference).toBeLessThan(0.2);
  });

  it('are not told to those who do not see the other form', async () => {
    const [collection] = (await app.call('makeCollection', { body: { name: 'Bought' } })).filter(
      ({ name }) => name === 'Bought',
    );
    const readFolder = (await app.call('listReadFolders')).find((each) => each.path.endsWith('bought'));
    const moved = { collectionId: collection?.id ?? 0 };
    await app.call('updateReadFolder', { params: { id: readFolder?.id ?? 0 }, body: moved });
    const seesOwn = [1];
    const query = listQuerySchema.parse({ q: 'is:doubled' });
    const soundId =
      (await app.call('listCatalogue', { query: { q: 'name:take', sort: 'name' } })).rows[0]?.soundId ?? 0;
    expect((await rowOfSound(app.context, soundId, 'all'))?.heldAs).not.toBeNull();
    expect((await rowOfSound(app.context, soundId, seesOwn))?.heldAs).toBeNull();
    expect(await otherFormsOf(app.context, soundId, seesOwn)).toEqual([]);
    const conditions = filterConditions({ ...query, seenBy: seesOwn }, { kind: 'catalogue' });
    const { rows } = await app.context.db.execute(
      sql`select f.sound_id from search_rows f join copies c on c.sound_id = f.sound_id where ${allOf(conditions)}`,
    );
    expect(rows).toEqual([]);
  });

  it('are compared once more where a process ended in between, by one at a time, with the same result', async () => {
    const before = await pairs();
    expect(before.length).toBe(4);
    await app.context.db.execute(sql`delete from same_recordings`);
    await app.context.db.execute(sql`update fingerprints set is_compared = false`);
    const compared = await Promise.all(Array.from({ length: 4 }, () => compareFingerprints(app.context)));
    expect(compared.reduce((sum, each) => sum + each, 0)).toBe(6);
    expect(await pairs()).toEqual(before);
    expect(await compareFingerprints(app.context)).toBe(0);
  });

  it('are not found by fingerprints of another version, and a full page of them comes in one go', async () => {
    const { rows } = await app.context.db.execute<{ print: Buffer }>(
      sql`select print from fingerprints order by sound_id limit 1`,
    );
    const print = readFingerprint(rows[0]?.print ?? Buffer.alloc(0));
    expect(Buffer.from(fingerprintBytes(print))).toEqual(rows[0]?.print);
    const asked = new Map(Array.from({ length: 60 }, (_, number) => [number, print]));
    const found = await findRecordings(app.context.db, asked, sql`true`);
    expect([...found.values()].every((others) => others.length === 2)).toBe(true);
    expect(found.size).toBe(60);
    await app.context.db.execute(sql`update fingerprints set version = 0`);
    expect(await findRecordings(app.context.db, asked, sql`true`)).toEqual(new Map());
    await app.context.db.execute(sql`update fingerprints set version = 1`);
  });
});
