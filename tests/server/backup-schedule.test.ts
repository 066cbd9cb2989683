import { mkdir, readdir, rm, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { backUpWhatIsDue } from '@flagstone/server/backup/schedule';
import { backupSchedule } from '@flagstone/server/db/backup-schema';
import { sql } from 'drizzle-orm';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let folder = '';
beforeEach(async () => {
  app = await TestApplication.open();
  folder = path.join(app.drive, 'backups');
  await mkdir(folder);
});
afterEach(() => app.close());

const set = (schedule: object | null) => app.call('setBackups', { body: { schedule } });
const get = () => app.call('getBackups');
const backupJobs = async () => (await app.call('listJobs')).filter(({ kind }) => kind === 'backup');
/** The hour that it was so many hours ago, by the clock of UTC. */
const hourAgo = (hours: number): number => new Date(Date.now() - hours * 3_600_000).getUTCHours();
const setDaysAgo = (days: number) =>
  app.context.db.update(backupSchedule).set({ setAt: sql`now() - make_interval(days => ${days})` });

describe('backups that are made by themselves', () => {
  it('are none until a folder is chosen, which lies below an allowed root', async () => {
    expect(await get()).toMatchObject({ schedule: null, last: null, isOverdue: false });
    expect((await app.send('makeBackup')).status).toBe(404);
    const outside = await app.send('setBackups', { body: { schedule: { folder: '/etc', hour: 3, keep: 7 } } });
    expect((outside.body as { code: string }).code).toBe('PATH_OUTSIDE_ROOTS');
    expect((await app.send('setBackups', { body: { schedule: { folder, hour: 24, keep: 7 } } })).status).toBe(400);
    expect(await set({ folder, hour: 3, keep: 7 })).toMatchObject({ schedule: { folder, hour: 3, keep: 7 }, kept: [] });
    expect(await set(null)).toMatchObject({ schedule: null });
  });

  it('are made when asked for, and told', async () => {
    await set({ folder, hour: 3, keep: 1 });
    for (let time = 0; time < 2; time += 1)
      expect(await app.ended(await app.call('makeBackup'))).toMatchObject({ state: 'done', done: 1 });
    const { last, kept, error } = await get();
    expect([kept?.length, error]).toEqual([1, '']);
    expect(last?.path).toBe(path.join(folder, kept?.[0]?.name ?? ''));
    expect(kept?.[0]).toMatchObject({ bytes: last?.bytes, isEncrypted: false });
    expect(await readdir(folder)).toHaveLength(1);
  });

  it('are encrypted where the server is told a pass phrase, and end when their job is stopped', async () => {
    const file = path.join(app.drive, 'passphrase');
    await writeFile(file, 'quiet weir\n');
    process.env['FLAGSTONE_BACKUP_PASSPHRASE_FILE'] = file;
    try {
      await set({ folder, hour: 3, keep: 0 });
      expect((await get()).isEncrypted).toBe(true);
      expect(await app.ended(await app.call('makeBackup'))).toMatchObject({ state: 'done' });
      expect((await get()).kept?.[0]?.isEncrypted).toBe(true);
      const job = await app.call('makeBackup');
      await app.send('cancelJob', { params: { id: job.id } });
      expect((await app.ended(job)).state).toBe('cancelled');
      expect((await get()).error).toBe('');
      await writeFile(file, '');
      expect(await app.ended(await app.call('makeBackup'))).toMatchObject({ state: 'failed' });
      expect((await get()).error).toContain('no pass phrase');
    } finally {
      delete process.env['FLAGSTONE_BACKUP_PASSPHRASE_FILE'];
    }
  });

  it('are queued once when their time has come, by whichever process, and not before', async () => {
    await set({ folder, hour: hourAgo(1), keep: 3 });
    // Chosen since: the first one is that of tomorrow.
    await backUpWhatIsDue(app.context);
    expect(await backupJobs()).toEqual([]);
    await setDaysAgo(2);
    await Promise.all([1, 2, 3].map(() => backUpWhatIsDue(app.context)));
    const [job, ...more] = await backupJobs();
    expect(more).toEqual([]);
    expect(job && (await app.ended(job)).state).toBe('done');
    await backUpWhatIsDue(app.context);
    expect(await backupJobs()).toHaveLength(1);
    expect(await get()).toMatchObject({ isOverdue: false });
  });

  it('are overdue some hours after their time, and say why one failed', async () => {
    await set({ folder, hour: hourAgo(3), keep: 3 });
    await setDaysAgo(2);
    expect((await get()).isOverdue).toBe(false);
    await set({ folder, hour: hourAgo(9), keep: 3 });
    await setDaysAgo(2);
    expect((await get()).isOverdue).toBe(true);
    await rm(folder, { recursive: true });
    expect(await app.ended(await app.call('makeBackup'))).toMatchObject({
      state: 'failed',
      error: { code: 'PATH_NOT_FOUND' },
    });
    const { error, kept } = await get();
    expect(error).toContain('backups');
    expect(kept).toBeNull();
    await mkdir(folder);
    await app.ended(await app.call('makeBackup'));
    expect(await get()).toMatchObject({ error: '', isOverdue: false });
  });
});
