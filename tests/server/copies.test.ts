import { execFile } from 'node:child_process';
import { createHash } from 'node:crypto';
import { copyFile, mkdir, readdir, readFile, rename, rm, symlink, utimes, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import type { Job } from '@flagstone/contract/jobs';
import type { CopyPlan, Plan, PlanItem } from '@flagstone/contract/plans';
import { addDrive } from '@flagstone/server/drives/drives';
import { journal } from '@flagstone/server/db/schema';
import { JobTaken } from '@flagstone/server/jobs/fence';
import { performCopy } from '@flagstone/server/plans/copies';
import { performRestore } from '@flagstone/server/plans/restore';
import { recoverJournal } from '@flagstone/server/plans/plan-jobs';
import { eq, sql } from 'drizzle-orm';
import { decay, IN_AUDIO, READ_AT } from './decay.ts';
import { TestApplication } from './test-application.ts';

const SAYS = { INAM: 'Lock gate', ICMT: 'Old wood', IGNR: 'WATRLock' };
const [QUAY, FIELD] = ['quay', 'field'];
let app: TestApplication;
let drives: Record<string, string>;

/** Three sounds on one drive, filed and measured, and another drive that is empty. */
beforeEach(async () => {
  app = await TestApplication.open();
  drives = {};
  for (const seed of [1, 2, 3]) {
    await app.put(`quay/gates/gate ${seed}.wav`, { seed, tags: { info: { ...SAYS, INAM: `Lock gate ${seed}` } } });
    await utimes(fileOf(QUAY, `gates/gate ${seed}.wav`), READ_AT, READ_AT);
  }
  await mkdir(path.join(app.drive, FIELD));
  for (const drive of [QUAY, FIELD]) drives[drive] = (await addDrive(app.context, path.join(app.drive, drive))).id;
  const { batchId } = await app.intake(QUAY);
  await app.call('fileBatch', { params: { id: batchId } });
  await app.measured();
});
afterEach(() => app.close());

const fileOf = (drive: string, file: string): string => path.join(app.drive, drive, file);
const digestOf = async (file: string): Promise<string> =>
  createHash('sha256')
    .update(await readFile(file))
    .digest('hex');
const all = { kind: 'catalogue' as const, filter: {} };
const planned = (more: Partial<CopyPlan> = {}): Promise<Plan> =>
  app.call('planCopies', { body: { selection: all, toPath: path.join(app.drive, FIELD), ...more } });
const itemsOf = async ({ id }: Plan): Promise<PlanItem[]> =>
  (await app.call('listPlanItems', { params: { id } })).items;
const run = async ({ id }: Plan, body: object = {}): Promise<Job> =>
  app.ended(await app.call('runPlan', { params: { id }, body }));
const undone = async ({ id }: Plan): Promise<Job> => app.ended(await app.call('undoPlan', { params: { id } }));
/** What stands on a drive, without what Flagstone itself puts there. */
async function standing(drive: string): Promise<string[]> {
  const entries = await readdir(path.join(app.drive, drive), { recursive: true, withFileTypes: true });
  return entries
    .filter((entry) => entry.isFile() && !entry.name.startsWith('.flagstone-drive'))
    .map((entry) => path.relative(path.join(app.drive, drive), path.join(entry.parentPath, entry.name)))
    .sort();
}
const copiesOn = async (drive: string) => {
  const { rows } = await app.context.db.execute<{
    place: string;
    sound_id: number;
    proved: boolean;
    carries: boolean;
  }>(sql`
    select c.folder || '/' || c.name as place, c.sound_id, c.proved_at is not null as proved, c.carries_revision = r.revision as carries from copies c
    join records r on r.sound_id = c.sound_id where c.drive_id = ${drives[drive]} and not c.gone order by 1`);
  return rows;
};

describe('copies on another drive', () => {
  it('are planned, tried on one, made of all with the very bytes, and found there the second time', async () => {
    const plan = await planned();
    expect(plan.counts).toMatchObject({ all: 3, runnable: 3 });
    const items = await itemsOf(plan);
    expect(items.map(({ after }) => [after['drive'], after['folder'], after['name']])).toEqual(
      [1, 2, 3].map((seed) => ['field', 'gates', `gate ${seed}.wav`]),
    );
    expect(await standing(FIELD)).toEqual([]);
    await run(plan, { onlyItemId: items[1]!.id });
    expect(await standing(FIELD)).toEqual(['gates/gate 2.wav']);
    expect(await run(plan, { share: 90 })).toMatchObject({ state: 'done', done: 2, failed: 0 });
    for (const seed of [1, 2, 3])
      expect(await digestOf(fileOf(FIELD, `gates/gate ${seed}.wav`))).toBe(
        await digestOf(fileOf(QUAY, `gates/gate ${seed}.wav`)),
      );
    // Known as copies of the same sounds, proved, as much In step as those that they were made of.
    const [there, here] = [await copiesOn(FIELD), await copiesOn(QUAY)];
    expect(there.map(({ place, sound_id: id, proved }) => [place, id, proved])).toEqual(
      here.map(({ place, sound_id: id }) => [place, id, true]),
    );
    expect(there.map(({ carries }) => carries)).toEqual(here.map(({ carries }) => carries));
    // Reading the folder finds nothing new, and there is nothing left to copy.
    const { job } = await app.intake(FIELD);
    expect(job.result).toMatchObject({ new: 0, changedOutside: 0, same: 3 });
    expect((await planned()).counts).toMatchObject({ all: 3, runnable: 0, unchanged: 3 });
    expect(
      (await run(await planned({ toPath: path.join(app.drive, QUAY) })).catch(
        (error: Error) => error.message,
      )) as string,
    ).toContain('PLAN_NOT_RUNNABLE');
  });

  it('are laid in folders of a template, under names of the pattern, and numbered where a name is taken', async () => {
    await app.put('field/WATER/taken.txt', { bytes: Buffer.from('notes') });
    await app.call('editRecords', { body: { selection: all, edit: { set: { catId: 'WATRFlow' } } } });
    await app.put('field/WATER/gate 1.wav', { bytes: Buffer.alloc(99) });
    const plan = await planned({ folders: '{category}' });
    const items = await itemsOf(plan);
    expect(items.map(({ after }) => after['folder'])).toEqual(['WATER', 'WATER', 'WATER']);
    expect(items.map(({ after }) => after['name'])).toEqual(['gate 1 01.wav', 'gate 2.wav', 'gate 3.wav']);
    expect(items[0]?.problems).toMatchObject([{ code: 'NAME_NUMBERED', severity: 'notice' }]);
    await run(plan);
    expect((await standing(FIELD)).filter((file) => file.startsWith('WATER'))).toEqual([
      'WATER/gate 1 01.wav',
      'WATER/gate 1.wav',
      'WATER/gate 2.wav',
      'WATER/gate 3.wav',
      'WATER/taken.txt',
    ]);
    expect((await readFile(fileOf(FIELD, 'WATER/gate 1.wav'))).length).toBe(99);
    await expect(planned({ folders: '{nowhere}' })).rejects.toThrow('PATTERN_INVALID');
  });

  it('take up the very same file that stands there, and never replace another', async () => {
    const bytes = await readFile(fileOf(QUAY, 'gates/gate 1.wav'));
    await app.put('field/gates/gate 1.wav', { bytes });
    const other = Buffer.from(await readFile(fileOf(QUAY, 'gates/gate 2.wav')));
    other[IN_AUDIO] = (other[IN_AUDIO] as number) ^ 1;
    await app.put('field/gates/gate 2.wav', { bytes: other });
    const plan = await planned();
    expect((await itemsOf(plan)).map(({ problems }) => problems.map(({ code }) => code))).toEqual([
      ['STANDS_THERE'],
      ['STANDS_THERE'],
      [],
    ]);
    expect(await run(plan)).toMatchObject({ done: 2, failed: 1, failures: [{ code: 'NAME_TAKEN', count: 1 }] });
    expect(await readFile(fileOf(FIELD, 'gates/gate 2.wav'))).toEqual(other);
    // What stood there before is not removed by undoing.
    expect(await undone(plan)).toMatchObject({ done: 1, failed: 1 });
    expect(await standing(FIELD)).toEqual(['gates/gate 1.wav', 'gates/gate 2.wav']);
  });

  it('are not made of a file that does not hold its audio any more', async () => {
    const plan = await planned();
    await decay(fileOf(QUAY, 'gates/gate 2.wav'), IN_AUDIO);
    expect(await run(plan)).toMatchObject({ done: 2, failed: 1, failures: [{ code: 'AUDIO_DAMAGED', count: 1 }] });
    expect(await standing(FIELD)).toEqual(['gates/gate 1.wav', 'gates/gate 3.wav']);
  });

  it('are taken back while their sources stand, and not where they are the only ones', async () => {
    const plan = await planned();
    await run(plan);
    await rm(fileOf(QUAY, 'gates/gate 3.wav'));
    const job = await undone(plan);
    expect(job).toMatchObject({ done: 2, failed: 1, failures: [{ code: 'NOT_UNDOABLE', count: 1 }] });
    expect(await standing(FIELD)).toEqual(['gates/gate 3.wav']);
    expect((await copiesOn(FIELD)).map(({ place }) => place)).toEqual(['gates/gate 3.wav']);
  });

  it('goes on where it was cut short: half a copy is removed, a whole one taken up', async () => {
    const plan = await planned();
    const items = await itemsOf(plan);
    // Killed after the first file got its name and before it was noted, and while the second one was written.
    await mkdir(fileOf(FIELD, 'gates'));
    await writeFile(fileOf(FIELD, 'gates/gate 1.wav'), await readFile(fileOf(QUAY, 'gates/gate 1.wav')));
    await writeFile(fileOf(FIELD, 'gates/.flagstone-write-gone-host-1.123.part'), 'half');
    await app.context.db.execute(
      sql`update journal set state = 'started' where id in (${items[0]!.id}, ${items[1]!.id})`,
    );
    await app.context.db.execute(sql`update plans set state = 'running' where id = ${plan.id}`);
    await recoverJournal(app.context);
    expect(await run(plan)).toMatchObject({ state: 'done', done: 3, failed: 0 });
    expect((await standing(FIELD)).filter((file) => !file.includes('.part'))).toEqual(
      [1, 2, 3].map((seed) => `gates/gate ${seed}.wav`),
    );
  });

  it('are not made, nor anything said of them, by a process whose job another one took over', async () => {
    const plan = await planned();
    const [first] = await itemsOf(plan);
    const [item] = await app.context.db.select().from(journal).where(eq(journal.id, first!.id));
    const fence = { holds: sql`false`, check: () => Promise.reject(new JobTaken('taken')) };
    await expect(performCopy(app.context, item!, fence)).rejects.toBeInstanceOf(JobTaken);
    expect((await itemsOf(plan))[0]).toMatchObject({ state: 'planned', problems: [] });
    expect(await standing(FIELD)).toEqual([]);
  });

  it('wait for a drive that goes, and go on when it is back', async () => {
    const plan = await planned();
    await rename(path.join(app.drive, FIELD), path.join(app.drive, 'unplugged'));
    const job = await app.call('runPlan', { params: { id: plan.id }, body: {} });
    expect(job).toMatchObject({ state: 'waiting', awaitsDrive: 'field' });
    expect((await app.call('getPlan', { params: { id: plan.id } })).counts).toMatchObject({ waiting: 3, runnable: 0 });
    await rename(path.join(app.drive, 'unplugged'), path.join(app.drive, FIELD));
    await app.call('listDrives');
    expect(await app.ended(job)).toMatchObject({ state: 'done', done: 3 });
    expect(await standing(FIELD)).toHaveLength(3);
  });

  it('go nowhere outside the drive, by a link either', async () => {
    await expect(planned({ toPath: '/etc' })).rejects.toThrow('PATH_OUTSIDE_ROOTS');
    const plan = await planned();
    await mkdir(path.join(app.drive, 'elsewhere'));
    await symlink(path.join(app.drive, 'elsewhere'), fileOf(FIELD, 'gates'));
    expect(await run(plan)).toMatchObject({ done: 0, failed: 3, failures: [{ code: 'SYMLINK_OUTSIDE', count: 3 }] });
    expect(await standing('elsewhere')).toEqual([]);
  });
});

describe('a damaged file', () => {
  const damagedPlan = (): Promise<Plan> =>
    app.call('makePlan', {
      body: { kind: 'restore', selection: { kind: 'catalogue', filter: { drive: drives[QUAY], state: 'damaged' } } },
    });
  const damage = async (): Promise<void> => {
    await decay(fileOf(QUAY, 'gates/gate 2.wav'), IN_AUDIO);
    await app.ended(await app.call('startProof', { body: { driveId: drives[QUAY], share: 100 } }));
  };

  it('is restored from the good copy on another drive, kept beside it, and put back', async () => {
    await run(await planned());
    const whole = await readFile(fileOf(QUAY, 'gates/gate 2.wav'));
    await damage();
    const broken = await readFile(fileOf(QUAY, 'gates/gate 2.wav'));
    const plan = await damagedPlan();
    expect(plan.counts).toMatchObject({ all: 1, runnable: 1 });
    expect((await itemsOf(plan))[0]).toMatchObject({
      before: { name: 'gate 2.wav' },
      after: { from: 'field / gates/gate 2.wav' },
      problems: [{ code: 'AUDIO_DAMAGED', severity: 'notice' }],
    });
    expect(await run(plan)).toMatchObject({ done: 1, failed: 0 });
    expect(await readFile(fileOf(QUAY, 'gates/gate 2.wav'))).toEqual(whole);
    expect(await readFile(fileOf(QUAY, 'gates/gate 2.wav.damaged'))).toEqual(broken);
    const damaged = async () => (await app.call('listCatalogue', { query: { state: 'damaged' } })).total;
    expect(await damaged()).toBe(0);
    // Reading the folder finds it as it is known, and takes the damaged one for no sound.
    expect((await app.intake(QUAY)).job.result).toMatchObject({ new: 0, changedOutside: 0, same: 3, unreadable: 0 });
    expect(await undone(plan)).toMatchObject({ done: 1, failed: 0 });
    expect(await readFile(fileOf(QUAY, 'gates/gate 2.wav'))).toEqual(broken);
    expect(await standing(QUAY)).toHaveLength(3);
    expect(await damaged()).toBe(1);
    expect((await app.intake(QUAY)).job.result).toMatchObject({ same: 3 });
  });

  it('has no copy that it could be restored from, and says what there is', async () => {
    await copyFile(fileOf(QUAY, 'gates/gate 2.wav'), path.join(app.drive, 'whole.wav'));
    await damage();
    const reason = async () => (await itemsOf(await damagedPlan()))[0]?.problems.at(-1)?.message;
    expect(await reason()).toBe('No other copy that was proved holds its audio.');
    // The same samples in another container are the same sound, and no file of that name.
    await promisify(execFile)('sox', ['-D', path.join(app.drive, 'whole.wav'), fileOf(FIELD, 'gate 2.aiff')]);
    await app.intake(FIELD);
    await app.measured();
    expect(await reason()).toBe(
      'The same audio is kept as gate 2.aiff on “field”, in another format: a file is restored from its own.',
    );
  });

  it('names the drive that is away with the good copy', async () => {
    await run(await planned());
    await damage();
    await rename(path.join(app.drive, FIELD), path.join(app.drive, 'unplugged'));
    const [item] = await itemsOf(await damagedPlan());
    expect([item?.state, item?.problems.at(-1)?.message]).toEqual([
      'blocked',
      'Its good copy is on “field”, which is not mounted.',
    ]);
    await rename(path.join(app.drive, 'unplugged'), path.join(app.drive, FIELD));
  });

  it('is not restored from a copy that decayed too', async () => {
    await run(await planned());
    await damage();
    await utimes(fileOf(FIELD, 'gates/gate 2.wav'), READ_AT, READ_AT);
    await app.context.db.execute(
      sql`update copies set mtime_ms = ${READ_AT.getTime()} where drive_id = ${drives[FIELD]} and name = 'gate 2.wav'`,
    );
    await decay(fileOf(FIELD, 'gates/gate 2.wav'), IN_AUDIO + 8);
    expect(await run(await damagedPlan())).toMatchObject({ done: 0, failed: 1, failures: [{ code: 'AUDIO_DAMAGED' }] });
    expect(await standing(QUAY)).toHaveLength(3);
  });

  it('stays as it is when another process took the job over', async () => {
    await run(await planned());
    await damage();
    const [first] = await itemsOf(await damagedPlan());
    const [item] = await app.context.db.select().from(journal).where(eq(journal.id, first!.id));
    const fence = { holds: sql`true`, check: () => Promise.reject(new JobTaken('taken')) };
    await expect(performRestore(app.context, item!, fence)).rejects.toBeInstanceOf(JobTaken);
    expect(await standing(QUAY)).toEqual([1, 2, 3].map((seed) => `gates/gate ${seed}.wav`));
  });

  it('is under one of its two names, whatever was cut short', async () => {
    await run(await planned());
    await damage();
    const plan = await damagedPlan();
    const [item] = await itemsOf(plan);
    const broken = await readFile(fileOf(QUAY, 'gates/gate 2.wav'));
    // Killed between the two names.
    await rename(fileOf(QUAY, 'gates/gate 2.wav'), fileOf(QUAY, 'gates/gate 2.wav.damaged'));
    await app.context.db.execute(sql`
      update journal set state = 'started', after = after || '{"aside": "gate 2.wav.damaged"}' where id = ${item!.id}`);
    await recoverJournal(app.context);
    expect(await readFile(fileOf(QUAY, 'gates/gate 2.wav'))).toEqual(broken);
    expect(await run(plan)).toMatchObject({ done: 1 });
    // Killed while it was put back: the restored file was removed, the damaged one not named yet.
    await rm(fileOf(QUAY, 'gates/gate 2.wav'));
    await app.context.db.execute(sql`update journal set state = 'undoing' where id = ${item!.id}`);
    await recoverJournal(app.context);
    expect(await readFile(fileOf(QUAY, 'gates/gate 2.wav'))).toEqual(broken);
    expect((await app.call('getPlan', { params: { id: plan.id } })).counts.undone).toBe(1);
  });
});
