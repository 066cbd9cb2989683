import path from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import { wavBytes } from '@flagstone/demo/wav-file';
import { addPersonWith } from '../signed-in.ts';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let folder = '';
let batchId = 0;
let count = 0;

beforeAll(async () => {
  app = await TestApplication.open();
});
afterAll(() => app.close());

/** A sound of so many seconds, like no other. */
function sound(seconds: number, seed: number): Uint8Array {
  const signal = Float32Array.from(
    { length: Math.round(seconds * 8000) },
    (_, at) => Math.sin(at / (3 + seed / 50)) * 0.4,
  );
  return wavBytes([signal], { rate: 8000, bits: 16 });
}

beforeEach(async () => {
  folder = `Job ${(count += 1)}`;
  const files: [string, number][] = [
    ['Kilns/door.wav', 1],
    ['Kilns/Day 2/vent.wav', 4],
    ['Looms/shuttle.wave', 12],
    ['loose.wav', 70],
  ];
  for (const [at, [file, seconds]] of files.entries())
    await app.put(`${folder}/${file}`, { bytes: sound(seconds, count * 20 + at) });
  batchId = (await app.intake(folder)).batchId;
});

const rowsOf = async (id: number): Promise<string[]> =>
  (await app.call('listBatchRows', { params: { id } })).rows.map(({ name }) => name).sort();
const listed = async () => (await app.call('listBatches')).filter(({ folder: each }) => each === folder);

describe('splitting a batch', () => {
  it.each([
    ['folder', { 'loose.wav': 0, 'door.wav': 1, 'vent.wav': 1, 'shuttle.wave': 2 }],
    ['type', { 'door.wav': 0, 'loose.wav': 0, 'vent.wav': 0, 'shuttle.wave': 1 }],
    ['length', { 'door.wav': 0, 'vent.wav': 1, 'shuttle.wave': 2, 'loose.wav': 3 }],
  ] as const)('by %s shows its parts first, and makes them', async (by, expected) => {
    const shown = await app.call('previewSplit', { params: { id: batchId }, body: { by } });
    expect((await listed()).length).toBe(1);
    const made = await app.call('splitBatch', { params: { id: batchId }, body: { by } });
    expect(made.map(({ name, counts }) => [name, counts.all])).toEqual(shown.map(({ name, files }) => [name, files]));
    const parts = await Promise.all(made.map(({ id }) => rowsOf(id)));
    const found = Object.fromEntries(parts.flatMap((names, at) => names.map((name) => [name, at])));
    expect(found).toEqual(expected);
    expect(made[1]?.partOf).toEqual({ id: batchId, name: folder });
  });

  it('by number takes so many files each, in their order', async () => {
    const made = await app.call('splitBatch', { params: { id: batchId }, body: { by: 'number', size: 3 } });
    expect(made.map(({ counts }) => counts.all)).toEqual([3, 1]);
  });

  it('that gives one part alone makes none, and one that gives hundreds neither', async () => {
    const one = await app.send('splitBatch', { params: { id: batchId }, body: { by: 'number', size: 10 } });
    expect(one.body).toMatchObject({ code: 'NOTHING_SELECTED' });
    expect((await listed()).length).toBe(1);
  });

  it('stays as it is when the folder is read again, and is taken back by folding', async () => {
    const [, kilns] = await app.call('splitBatch', { params: { id: batchId }, body: { by: 'folder' } });
    await app.put(`${folder}/Kilns/new.wav`, { bytes: sound(2, count * 20 + 9) });
    await app.intake(folder);
    expect(await rowsOf(kilns?.id ?? 0)).toEqual(['door.wav', 'vent.wav']);
    expect(await rowsOf(batchId)).toEqual(['loose.wav', 'new.wav']);
    await app.call('foldBatch', { params: { id: kilns?.id ?? 0 } });
    expect(await rowsOf(batchId)).toEqual(['door.wav', 'loose.wav', 'new.wav', 'vent.wav']);
    // What was folded back is listed no more.
    expect((await listed()).map(({ name }) => name).sort()).toEqual([folder, `${folder} · Looms`].sort());
  });
});

describe('rows of a batch', () => {
  it('go to a new batch, and to one that there is', async () => {
    const { rows } = await app.call('listBatchRows', { params: { id: batchId } });
    const [door, ...others] = rows.map(({ copyId }) => copyId);
    const selection = (copyIds: number[]) => ({ kind: 'copies' as const, copyIds });
    const made = await app.call('moveRows', {
      params: { id: batchId },
      body: { selection: selection([door ?? 0]), to: { name: 'First' } },
    });
    expect(made).toMatchObject({ moved: 1, batch: { name: 'First', counts: { all: 1 } } });
    const to = { batchId: made.batch.id };
    const more = await app.call('moveRows', { params: { id: batchId }, body: { selection: selection(others), to } });
    expect(more).toMatchObject({ moved: 3, batch: { counts: { all: 4 } } });
    // They are gone from there: nothing is moved twice.
    const again = await app.send('moveRows', { params: { id: batchId }, body: { selection: selection(others), to } });
    expect(again.body).toMatchObject({ code: 'NOTHING_SELECTED' });
  });

  it('stay where they are when two people move them at once to two batches: each goes to one', async () => {
    const selection = { kind: 'batch' as const, batchId };
    const moves = await Promise.all(
      ['One', 'Other'].map((name) =>
        app.send('moveRows', { params: { id: batchId }, body: { selection, to: { name } } }),
      ),
    );
    const moved = moves.map(({ status, body }) => (status === 200 ? (body as { moved: number }).moved : 0));
    expect(moved.sort()).toEqual([0, 4]);
    const all = (await listed()).reduce((sum, { counts }) => sum + counts.all, 0);
    expect(all).toBe(4);
  });

  it('do not leave a batch that is filed, nor go to another collection', async () => {
    const made = await app.call('makeCollection', { body: { name: `Other ${count}` } });
    const collectionId = made.find(({ name }) => name === `Other ${count}`)?.id ?? 0;
    await app.put(`Away ${count}/wheel.wav`, { bytes: sound(1, count * 20 + 11) });
    const { batch, job } = await app.call('startIntake', {
      body: { path: path.join(app.drive, `Away ${count}`), collectionId },
    });
    await app.ended(job);
    const selection = { kind: 'batch' as const, batchId };
    const move = (to: object) => app.send('moveRows', { params: { id: batchId }, body: { selection, to } });
    expect((await move({ batchId: batch.id })).body).toMatchObject({ code: 'CONFLICT' });
    await app.call('fileBatch', { params: { id: batchId } });
    expect((await move({ name: 'x' })).body).toMatchObject({ code: 'CONFLICT' });
    expect((await app.send('splitBatch', { params: { id: batchId }, body: { by: 'type' } })).body).toMatchObject({
      code: 'CONFLICT',
    });
  });
});

describe('a batch', () => {
  it('is given to somebody who prepares sounds of its collection, and to nobody else', async () => {
    const { id: assistant } = await addPersonWith(app.context.db, `Assistant ${count}`, [
      { collectionId: 1, role: 'assistant' },
    ]);
    const { id: listener } = await addPersonWith(app.context.db, `Listener ${count}`, [
      { collectionId: 1, role: 'listener' },
    ]);
    const give = (givenTo: number | null) => app.send('updateBatch', { params: { id: batchId }, body: { givenTo } });
    expect((await give(assistant)).body).toMatchObject({ givenTo: { id: assistant, name: `Assistant ${count}` } });
    expect((await give(listener)).status).toBe(404);
    expect((await give(null)).body).toMatchObject({ givenTo: null });
  });

  it('lists what was not taken up, and why', async () => {
    await app.put(`${folder}/Kilns/notes.pdf`, { bytes: sound(1, 1) });
    await app.put(`${folder}/old.wma`, { bytes: sound(1, 1) });
    await app.put(`${folder}/.hidden.wav`, { bytes: sound(1, 1) });
    await app.intake(folder);
    const found = await app.call('listNotTaken', { params: { id: batchId } });
    expect(found.map(({ path: file, code }) => [file, code])).toEqual([
      [`${folder}/Kilns/notes.pdf`, 'NO_SOUND'],
      [`${folder}/old.wma`, 'FORMAT_NOT_SUPPORTED'],
    ]);
    expect((await app.call('getBatch', { params: { id: batchId } })).counts.leftOut).toBe(2);
  });
});
