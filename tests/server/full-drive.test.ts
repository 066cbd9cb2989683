import { execFileSync } from 'node:child_process';
import { mkdtempSync, statfsSync, writeFileSync } from 'node:fs';
import { mkdir, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import type { Plan } from '@flagstone/contract/plans';
import { PLAIN_PROFILE } from '@flagstone/core/delivery/profile';
import { wavBytes } from '@flagstone/demo/wav-file';
import { journal } from '@flagstone/server/db/schema';
import { addDrive } from '@flagstone/server/drives/drives';
import { performCopy } from '@flagstone/server/plans/copies';
import { eq, sql } from 'drizzle-orm';
import { TestApplication } from './test-application.ts';

/** A file system in memory of one megabyte is a drive that gets full. Only root may mount one. */
const SIZE = 'size=1m';
const mount = (folder: string): unknown =>
  execFileSync('mount', ['-t', 'tmpfs', '-o', SIZE, 'tmpfs', folder], { stdio: 'ignore' });
const unmount = (folder: string): unknown => execFileSync('umount', ['--lazy', folder], { stdio: 'ignore' });
function mayMount(): boolean {
  const folder = mkdtempSync(path.join(os.tmpdir(), 'flagstone-mount-'));
  try {
    mount(folder);
    unmount(folder);
    return true;
  } catch {
    return false;
  }
}

const FILE_BYTES = 200_000;
const sound = (seed: number): Uint8Array =>
  wavBytes([Float32Array.from({ length: FILE_BYTES / 2 }, (_, at) => Math.sin(at / (3 + seed)) * 0.5)], {
    rate: 48_000,
    bits: 16,
  });
let app: TestApplication;
let full = '';
const all = { kind: 'catalogue' as const, filter: {} };

async function open(): Promise<void> {
  app = await TestApplication.open();
  full = path.join(app.drive, 'field');
  await mkdir(full);
  mount(full);
  await addDrive(app.context, full);
}
afterEach(async () => {
  unmount(full);
  await app.close();
});

/** Fills the drive until so many bytes are free. */
function fill(leaving: number): void {
  const { bavail, bsize } = statfsSync(full);
  writeFileSync(path.join(full, 'filler'), Buffer.alloc(Math.max(0, bavail * bsize - leaving), 1));
}
const makeRoom = (): Promise<void> => rm(path.join(full, 'filler'));
/** What stands there, with what Flagstone itself leaves, but for the mark of the drive. */
const standing = async (): Promise<string[]> =>
  (await readdir(full, { recursive: true }))
    .filter((name) => !name.startsWith('.flagstone-drive') && name !== 'filler')
    .sort();
const statesOf = async ({ id }: Plan) =>
  (await app.call('listPlanItems', { params: { id } })).items.map(({ state, problems }) => [
    state,
    ...problems.filter(({ severity }) => severity === 'error').map(({ code }) => code),
  ]);
const run = async ({ id }: Plan) => app.ended(await app.call('runPlan', { params: { id }, body: {} }));

(mayMount() ? describe : describe.skip)('a drive that gets full', () => {
  describe('while files are copied to it', () => {
    let plan: Plan;
    beforeEach(async () => {
      await open();
      for (const seed of [1, 2, 3]) await app.put(`quay/gate ${seed}.wav`, { bytes: sound(seed) });
      const { batchId } = await app.intake('quay');
      await app.call('fileBatch', { params: { id: batchId } });
      await app.measured();
      plan = await app.call('planCopies', { body: { selection: all, toPath: full } });
    });

    it('takes those for which there is room, refuses the others, and takes them when there is', async () => {
      fill(FILE_BYTES * 1.5);
      expect(await run(plan)).toMatchObject({ done: 1, failed: 2 });
      expect(await statesOf(plan)).toEqual([['done'], ['failed', 'DISK_FULL'], ['failed', 'DISK_FULL']]);
      expect(await standing()).toEqual(['gate 1.wav']);
      expect((await app.send('planCopies', { body: { selection: all, toPath: full } })).body).toMatchObject({
        code: 'DISK_FULL',
      });
      await makeRoom();
      const again = await app.call('planCopies', { body: { selection: all, toPath: full } });
      expect(await run(again)).toMatchObject({ done: 2, failed: 0 });
      expect(await standing()).toEqual(['gate 1.wav', 'gate 2.wav', 'gate 3.wav']);
    });

    it('in the middle of a file keeps nothing of it', async () => {
      const [item] = await app.context.db.select().from(journal).where(eq(journal.planId, plan.id));
      // Somebody else fills it between the look at what is free and the writing.
      const fence = {
        get holds() {
          fill(FILE_BYTES / 2);
          return sql`true`;
        },
        check: () => Promise.resolve(),
      };
      await expect(performCopy(app.context, item!, fence)).rejects.toMatchObject({ code: 'DISK_FULL' });
      expect(await standing()).toEqual([]);
      await makeRoom();
    });
  });

  it('leaves a file that has no room to be written as it was, and writes it when there is', async () => {
    await open();
    const file = path.join(full, 'gate.wav');
    await writeFile(file, sound(4));
    const { batchId } = await app.intake('field');
    await app.call('editRecords', {
      body: { selection: { kind: 'batch', batchId }, edit: { set: { fxName: 'Lock gate', description: 'Old wood' } } },
    });
    fill(FILE_BYTES / 2);
    const written = await app.planAndRun('write', batchId);
    expect(written.job).toMatchObject({ done: 0, failed: 1 });
    const { items } = await app.call('listPlanItems', { params: { id: written.planId } });
    expect(items[0]?.problems.at(-1)?.code).toBe('DISK_FULL');
    expect(Buffer.compare(await readFile(file), sound(4))).toBe(0);
    expect(await standing()).toEqual(['gate.wav']);
    await makeRoom();
    expect((await app.planAndRun('write', batchId)).job).toMatchObject({ done: 1, failed: 0 });
    expect(await standing()).toEqual(['gate.wav']);
  });

  it('takes of a delivery what there is room for, leaves nothing half made, and takes the rest when there is', async () => {
    await open();
    for (const seed of [1, 2, 3]) await app.put(`quay/gate ${seed}.wav`, { bytes: sound(seed) });
    const { batchId } = await app.intake('quay');
    await app.call('fileBatch', { params: { id: batchId } });
    const what = { kind: 'sounds', selection: all, cut: 'whole' };
    const profile = { ...PLAIN_PROFILE, withRecord: false };
    const { id } = await app.call('makeDelivery', { body: { name: 'Reel 2', folder: full, profile, what } });
    const deliver = async () => app.ended(await app.call('runDelivery', { params: { id }, body: {} }));
    // Known before anything is made.
    fill(FILE_BYTES * 1.5);
    expect(await deliver()).toMatchObject({ state: 'failed', error: { code: 'DISK_FULL' } });
    expect(await standing()).toEqual([]);
    // Known to nobody: the drive fills once the job has looked.
    await makeRoom();
    const { workers } = app.context;
    const place = workers.place.bind(workers);
    let isFilled = false;
    workers.place = (task) => {
      if (!isFilled) fill(FILE_BYTES * 1.5);
      isFilled = true;
      return place(task);
    };
    expect(await deliver()).toMatchObject({ state: 'failed', error: { code: 'DISK_FULL' } });
    workers.place = place;
    expect(isFilled).toBe(true);
    const whole = await standing();
    expect(whole.length).toBeLessThan(3);
    for (const name of whole)
      expect(await readFile(path.join(full, name))).toEqual(await readFile(path.join(app.drive, 'quay', name)));
    await makeRoom();
    expect(await deliver()).toMatchObject({ state: 'done', failed: 0 });
    expect(await standing()).toEqual(['gate 1.wav', 'gate 2.wav', 'gate 3.wav']);
  });

  it('takes of what is handed over what there is room for, and the rest when there is', async () => {
    await open();
    await app.call('updateCollection', { params: { id: 1 }, body: { landingPath: full } });
    for (const seed of [5, 6, 7]) await app.put(`Downloads/gate ${seed}.wav`, { bytes: sound(seed) });
    const source = path.join(app.drive, 'Downloads');
    const begin = { name: 'Gates', collectionId: 1, source };
    // Known before anything is copied.
    fill(FILE_BYTES * 1.5);
    const { job } = await app.call('makeArrival', { body: begin });
    const ended = await app.ended(job!);
    expect(ended).toMatchObject({ state: 'failed', error: { code: 'DISK_FULL' } });
    expect(await standing()).toEqual(['Gates']);
    await makeRoom();
    const again = await app.ended(await app.call('resumeJob', { params: { id: job?.id ?? '' } }));
    expect(again).toMatchObject({ state: 'done', done: 3, failed: 0 });
    expect(await standing()).toEqual(['Gates', 'Gates/gate 5.wav', 'Gates/gate 6.wav', 'Gates/gate 7.wav']);

    // What is sent has no room: said before anything is sent, and in the middle of it.
    const { arrival } = await app.call('makeArrival', { body: { name: 'More', collectionId: 1 } });
    const announce = (bytes: number) =>
      app.send('announceFiles', { params: { id: arrival.id }, body: { files: [{ path: 'big.wav', bytes }] } });
    expect((await announce(5_000_000)).body).toMatchObject({ code: 'DISK_FULL' });
    const [file] = (await announce(FILE_BYTES)).body as { id: string }[];
    const headers = { Host: '127.0.0.1', 'Tus-Resumable': '1.0.0' };
    const metadata = `file ${Buffer.from(file?.id ?? '').toString('base64')}`;
    const made = await app.http
      .post('/api/uploads')
      .set({ ...headers, 'Upload-Length': String(FILE_BYTES), 'Upload-Metadata': metadata });
    expect(made.status).toBe(201);
    fill(FILE_BYTES / 2);
    const part = { ...headers, 'Upload-Offset': '0', 'Content-Type': 'application/offset+octet-stream' };
    const sent = await app.http.patch(`/api/uploads/${file?.id}`).set(part).send(Buffer.alloc(FILE_BYTES, 3));
    expect(sent.status).toBe(507);
    await makeRoom();
    const at = await app.http.head(`/api/uploads/${file?.id}`).set(headers);
    const offset = Number(at.headers['upload-offset']);
    expect(offset).toBeLessThan(FILE_BYTES);
    const rest = await app.http
      .patch(`/api/uploads/${file?.id}`)
      .set({ ...part, 'Upload-Offset': String(offset) })
      .send(Buffer.alloc(FILE_BYTES - offset, 3));
    expect(rest.status).toBe(204);
  });
});
