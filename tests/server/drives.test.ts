import { cp, mkdir, readdir, rename, rm, unlink } from 'node:fs/promises';
import path from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import { addDrive } from '@flagstone/server/services/drives';
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
