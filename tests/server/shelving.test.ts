import { link, mkdir, readdir, readFile, rename, unlink, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { PlanItem } from '@flagstone/contract/plans';
import type { SoundRow } from '@flagstone/contract/record';
import { recoverJournal } from '@flagstone/server/plans/plan-jobs';
import { TestApplication, toneBytes } from './test-application.ts';

let app: TestApplication;
let seed = 40;

beforeAll(async () => {
  app = await TestApplication.open();
  await mkdir(path.join(app.drive, 'Shelf'));
  const body = { shelfPath: path.join(app.drive, 'Shelf'), shelfTemplate: '{library}/{category}' };
  await app.call('updateCollection', { params: { id: 1 }, body });
});
afterAll(() => app.close());

/** Sounds of a new folder, described as water of a library. */
async function landed(
  names: readonly string[],
  library = 'Canal',
): Promise<{ folder: string; batchId: number; rows: SoundRow[] }> {
  const folder = `Landed ${(seed += 10)}`;
  for (const [at, name] of names.entries()) await app.put(`${folder}/${name}`, { seed: seed + at });
  const { batchId } = await app.intake(folder);
  const selection = { kind: 'batch' as const, batchId };
  await app.call('editRecords', { body: { selection, edit: { set: { library, catId: 'WATRFlow' } } } });
  return { folder, batchId, rows: (await app.call('listBatchRows', { params: { id: batchId } })).rows };
}

async function plan(batchId: number): Promise<{ id: number; items: PlanItem[] }> {
  const { id } = await app.call('planShelving', { body: { selection: { kind: 'batch', batchId }, batchId } });
  return { id, items: (await app.call('listPlanItems', { params: { id } })).items };
}

const run = async (id: number) => app.ended(await app.call('runPlan', { params: { id }, body: {} }));
const placesOf = async (batchId: number): Promise<string[]> =>
  (await app.call('listBatchRows', { params: { id: batchId } })).rows
    .map(({ folder, name }) => `${folder}/${name}`)
    .sort();
const inFolder = (folder: string): Promise<string[]> =>
  readdir(path.join(app.drive, folder)).then((names) => names.sort());

describe('laying files on the shelf', () => {
  it('moves them into the folders that their records give, with what goes along, and back', async () => {
    const { folder, batchId } = await landed(['gate.wav', 'sluice.wav']);
    await writeFile(path.join(app.drive, folder, 'gate.txt'), 'notes');
    const bytes = await readFile(path.join(app.drive, folder, 'gate.wav'));
    const { id, items } = await plan(batchId);
    expect(items.map(({ state, after }) => [state, after['folder'], after['name']])).toEqual([
      ['planned', 'Shelf/Canal/WATER', 'gate.wav'],
      ['planned', 'Shelf/Canal/WATER', 'sluice.wav'],
    ]);
    // Nothing is touched by planning.
    expect(await inFolder('Shelf')).toEqual([]);
    expect((await run(id)).failed).toBe(0);
    expect(await inFolder('Shelf/Canal/WATER')).toEqual(['gate.txt', 'gate.wav', 'sluice.wav']);
    expect(await inFolder(folder)).toEqual([]);
    expect(await readFile(path.join(app.drive, 'Shelf/Canal/WATER/gate.wav'))).toEqual(bytes);
    expect(await placesOf(batchId)).toEqual(['Shelf/Canal/WATER/gate.wav', 'Shelf/Canal/WATER/sluice.wav']);
    // What stands there is right.
    expect((await plan(batchId)).items.map(({ state }) => state)).toEqual(['unchanged', 'unchanged']);

    await app.ended(await app.call('undoPlan', { params: { id } }));
    expect(await inFolder(folder)).toEqual(['gate.txt', 'gate.wav', 'sluice.wav']);
    expect(await placesOf(batchId)).toEqual([`${folder}/gate.wav`, `${folder}/sluice.wav`]);
  });

  it('numbers a name that is taken there and never replaces anything', async () => {
    const { batchId } = await landed(['clash.wav']);
    await app.put('Shelf/Canal/WATER/Clash.wav', { seed: 7 });
    const { id, items } = await plan(batchId);
    expect(items[0]?.after['name']).toBe('clash 01.wav');
    // Somebody takes that name meanwhile.
    await app.put('Shelf/Canal/WATER/clash 01.wav', { seed: 8 });
    expect((await run(id)).failed).toBe(1);
    expect(await readFile(path.join(app.drive, 'Shelf/Canal/WATER/clash 01.wav'))).toEqual(Buffer.from(toneBytes(8)));
  });

  it('leaves out of the folders what a record does not say, and tells it', async () => {
    const { batchId } = await landed(['bare.wav'], '');
    const { items } = await plan(batchId);
    expect(items[0]).toMatchObject({ state: 'planned', after: { folder: 'Shelf/WATER' } });
    expect(items[0]?.problems.map(({ code }) => code)).toEqual(['FOLDER_INCOMPLETE']);
  });

  it('leaves a file alone that was changed since the plan was made', async () => {
    const { folder, batchId } = await landed(['changed.wav']);
    const { id } = await plan(batchId);
    await app.put(`${folder}/changed.wav`, { seed: 9 });
    const job = await run(id);
    expect(job.failed).toBe(1);
    expect(job.failures[0]?.code).toBe('FILE_CHANGED');
    expect(await inFolder(folder)).toEqual(['changed.wav']);
  });

  it('needs a shelf', async () => {
    const made = await app.call('makeCollection', { body: { name: 'No shelf' } });
    const collectionId = made.find(({ name }) => name === 'No shelf')?.id ?? 0;
    await app.put('Elsewhere/wheel.wav', { seed: 11 });
    const { batch, job } = await app.call('startIntake', {
      body: { path: path.join(app.drive, 'Elsewhere'), collectionId },
    });
    await app.ended(job);
    const { items } = await plan(batch.id);
    expect(items[0]).toMatchObject({ state: 'blocked', problems: [{ code: 'PLACE_UNKNOWN' }] });
  });

  describe('that was cut short', () => {
    /** An item that was under way, with its file between its two places. */
    async function underWay(name: string, leave: (old: string, next: string) => Promise<void>) {
      const { folder, batchId } = await landed([name]);
      await writeFile(path.join(app.drive, folder, name.replace('.wav', '.txt')), 'notes');
      const { id, items } = await plan(batchId);
      await mkdir(path.join(app.drive, 'Shelf/Canal/WATER'), { recursive: true });
      await leave(path.join(app.drive, folder), path.join(app.drive, 'Shelf/Canal/WATER'));
      await app.context.db.execute(`update journal set state = 'started' where id = ${items[0]?.id}`);
      await recoverJournal(app.context, id);
      const state = (await app.call('listPlanItems', { params: { id } })).items[0]?.state;
      return { folder, batchId, state };
    }

    it('is finished when the file has its new place beside its old one', async () => {
      const { folder, batchId, state } = await underWay('both.wav', async (old, next) => {
        await rename(path.join(old, 'both.txt'), path.join(next, 'both.txt'));
        await link(path.join(old, 'both.wav'), path.join(next, 'both.wav'));
      });
      expect(state).toBe('done');
      expect(await inFolder(folder)).toEqual([]);
      expect(await placesOf(batchId)).toEqual(['Shelf/Canal/WATER/both.wav']);
    });

    it('is taken back when only what goes along went', async () => {
      const { folder, state } = await underWay('ahead.wav', (old, next) =>
        rename(path.join(old, 'ahead.txt'), path.join(next, 'ahead.txt')),
      );
      expect(state).toBe('planned');
      expect(await inFolder(folder)).toEqual(['ahead.txt', 'ahead.wav']);
    });

    it('is told when the file is nowhere', async () => {
      const { state } = await underWay('lost.wav', (old) => unlink(path.join(old, 'lost.wav')));
      expect(state).toBe('failed');
    });
  });
});
