import { cp, mkdir, readdir, rename, rm, unlink } from 'node:fs/promises';
import path from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import { addDrive } from '@flagstone/server/drives/drives';
import type { LiveEvent } from '@flagstone/contract/jobs';
import { DrivePresence } from '@flagstone/server/drives/drive-presence';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let disk = '';
let count = 0;
beforeAll(async () => {
  app = await TestApplication.open();
});
afterAll(() => app.close());

/** A folder that stands for a mounted drive, with two sounds on it, read into a batch. */
let batchId = 0;
let driveId = '';
beforeEach(async () => {
  count += 1;
  disk = `disk ${count}`;
  await app.put(`${disk}/geese/one.wav`, { seed: count * 10 + 1 });
  await app.put(`${disk}/geese/two.wav`, { seed: count * 10 + 2 });
  driveId = (await addDrive(app.context, on(disk))).id;
  ({ batchId } = await app.intake(disk));
});

const on = (name: string): string => path.join(app.drive, name);
const driveNow = async (id = driveId) => (await app.call('listDrives')).find((drive) => drive.id === id);
const states = async () =>
  (await app.call('listBatchRows', { params: { id: batchId }, query: { sort: 'name' } })).rows.map((row) => row.state);
const asDriveOf = async (folder: string): Promise<string> => {
  await app.intake(folder);
  const drives = await app.call('listDrives');
  return drives.find((drive) => drive.rootPath === on(folder) && drive.state === 'here')?.id ?? '';
};

describe('a drive', () => {
  it('gets a marker in its root, and is told with its space', async () => {
    expect(await readdir(on(disk))).toContain('.flagstone-drive.json');
    const drive = await driveNow();
    expect(drive).toMatchObject({ state: 'here', knownBy: 'marker', copies: 2, rootPath: on(disk) });
    expect(drive?.capacityBytes).toBeGreaterThan(drive?.freeBytes ?? Infinity);
  });

  it('that comes back elsewhere is the same one: nothing is read again', async () => {
    await rename(on(disk), on(`mounted ${count}`));
    expect(await driveNow()).toMatchObject({ state: 'here', rootPath: on(`mounted ${count}`) });
    expect(await states()).toEqual(['inStep', 'inStep']);
    const { job, batchId: again } = await app.intake(`mounted ${count}`);
    expect(job.result).toMatchObject({ same: 2, new: 0, moved: 0, gone: 0 });
    expect(again).toBe(batchId);
    expect(await asDriveOf(`mounted ${count}`)).toBe(driveId);
  });

  it('that goes is told at once to all pages, is searched for by its state, and counted with all its copies', async () => {
    const found = async (query: Record<string, string>) =>
      (await app.call('listCatalogue', { query })).rows.map((row) => row.name);
    await cp(on(`${disk}/geese/one.wav`), on('second place/one again.wav'), { recursive: true });
    await addDrive(app.context, on('second place'));
    await app.intake('second place');
    await app.call('fileBatch', { params: { id: batchId } });
    const driveName = (await driveNow())?.name ?? '';
    // A sound with a second copy elsewhere counts with both drives.
    const { facets } = await app.call('countIndex', { query: { q: 'folder:geese | folder:second ' } });
    const counts = facets.facets.find(({ facet }) => facet === 'drive')?.values ?? [];
    expect(counts.find(({ label }) => label === driveName)?.count).toBe(2);
    for (const { term, count: promised } of counts)
      expect([term, (await found({ q: `${term} `, limit: '500' })).length >= promised]).toEqual([term, true]);

    const presence = new DrivePresence(app.context);
    await presence.look();
    expect(await found({ q: 'state:away ' })).toEqual([]);
    const told = new Promise<LiveEvent>((resolve) => {
      const stop = app.context.live.subscribe((event) => {
        if (event.type !== 'records' || event.soundIds.length > 0) return;
        stop();
        resolve(event);
      });
    });
    await rename(on(disk), on(`${disk} elsewhere`));
    expect(await presence.look()).toBe(1);
    expect(await found({ q: 'state:away ' })).toEqual(['one.wav', 'two.wav']);
    const inBatch = await app.call('listBatchRows', { params: { id: batchId }, query: { q: 'state:away ' } });
    expect(inBatch.rows.map((row) => row.state)).toEqual(['away', 'away']);
    await rename(on(`${disk} elsewhere`), on(disk));
    expect([await presence.look(), await presence.look()]).toEqual([1, 0]);
    expect(await found({ q: 'state:away ' })).toEqual([]);
    expect(await told).toEqual({ type: 'records', soundIds: [] });
    await rm(on('second place'), { recursive: true });
  });

  it('is found again at the start too', async () => {
    await rename(on(disk), on(`restarted ${count}`));
    await app.restart();
    expect(await states()).toEqual(['inStep', 'inStep']);
  });

  it('that is away has nothing gone, and another one at its path is another one', async () => {
    await mkdir(on('.out of sight'), { recursive: true });
    await rename(on(disk), on(`.out of sight/${disk}`));
    expect(await states()).toEqual(['away', 'away']);
    // Where nothing is mounted, there is an empty folder.
    await mkdir(on(disk));
    expect(await states()).toEqual(['away', 'away']);
    await app.put(`${disk}/other.wav`, { seed: count * 10 + 3 });
    const other = await asDriveOf(disk);
    expect(other).not.toBe(driveId);
    expect(await driveNow()).toMatchObject({ state: 'away', copies: 2 });
    expect(await states()).toEqual(['away', 'away']);
    await rm(on(disk), { recursive: true });
    await rename(on(`.out of sight/${disk}`), on(disk));
    expect(await states()).toEqual(['inStep', 'inStep']);
    expect(await driveNow(other)).toMatchObject({ state: 'away' });
  });

  it('that was cloned, marker and all, is two drives with copies of the same sounds', async () => {
    await cp(on(disk), on(`clone ${count}`), { recursive: true });
    const clone = await asDriveOf(`clone ${count}`);
    expect([clone === '', clone === driveId]).toEqual([false, false]);
    expect(await driveNow()).toMatchObject({ state: 'here', copies: 2, rootPath: on(disk) });
    const { rows } = await app.call('listBatchRows', { params: { id: batchId } });
    expect(rows.map((row) => row.copyCount)).toEqual([2, 2]);
  });

  it('whose marker somebody removed is known by its files and marked again', async () => {
    await unlink(path.join(on(disk), '.flagstone-drive.json'));
    expect(await states()).toEqual(['away', 'away']);
    await app.intake(disk);
    expect(await driveNow()).toMatchObject({ state: 'here', copies: 2 });
    expect(await states()).toEqual(['inStep', 'inStep']);
  });
});

describe('what a person changes of a drive', () => {
  const change = (body: object) => app.send('updateDrive', { params: { id: driveId }, body });

  it('is its name, and whether it is in use; nothing on it is touched', async () => {
    const before = await readdir(on(disk), { recursive: true });
    expect((await change({ name: '  Field recordings  ', retired: true })).status).toBe(200);
    expect(await driveNow()).toMatchObject({ name: 'Field recordings', retired: true, copies: 2 });
    expect((await app.call('listReadFolders')).filter((folder) => folder.driveId === driveId)).toEqual([]);
    expect(await readdir(on(disk), { recursive: true })).toEqual(before);
    // Reading it again takes it back.
    await app.intake(disk);
    expect(await driveNow()).toMatchObject({ retired: false });
    expect((await change({ name: '' })).status).toBe(400);
  });

  it('is its path, when its marker or its files are there', async () => {
    await rename(on(disk), on(`moved ${count}`));
    await unlink(path.join(on(`moved ${count}`), '.flagstone-drive.json'));
    await mkdir(on(`other ${count}`));
    const other = await change({ rootPath: on(`other ${count}`) });
    expect([other.status, other.body]).toMatchObject([409, { code: 'DRIVE_DIFFERS' }]);
    expect((await change({ rootPath: '/etc' })).status).toBe(403);
    expect((await change({ rootPath: on(`moved ${count}`) })).status).toBe(200);
    expect(await driveNow()).toMatchObject({ state: 'here', rootPath: on(`moved ${count}`) });
    expect(await states()).toEqual(['inStep', 'inStep']);
    expect(await readdir(on(`moved ${count}`))).toContain('.flagstone-drive.json');
  });
});

describe('a folder that was read', () => {
  const folder = async () => (await app.call('listReadFolders')).find((each) => each.driveId === driveId);
  const update = (body: object) =>
    folder().then((found) => app.call('updateReadFolder', { params: { id: found?.id }, body }));

  it('is read again without bringing what is filed and the same into preparation once more', async () => {
    await app.call('fileBatch', { params: { id: batchId } });
    await app.put(`${disk}/geese/three.wav`, { seed: count * 10 + 3 });
    const job = await app.ended(await app.call('readAgain', { params: { id: (await folder())?.id } }));
    expect(job.result).toMatchObject({ same: 2, new: 1, gone: 0 });
    const rows = (await app.call('listBatchRows', { params: { id: job.batchId } })).rows;
    expect(rows.map((row) => row.name)).toEqual(['three.wav']);
  });

  it('leaves out what its patterns say; what was known of it stays known', async () => {
    await app.put(`${disk}/drafts/rough.wav`, { seed: count * 10 + 4 });
    await app.put(`${disk}/geese/TWO copy.WAV`, { seed: count * 10 + 5 });
    await update({ exclude: ['drafts/**', '*copy.wav', 'two.wav'] });
    const { job } = await app.intake(disk);
    expect(job.result).toMatchObject({ same: 1, new: 0, gone: 0 });
    expect(await states()).toEqual(['inStep', 'inStep']);
    expect(await app.call('countIntake', { body: { path: on(disk) } })).toMatchObject({ files: 1, same: 1 });
    await update({ exclude: [] });
    expect(await app.call('countIntake', { body: { path: on(disk) } })).toMatchObject({
      files: 4,
      same: 2,
      newOrChanged: 2,
      faults: 0,
    });
    expect((await app.intake(disk)).job.result).toMatchObject({ same: 2, new: 2 });
  });

  it('is watched: a burst of files is read by one job once they are complete, and what is removed is gone', async () => {
    await update({ watched: true });
    const reads: string[] = [];
    const allFound = new Promise<void>((resolve) => {
      let found = 0;
      const stop = app.context.live.subscribe((event) => {
        if (event.type !== 'job' || event.job.kind !== 'index' || event.job.state !== 'done') return;
        reads.push(event.job.id);
        found += event.job.result['new'] ?? 0;
        if (found < 40) return;
        stop();
        resolve();
      });
    });
    for (let file = 0; file < 40; file += 1)
      await app.put(`${disk}/burst/${file}.wav`, { seed: 5000 + count * 50 + file });
    await unlink(path.join(on(disk), 'geese', 'one.wav'));
    await allFound;
    // The removal is known at once, the files when they have been steady for a while: never a job for each.
    expect(reads.length).toBeLessThanOrEqual(3);
    expect((await states()).sort()).toContain('gone');
    await update({ watched: false });
  });
});

describe('a lost file', () => {
  const lostHere = async () => (await app.call('listLost')).lost.filter((file) => file.driveName === disk);
  const remove = async (...names: string[]): Promise<void> => {
    for (const name of names) await unlink(path.join(on(disk), 'geese', name));
    await app.intake(disk);
  };

  it('is told with the files that may be it, the surest first, and goes off the list once reconnected', async () => {
    await app.put(`${disk}/geese/quarrel.wav`, { seed: count * 10 + 8 });
    await app.intake(disk);
    const rows = (await app.call('listBatchRows', { params: { id: batchId } })).rows;
    await app.call('editRecords', {
      body: {
        selection: { kind: 'copies', copyIds: [rows.find((row) => row.name === 'quarrel.wav')?.copyId] },
        edit: { set: { description: 'Two geese quarrel at the lock.', library: 'Canal' } },
      },
    });
    // The first is held by another drive; of the second, only a file of the same name and shape is there.
    await app.put(`shelf ${count}/elsewhere.wav`, { seed: count * 10 + 1 });
    await app.put(`shelf ${count}/quarrel.wav`, { seed: count * 10 + 7 });
    await addDrive(app.context, on(`shelf ${count}`));
    const { batchId: shelf } = await app.intake(`shelf ${count}`);
    await remove('one.wav', 'quarrel.wav');
    const lost = await lostHere();
    const [one, two] = ['one.wav', 'quarrel.wav'].map((name) => lost.find((file) => file.name === name));
    expect(one?.candidates[0]).toMatchObject({ name: 'elsewhere.wav', confidence: 'certain' });
    expect(two?.candidates).toMatchObject([{ name: 'quarrel.wav', confidence: 'likely' }]);
    expect(await app.call('listLost')).toMatchObject({ certain: 1 });

    expect(await app.call('settleLost', { body: { what: 'certain' } })).toEqual({ settled: 1 });
    const body = { what: 'reconnect', lostCopyId: two?.copyId, copyId: two?.candidates[0]?.copyId };
    expect(await app.call('settleLost', { body })).toEqual({ settled: 1 });
    expect(await lostHere()).toEqual([]);
    const carried = (await app.call('listBatchRows', { params: { id: shelf } })).rows.find(
      (row) => row.name === 'quarrel.wav',
    );
    expect(carried?.record).toMatchObject({ description: 'Two geese quarrel at the lock.', library: 'Canal' });
    expect((await app.send('settleLost', { body })).status).toBe(404);
    await app.call('undoLast');
    const undone = (await app.call('listBatchRows', { params: { id: shelf } })).rows.find(
      (row) => row.name === 'quarrel.wav',
    );
    expect(undone?.record.description).toBe('');
  });

  it('stands on the list again when it came back and went once more; its record was never gone', async () => {
    await remove('one.wav');
    const [file] = await lostHere();
    await app.call('settleLost', { body: { what: 'clear', lostCopyId: file?.copyId } });
    expect(await lostHere()).toEqual([]);
    expect((await app.call('getSound', { params: { id: file?.soundId } })).row.record.fxName).toBe(file?.fxName);
    await app.put(`${disk}/geese/one.wav`, { seed: count * 10 + 1 });
    await app.intake(disk);
    expect(await states()).toEqual(['inStep', 'inStep']);
    await remove('one.wav');
    expect(await lostHere()).toHaveLength(1);
  });
});

describe('a folder of a drive that stands elsewhere now', () => {
  const rowsNow = async () =>
    (await app.call('listBatchRows', { params: { id: batchId }, query: { sort: 'name' } })).rows;
  const places = async () => (await rowsNow()).map((row) => `${row.driveName}: ${row.folder}/${row.name} ${row.state}`);
  const plan = (folder: string, toPath: string) =>
    app.send('planRelocation', { body: { driveId, folder, toPath: on(toPath) } });
  const run = async (id: number) => app.ended(await app.call('runPlan', { params: { id }, body: {} }));

  it('is found by names and sizes: one plan for all its files, which can be taken back', async () => {
    await app.put(`${disk}/geese/deep/er/three.wav`, { seed: count * 10 + 3 });
    await app.put(`${disk}/geese/four.wav`, { seed: count * 10 + 4 });
    await app.intake(disk);
    const before = await places();
    // The geese went to another drive; one file stayed behind, one is another file there.
    await mkdir(on(`elsewhere ${count}`));
    await addDrive(app.context, on(`elsewhere ${count}`));
    await rename(on(`${disk}/geese`), on(`elsewhere ${count}/birds`));
    await unlink(path.join(on(`elsewhere ${count}`), 'birds', 'two.wav'));
    await app.put(`elsewhere ${count}/birds/four.wav`, { bytes: new Uint8Array(100) });
    const made = await app.call('planRelocation', {
      body: { driveId, folder: 'geese', toPath: on(`elsewhere ${count}/birds`) },
    });
    expect(made).toMatchObject({ kind: 'relocate', counts: { all: 4, runnable: 2, blocked: 2 } });
    const { items } = await app.call('listPlanItems', { params: { id: made.id } });
    expect(items.flatMap((item) => item.problems.map((problem) => problem.code)).sort()).toEqual([
      'FILE_CHANGED',
      'FILE_VANISHED',
    ]);
    const job = await run(made.id);
    expect([job.state, job.done, job.failed]).toEqual(['done', 2, 0]);
    const now = (await places()).filter((place) => place.includes('birds'));
    expect(now).toEqual([
      expect.stringMatching(/birds\/one\.wav inStep$/),
      expect.stringMatching(/birds\/deep\/er\/three\.wav inStep$/),
    ]);
    // Nothing has to be read again: what was moved is the same there.
    const { job: scan } = await app.intake(`elsewhere ${count}/birds`);
    expect(scan.result).toMatchObject({ same: 2, new: 0, moved: 0 });

    await app.ended(await app.call('undoPlan', { params: { id: made.id } }));
    expect((await places()).map((place) => place.replace(/ \w+$/, ''))).toEqual(
      before.map((place) => place.replace(/ \w+$/, '')),
    );
  });

  it('has to be a folder of a drive that is known, within the roots, with files in it', async () => {
    expect((await plan('geese', '../..')).status).toBe(403);
    expect((await plan('nothing here', disk)).status).toBe(422);
    const body = { driveId: '00000000-0000-4000-8000-000000000000', folder: '', toPath: on(disk) };
    expect((await app.send('planRelocation', { body })).status).toBe(404);
    expect((await plan('geese', `${disk}/geese`)).body).toMatchObject({ counts: { unchanged: 2, runnable: 0 } });
  });
});
