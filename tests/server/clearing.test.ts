import { createHash } from 'node:crypto';
import { copyFile, link, mkdir, readdir, readFile, rename, symlink, utimes, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import type { Job } from '@flagstone/contract/jobs';
import type { Plan, PlanItem } from '@flagstone/contract/plans';
import { journal } from '@flagstone/server/db/schema';
import { SET_ASIDE_FOLDER } from '@flagstone/server/disk/set-aside';
import { addDrive } from '@flagstone/server/drives/drives';
import { recoverJournal } from '@flagstone/server/plans/plan-jobs';
import { eq } from 'drizzle-orm';
import { decay, IN_AUDIO, READ_AT } from './decay.ts';
import { TestApplication } from './test-application.ts';

const [QUAY, FIELD] = ['quay', 'field'];
let app: TestApplication;
let drives: Record<string, string>;

/** Two sounds that both drives hold, and one that only the quay has; filed and read as a whole. */
beforeEach(async () => {
  app = await TestApplication.open();
  drives = {};
  for (const seed of [1, 2, 3]) await app.put(`quay/gates/gate ${seed}.wav`, { seed });
  await mkdir(fileOf(FIELD, 'trip'), { recursive: true });
  for (const seed of [1, 2])
    await copyFile(fileOf(QUAY, `gates/gate ${seed}.wav`), fileOf(FIELD, `trip/gate ${seed}.wav`));
  for (const seed of [1, 2]) await utimes(fileOf(FIELD, `trip/gate ${seed}.wav`), READ_AT, READ_AT);
  for (const drive of [QUAY, FIELD]) drives[drive] = (await addDrive(app.context, path.join(app.drive, drive))).id;
  for (const drive of [QUAY, FIELD]) {
    const { batchId } = await app.intake(drive);
    await app.call('fileBatch', { params: { id: batchId } });
    await app.measured();
  }
});
afterEach(() => app.close());

const fileOf = (drive: string, file: string): string => path.join(app.drive, drive, file);
const bytesOf = async (drive: string, file: string) =>
  createHash('sha256')
    .update(await readFile(fileOf(drive, file)))
    .digest('hex');
const on = (drive: string) => ({ kind: 'catalogue' as const, filter: { drive: drives[drive] } });
const planned = (way: 'setAside' | 'delete', selection: object): Promise<Plan> =>
  app.call('planClearing', { body: { way, selection } });
const itemsOf = async ({ id }: Plan): Promise<PlanItem[]> =>
  (await app.call('listPlanItems', { params: { id } })).items;
const run = async ({ id }: Plan): Promise<Job> => app.ended(await app.call('runPlan', { params: { id }, body: {} }));
const undone = async ({ id }: Plan): Promise<Job> => app.ended(await app.call('undoPlan', { params: { id } }));
const inFolder = async (drive: string, folder: string) => (await readdir(fileOf(drive, folder))).sort();
const inCatalogue = async (filter: Record<string, unknown> = {}) =>
  (await app.call('listCatalogue', { query: filter })).rows.map(({ name, state }) => `${name} ${state}`).sort();
const codesOf = (items: PlanItem[]) => items.map(({ state, problems }) => [state, ...problems.map(({ code }) => code)]);

describe('deleting files', () => {
  it('plans only those of which a proved copy stays, deletes them, and makes them again from it', async () => {
    const plan = await planned('delete', on(QUAY));
    const items = await itemsOf(plan);
    expect(codesOf(items)).toEqual([['planned'], ['planned'], ['blocked', 'ONLY_COPY']]);
    expect(items[0]?.after['kept']).toBe('field / trip / gate 1.wav');
    const before = await bytesOf(QUAY, 'gates/gate 1.wav');
    expect(await run(plan)).toMatchObject({ done: 2, failed: 0 });
    expect(await inFolder(QUAY, 'gates')).toEqual(['gate 3.wav']);
    expect(await inCatalogue()).toEqual(['gate 1.wav inStep', 'gate 2.wav inStep', 'gate 3.wav inStep']);
    expect(await inCatalogue({ drive: drives[QUAY] })).toEqual(['gate 3.wav inStep']);

    expect(await undone(plan)).toMatchObject({ done: 2, failed: 0 });
    expect(await bytesOf(QUAY, 'gates/gate 1.wav')).toBe(before);
    expect(await inCatalogue({ drive: drives[QUAY] })).toHaveLength(3);
  });

  it('keeps one where all copies are chosen', async () => {
    const rows = [QUAY, FIELD].map(
      async (drive) => (await app.call('listCatalogue', { query: { drive: drives[drive] } })).rows,
    );
    const copyIds = (await Promise.all(rows)).flat().map(({ copyId }) => copyId);
    const items = await itemsOf(await planned('delete', { kind: 'copies', copyIds }));
    expect(new Set(items.flatMap(({ problems }) => problems.map(({ code }) => code)))).toEqual(new Set(['ONLY_COPY']));
  });

  it('keeps the file where the kept copy decayed, was changed or went since', async () => {
    const plan = await planned('delete', on(QUAY));
    await decay(fileOf(FIELD, 'trip/gate 1.wav'), IN_AUDIO);
    await rename(fileOf(FIELD, 'trip/gate 2.wav'), fileOf(FIELD, 'trip/away.wav'));
    expect(await run(plan)).toMatchObject({ done: 0, failed: 2 });
    expect(await inFolder(QUAY, 'gates')).toEqual(['gate 1.wav', 'gate 2.wav', 'gate 3.wav']);
    expect((await itemsOf(plan)).map(({ problems }) => problems.at(-1)?.code)).toEqual([
      'AUDIO_DAMAGED',
      'FILE_VANISHED',
      'ONLY_COPY',
    ]);
  });

  it.each([
    ['a link', (from: string, to: string) => symlink(from, to)],
    ['another name', (from: string, to: string) => link(from, to)],
  ])('keeps the file that the other copy is only %s of', async (_, make) => {
    await app.put('quay/one/weir.wav', { seed: 9 });
    await make(fileOf(QUAY, 'one/weir.wav'), fileOf(QUAY, 'one/zweir.wav'));
    const { batchId } = await app.intake('quay/one');
    await app.call('fileBatch', { params: { id: batchId } });
    await app.measured();
    const found = (await app.call('listCatalogue', { query: { q: 'weir' } })).rows;
    const plan = await planned('delete', { kind: 'copies', copyIds: found.map(({ copyId }) => copyId) });
    const { runnable } = plan.counts;
    if (runnable > 0) expect(await run(plan)).toMatchObject({ done: 0, failed: runnable });
    expect((await itemsOf(plan))[0]?.problems.at(-1)?.code).toBe('ONLY_COPY');
    expect(await inFolder(QUAY, 'one')).toContain('weir.wav');
    expect((await readFile(fileOf(QUAY, 'one/weir.wav'))).length).toBeGreaterThan(100);
  });

  it('never deletes both copies when two people each delete the other one', async () => {
    const plans = [await planned('delete', on(QUAY)), await planned('delete', on(FIELD))];
    expect(plans.map(({ counts }) => counts.runnable)).toEqual([2, 2]);
    const jobs = await Promise.all(plans.map(run));
    expect(jobs.reduce((sum, { done }) => sum + done, 0)).toBe(2);
    for (const seed of [1, 2]) {
      const left = [
        ...(await inFolder(QUAY, 'gates')).map((name) => `quay ${name}`),
        ...(await inFolder(FIELD, 'trip')).map((name) => `field ${name}`),
      ].filter((name) => name.endsWith(`gate ${seed}.wav`));
      expect(left).toHaveLength(1);
    }
  });

  it('leaves a file alone that was changed outside, until what it says is settled', async () => {
    await app.put('quay/gates/gate 1.wav', {
      seed: 1,
      tags: { info: { INAM: 'Lock gate', ICMT: 'Somebody else wrote this' } },
    });
    await app.intake(QUAY);
    const items = await itemsOf(await planned('delete', on(QUAY)));
    expect(codesOf(items)[0]).toEqual(['blocked', 'CONFLICT']);
  });

  it('gives a file its name back, or takes it off the lists, after it was cut short', async () => {
    const plan = await planned('delete', on(QUAY));
    const [first, second] = await itemsOf(plan);
    const cutShort = (item: PlanItem | undefined) =>
      app.context.db
        .update(journal)
        .set({ state: 'started', after: { ...item?.after, aside: `.flagstone-deleting-${item?.id}` } })
        .where(eq(journal.id, item?.id ?? 0));
    await cutShort(first);
    await cutShort(second);
    await rename(fileOf(QUAY, 'gates/gate 1.wav'), fileOf(QUAY, `gates/.flagstone-deleting-${first?.id}`));
    await rename(fileOf(QUAY, 'gates/gate 2.wav'), path.join(app.drive, 'deleted.wav'));
    expect(await recoverJournal(app.context)).toBe(2);
    expect(await inFolder(QUAY, 'gates')).toEqual(['gate 1.wav', 'gate 3.wav']);
    expect((await itemsOf(plan)).map(({ state }) => state)).toEqual(['planned', 'done', 'blocked']);
    expect(await inCatalogue({ drive: drives[QUAY] })).toEqual(['gate 1.wav inStep', 'gate 3.wav inStep']);
  });
});

describe('setting files aside', () => {
  it('moves them with what goes along, takes a sound without another file out of the catalogue, and back', async () => {
    await writeFile(fileOf(QUAY, 'gates/gate 3.txt'), 'notes');
    const bytes = await bytesOf(QUAY, 'gates/gate 3.wav');
    const plan = await planned('setAside', on(QUAY));
    expect(codesOf(await itemsOf(plan))).toEqual([['planned'], ['planned'], ['planned', 'LEAVES_CATALOGUE']]);
    expect(await run(plan)).toMatchObject({ done: 3, failed: 0 });
    expect(await inFolder(QUAY, 'gates')).toEqual([]);
    const aside = `${SET_ASIDE_FOLDER}/gates`;
    expect(await inFolder(QUAY, aside)).toEqual(['gate 1.wav', 'gate 2.wav', 'gate 3.txt', 'gate 3.wav']);
    expect(await bytesOf(QUAY, `${aside}/gate 3.wav`)).toBe(bytes);
    expect(await inCatalogue()).toEqual(['gate 1.wav inStep', 'gate 2.wav inStep']);
    // Reading the drive again does not bring them back.
    const { job } = await app.intake(QUAY);
    expect(job.result).toMatchObject({ new: 0 });
    expect(await inCatalogue()).toHaveLength(2);

    expect(await undone(plan)).toMatchObject({ done: 3, failed: 0 });
    expect(await inFolder(QUAY, 'gates')).toEqual(['gate 1.wav', 'gate 2.wav', 'gate 3.txt', 'gate 3.wav']);
    expect(await inCatalogue()).toEqual(['gate 1.wav inStep', 'gate 2.wav inStep', 'gate 3.wav inStep']);
  });

  it('numbers a name that was set aside before', async () => {
    await app.put(`quay/${SET_ASIDE_FOLDER}/gates/gate 3.wav`, { seed: 77 });
    const rows = (await app.call('listCatalogue', { query: { q: 'gate', drive: drives[QUAY] } })).rows;
    const copyIds = rows.filter(({ name }) => name === 'gate 3.wav').map(({ copyId }) => copyId);
    const plan = await planned('setAside', { kind: 'copies', copyIds });
    expect(await run(plan)).toMatchObject({ done: 1, failed: 0 });
    expect(await inFolder(QUAY, `${SET_ASIDE_FOLDER}/gates`)).toEqual(['gate 3 01.wav', 'gate 3.wav']);
  });
});
