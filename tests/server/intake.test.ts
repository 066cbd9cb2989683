import { mkdir, mkdtemp, rename, symlink, unlink, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { DriveFiles } from '@flagstone/server/disk/drive-files';
import { IdSet } from '@flagstone/server/intake/id-set';
import { recogniseMoves } from '@flagstone/server/intake/moved-copies';
import { TestApplication, toneBytes } from './test-application.ts';

let app: TestApplication;
beforeAll(async () => {
  app = await TestApplication.open();
});
afterAll(() => app.close());

const rowsOf = async (batchId: number) =>
  (await app.call('listBatchRows', { params: { id: batchId }, query: { sort: 'folder' } })).rows;

describe('reading a folder', () => {
  it('lists every file with its facts, what it carries and what its UCS name says', async () => {
    await app.put('a/plain tone.wav', { seed: 1 });
    await app.put('a/b/CERMBrk_Vase Shatters_ORV_CLAY.wav', { seed: 2, tags: { info: { ICMT: 'breaks' } } });
    const { batchId, job } = await app.intake('a');
    expect(job).toMatchObject({
      state: 'done',
      total: 2,
      done: 2,
      failed: 0,
      result: { new: 2, same: 0, unreadable: 0 },
    });
    const [first, second] = await rowsOf(batchId);
    expect(first).toMatchObject({
      name: 'CERMBrk_Vase Shatters_ORV_CLAY.wav',
      folder: 'a/b',
      state: 'behind',
      record: {
        catId: 'CERMBrk',
        category: 'CERAMICS',
        fxName: 'Vase Shatters',
        creatorId: 'ORV',
        description: 'breaks',
      },
    });
    expect(second).toMatchObject({
      name: 'plain tone.wav',
      state: 'inStep',
      facts: { sampleRateHz: 48000, bitDepth: 16, channels: 1, frames: 2400, durationSeconds: 0.05 },
    });
  });

  it('moves a file that cannot be read any more from the rows to the unreadable, and back once it can', async () => {
    const full = await app.put('turning/tone.wav', { seed: 71 });
    const { batchId } = await app.intake('turning');
    expect(await rowsOf(batchId)).toHaveLength(1);
    await writeFile(full, 'no sound at all');
    await app.intake('turning');
    expect(await rowsOf(batchId)).toEqual([]);
    expect(await app.call('listUnreadable', { params: { id: batchId } })).toHaveLength(1);
    await app.put('turning/tone.wav', { seed: 71 });
    await app.intake('turning');
    expect(await rowsOf(batchId)).toHaveLength(1);
    expect(await app.call('listUnreadable', { params: { id: batchId } })).toEqual([]);
  });

  it('reads nothing again that is the same, and knows a copy by its audio whatever its name and tags', async () => {
    await app.put('c/original.wav', { seed: 3 });
    const first = await app.intake('c');
    expect((await app.intake('c')).job.result).toMatchObject({ new: 0, same: 1 });
    await app.put('c/another name.wav', { seed: 3, tags: { info: { INAM: 'tagged' } } });
    const again = await app.intake('c');
    expect(again.job.result).toMatchObject({ new: 0, same: 1, alreadyHeld: 1 });
    const rows = await rowsOf(again.batchId);
    expect(new Set(rows.map((row) => row.soundId)).size).toBe(1);
    expect(rows.map((row) => row.copyCount)).toEqual([2, 2]);
    expect(first.batchId).toBe(again.batchId);
  });

  it('takes up the open batch of a folder again; a name, or filing it, makes a new one', async () => {
    await app.put('e/one.wav', { seed: 14 });
    const { batchId } = await app.intake('e');
    const body = { path: path.join(app.drive, 'e'), batchName: 'For reel 2' };
    const named = await app.call('startIntake', { body });
    await app.ended(named.job);
    expect(named.batch).toMatchObject({ name: 'For reel 2' });
    expect(named.batch.id).not.toBe(batchId);
    expect((await app.intake('e')).batchId).toBe(batchId);
    await app.call('fileBatch', { params: { id: batchId } });
    expect((await app.intake('e')).batchId).not.toBe(batchId);
  });

  it('tells a file that was changed outside and one that is gone', async () => {
    await app.put('d/changes.wav', { seed: 4, tags: { info: { INAM: 'before' } } });
    const gone = await app.put('d/goes.wav', { seed: 5 });
    await app.intake('d');
    await app.put('d/changes.wav', { seed: 4, tags: { info: { INAM: 'after' } } });
    await (await import('node:fs/promises')).unlink(gone);
    const { batchId, job } = await app.intake('d');
    expect(job.result).toMatchObject({ changedOutside: 1, gone: 1 });
    expect(await rowsOf(batchId)).toMatchObject([
      { name: 'changes.wav', state: 'ahead', record: { fxName: 'before' } },
      { name: 'goes.wav', state: 'gone' },
    ]);
  });
});

describe('what reading found', () => {
  it('is kept for each file, so that every number opens its list', async () => {
    await app.put('found/new.wav', { seed: 301 });
    await app.put('found/twin.wav', { seed: 301 });
    await app.put('found/old.wav', { seed: 302 });
    await app.put('found/edited.wav', { seed: 303 });
    const { batchId } = await app.intake('found');
    const names = async (found: string): Promise<string[]> =>
      (await app.call('listBatchRows', { params: { id: batchId }, query: { found } })).rows.map((row) => row.name);
    expect((await names('new')).length).toBe(3);
    expect((await names('alreadyHeld')).length).toBe(1);
    await rename(path.join(app.drive, 'found/old.wav'), path.join(app.drive, 'found/renamed.wav'));
    await app.put('found/edited.wav', { seed: 304 });
    const { job } = await app.intake('found');
    expect(job.result).toMatchObject({ same: 2, moved: 1, changedOutside: 1, new: 0, gone: 0 });
    expect(await names('moved')).toEqual(['renamed.wav']);
    expect(await names('changedOutside')).toEqual(['edited.wav']);
    expect((await names('same')).sort()).toEqual(['new.wav', 'twin.wav']);
  });

  it('is written by several at once without waiting for each other in a circle', async () => {
    // The same few sounds in every chunk, met in another order each time.
    for (let file = 0; file < 900; file += 1) await app.put(`many/${file}.wav`, { seed: 400 + ((file * 7) % 13) });
    const { job } = await app.intake('many');
    expect(job).toMatchObject({ state: 'done', done: 900, failed: 0, result: { new: 13, alreadyHeld: 887 } });
    expect((await app.intake('many')).job.result).toMatchObject({ same: 900, new: 0, gone: 0 });
  });
});

describe('files that another program moved', () => {
  const contents = async (batchId: number) =>
    (await rowsOf(batchId)).map(({ folder, name, copyId, state, revision, record }) => ({
      folder,
      name,
      copyId,
      state,
      revision,
      notes: record.notes,
    }));

  it('keep their copy, their record and its history, in the same folder and in another one', async () => {
    await app.put('moving/one.wav', { seed: 501 });
    await app.put('moving/two.wav', { seed: 502 });
    const { batchId } = await app.intake('moving');
    await app.call('editRecords', {
      body: { selection: { kind: 'batch', batchId }, edit: { set: { notes: 'typed' } } },
    });
    const [one, two] = await contents(batchId);
    await rename(path.join(app.drive, 'moving/one.wav'), path.join(app.drive, 'moving/uno.wav'));
    await mkdir(path.join(app.drive, 'moving/below'));
    await rename(path.join(app.drive, 'moving/two.wav'), path.join(app.drive, 'moving/below/two.wav'));
    const { job } = await app.intake('moving');
    expect(job.result).toMatchObject({ moved: 2, new: 0, gone: 0, alreadyHeld: 0 });
    expect(await contents(batchId)).toEqual([
      { ...two, folder: 'moving/below' },
      { ...one, name: 'uno.wav' },
    ]);
    expect((await app.call('listCatalogue', { query: { q: 'uno' } })).total).toBe(0);
    expect((await app.call('listBatchRows', { params: { id: batchId }, query: { q: 'uno' } })).total).toBe(1);
  });

  it('are not taken for moved on a drive that vanished meanwhile', async () => {
    await app.put('vanishing/one.wav', { seed: 511 });
    const { batchId } = await app.intake('vanishing');
    const [row] = await rowsOf(batchId);
    const files = new DriveFiles(path.join(app.drive, 'nowhere'));
    const newest = (row?.copyId ?? 0) - 1;
    expect(
      await recogniseMoves(app.context, files, row?.driveId ?? '', newest, () => Promise.resolve(false), new IdSet()),
    ).toBe(0);
    expect(await contents(batchId)).toHaveLength(1);
  });

  it('are known by the audio when they came back as other files, retagged too; a second copy is no move', async () => {
    const full = await app.put('copying/one.wav', { seed: 503 });
    const { batchId } = await app.intake('copying');
    const [before] = await contents(batchId);
    await app.put('copying/again.wav', { seed: 503 });
    expect((await app.intake('copying')).job.result).toMatchObject({ moved: 0, alreadyHeld: 1 });
    await unlink(full);
    await unlink(path.join(app.drive, 'copying/again.wav'));
    await app.put('copying/third.wav', { seed: 503, tags: { info: { INAM: 'Other' } } });
    const { job } = await app.intake('copying');
    expect(job.result).toMatchObject({ moved: 1, gone: 1, alreadyHeld: 0 });
    const after = await contents(batchId);
    expect(after.find((row) => row.copyId === before?.copyId)).toMatchObject({ name: 'third.wav', state: 'ahead' });
    expect(after.map((row) => row.state).sort()).toEqual(['ahead', 'gone']);
  });
});

describe('bad input in a folder', () => {
  it('lists every file that cannot be read with its reason and what to do; the rest goes on', async () => {
    const lying = toneBytes(6).slice();
    new DataView(lying.buffer).setUint32(40, 4_000_000_000, true);
    await app.put('bad/zero.wav', { bytes: new Uint8Array(0) });
    await app.put('bad/truncated.wav', { bytes: toneBytes(7).subarray(0, 40) });
    await app.put('bad/text.wav', { bytes: new TextEncoder().encode('no audio at all, only words') });
    await app.put('bad/lying.wav', { bytes: lying });
    await app.put('bad/good.wav', { seed: 8 });
    await app.put(`bad/${'n'.repeat(251)}.wav`, { seed: 9 });
    await app.put('bad/.hidden.wav', { seed: 10 });
    await app.put('bad/notes.txt', { bytes: new Uint8Array(3) });
    await writeFile(
      Buffer.concat([Buffer.from(`${app.drive}/bad/caf`), Buffer.from([0xe9]), Buffer.from('.wav')]),
      toneBytes(11),
    );
    const outside = await mkdtemp(path.join(os.tmpdir(), 'outside-'));
    await writeFile(path.join(outside, 'secret.wav'), toneBytes(12));
    await symlink(path.join(outside, 'secret.wav'), path.join(app.drive, 'bad', 'link.wav'));
    await symlink(path.join(app.drive, 'bad'), path.join(app.drive, 'bad', 'loop'));
    await symlink('round.wav', path.join(app.drive, 'bad', 'round.wav'));

    const { batchId, job } = await app.intake('bad');
    expect(job).toMatchObject({ state: 'done', done: 3, failed: 6 });
    const unreadable = await app.call('listUnreadable', { params: { id: batchId } });
    expect(Object.fromEntries(unreadable.map((file) => [file.name, file.code]))).toEqual({
      'zero.wav': 'FILE_EMPTY',
      'truncated.wav': 'FORMAT_DAMAGED',
      'text.wav': 'FORMAT_UNKNOWN',
      'café.wav': 'NAME_NOT_UTF8',
      'link.wav': 'SYMLINK_OUTSIDE',
      'round.wav': 'LINK_LOOP',
    });
    for (const file of unreadable) expect(file.remedy.length).toBeGreaterThan(10);
    const lies = (await rowsOf(batchId)).find((row) => row.name === 'lying.wav');
    expect(lies?.issues[0]?.message).toBe('Chunk “data” claims 4000000000 bytes, 4800 are there.');
  });

  it('tells a folder that the account may not read', async () => {
    await app.put('closed/inside.wav', { seed: 13 });
    await mkdir(path.join(app.drive, 'closed', 'no entry'), { mode: 0o000 });
    // Root may read everything, so this part of the test runs as an account that may not.
    const isRoot = process.geteuid?.() === 0;
    if (isRoot) await (await import('node:fs/promises')).chmod(app.drive, 0o755);
    if (isRoot) process.seteuid?.(65534);
    const { walkFolders } = await import('@flagstone/server/disk/walk');
    const entries = [];
    try {
      for await (const folder of walkFolders(app.drive, 'closed')) entries.push(...folder.entries);
    } finally {
      if (isRoot) process.seteuid?.(0);
    }
    expect(entries).toMatchObject([
      { kind: 'file', name: 'inside.wav' },
      { kind: 'fault', folder: 'closed/no entry', error: { code: 'PATH_NOT_READABLE' } },
    ]);
  });

  it.each([
    ['a path outside the roots', '/etc', 403, 'PATH_OUTSIDE_ROOTS'],
    ['a path that climbs', '../../etc', 403, 'PATH_OUTSIDE_ROOTS'],
    ['a path that does not exist', 'nowhere', 404, 'PATH_NOT_FOUND'],
    ['a file', 'refused/tone.wav', 422, 'PATH_NOT_A_FOLDER'],
  ])('refuses %s', async (_, given, status, code) => {
    await app.put('refused/tone.wav');
    const answer = await app.send('startIntake', {
      body: { path: path.isAbsolute(given) ? given : `${app.drive}/${given}` },
    });
    expect(answer.status).toBe(status);
    expect(answer.body).toMatchObject({ code });
  });

  it('refuses a link that leads out of the roots', async () => {
    await symlink(os.tmpdir(), path.join(app.drive, 'way out'));
    expect((await app.send('startIntake', { body: { path: path.join(app.drive, 'way out') } })).body).toMatchObject({
      code: 'PATH_OUTSIDE_ROOTS',
    });
  });
});

describe('audio of other formats', () => {
  it('is named with the batch and when it is only counted, also in folders that are as they were', async () => {
    const otherApp = await TestApplication.open();
    try {
      await otherApp.put('a/loom.wav', { seed: 1 });
      for (const name of ['a/one.wv', 'a/two.wv', 'a/old.ape', 'a/notes.txt', 'a/.hidden.wv'])
        await writeFile(path.join(otherApp.drive, name), 'x');
      const { batchId } = await otherApp.intake('a');
      const otherAudio = async () => (await otherApp.call('getBatch', { params: { id: batchId } })).otherAudio;
      expect(await otherAudio()).toEqual({ WavPack: 2, 'Monkey’s Audio': 1 });
      await writeFile(path.join(otherApp.drive, 'a/three.wv'), 'x');
      await otherApp.intake('a');
      const batches = await otherApp.call('listBatches');
      expect(batches.map((batch) => batch.otherAudio)).toContainEqual({ WavPack: 3, 'Monkey’s Audio': 1 });
      const counted = await otherApp.call('countIntake', { body: { path: path.join(otherApp.drive, 'a') } });
      expect(counted).toMatchObject({ files: 1, otherAudio: 4, faults: 0 });
    } finally {
      await otherApp.close();
    }
  });
});
