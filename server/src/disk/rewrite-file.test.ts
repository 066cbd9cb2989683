import {
  chmod,
  link,
  mkdir,
  mkdtemp,
  readdir,
  readFile,
  rename,
  rm,
  stat,
  symlink,
  utimes,
  writeFile,
} from 'node:fs/promises';
import { execFileSync } from 'node:child_process';
import os from 'node:os';
import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { emptyRecord, type SoundRecord } from '@flagstone/core/record/fields';
import type { WritePlan } from '@flagstone/core/formats/write-plan';
import { aiffBytes } from '@flagstone/demo/container-files';
import { wavBytes } from '@flagstone/demo/wav-file';
import { DriveFiles } from './drive-files.ts';
import { keepFile } from './keep-file.ts';
import { listFolders } from './list-folders.ts';
import { signatureOf } from './journal-keys.ts';
import { settleLeftovers, type KnownWrites } from './leftovers.ts';
import { decodeJournal, encodeJournal, type PatchJournal } from './patch-journal.ts';
import { readAudio } from './read-audio.ts';
import { rewriteFile, type RewriteOptions } from './rewrite-file.ts';
import { parseTemporaryName, TEMPORARY_PREFIX, temporaryName, whileUnderWay } from './temporary-names.ts';
import { processToken } from '../process-identity.ts';
import { walkFolders, type WalkedFolder } from './walk.ts';

let root = '';
let files: DriveFiles;
const signal = Float32Array.from({ length: 300 }, (_, index) => Math.sin(index));
const bytes = wavBytes([signal], { rate: 48000, bits: 24 });
/** The number of a process that there cannot be. */
const DEAD = `${TEMPORARY_PREFIX}${processToken().replace(/-\d+-\d+$/, '-99999999-1')}.`;
/** Of another machine, or of before a restart: nobody here can know whether it lives. */
const ELSEWHERE = `${TEMPORARY_PREFIX}${processToken().replace(/-[0-9a-f]{12}-/, '-0123456789ab-')}.`;
const settle = (full: string) => settleLeftovers(full);

beforeEach(async () => {
  root = await mkdtemp(path.join(os.tmpdir(), 'flagstone-writing-'));
  files = new DriveFiles(root);
});
afterEach(() => rm(root, { recursive: true, force: true }));

const on = (name: string): string => path.join(root, name);
const names = async (): Promise<string[]> => (await readdir(root)).sort();
const planFor = async (record: Partial<SoundRecord>, name = 'a.wav'): Promise<WritePlan> => {
  const { plan } = await files.withSource('', name, (source) => planWrite(source, { ...emptyRecord(), ...record }));
  if (!plan) throw new Error('there is something to write');
  return plan;
};
const write = async (record: Partial<SoundRecord>, options: RewriteOptions = {}, name = 'a.wav') =>
  rewriteFile(files, '', name, await files.stampOf('', name), await planFor(record, name), options);
const recordIn = (name: string) => files.withSource('', name, async (source) => (await readAudio(source)).record);

describe('rewriting a file by copy', () => {
  it('puts the new file in place of the old with its mode, and no temporary file stays', async () => {
    await writeFile(on('a.wav'), bytes);
    await chmod(on('a.wav'), 0o640);
    const { stamp, audioDigest, how } = await write({ fxName: 'Pot' });
    expect(how).toBe('copy');
    expect(stamp).toEqual(await files.stampOf('', 'a.wav'));
    expect(audioDigest).toMatch(/^[0-9a-f]{64}$/);
    expect((await stat(on('a.wav'))).mode & 0o777).toBe(0o640);
    expect(await names()).toEqual(['a.wav']);
  });

  it('stops and leaves the file as it is when the plan would change the audio', async () => {
    await writeFile(on('a.wav'), bytes);
    const changed = bytes.slice();
    changed[100] = (changed[100] ?? 0) ^ 1;
    for (const audioOffset of [44, 45]) {
      const plan = {
        segments: [{ kind: 'bytes' as const, bytes: changed }],
        audioOffset,
        audioBytes: 900,
        sizeBytes: changed.length,
      };
      await expect(rewriteFile(files, '', 'a.wav', await files.stampOf('', 'a.wav'), plan)).rejects.toMatchObject({
        code: 'AUDIO_CHANGED',
      });
    }
    expect((await readFile(on('a.wav'))).equals(bytes)).toBe(true);
    expect(await names()).toEqual(['a.wav']);
  });

  it('stops when the file is not the one that was read, or is read-only', async () => {
    await writeFile(on('a.wav'), bytes);
    const plan = await planFor({ fxName: 'Pot' });
    const stamp = await files.stampOf('', 'a.wav');
    const other = { ...stamp, mtimeMs: stamp.mtimeMs - 1 };
    await expect(rewriteFile(files, '', 'a.wav', other, plan)).rejects.toMatchObject({ code: 'FILE_CHANGED' });
    await expect(rewriteFile(files, '', 'b.wav', stamp, plan)).rejects.toMatchObject({ code: 'FILE_VANISHED' });
    await chmod(on('a.wav'), 0o444);
    await expect(rewriteFile(files, '', 'a.wav', stamp, plan)).rejects.toMatchObject({ code: 'FILE_READ_ONLY' });
    expect(await names()).toEqual(['a.wav']);
  });

  it('keeps the modification time where that is asked for, in place too', async () => {
    await writeFile(on('a.wav'), bytes);
    await utimes(on('a.wav'), 1e9, 1e9);
    expect((await write({ fxName: 'Pot' }, { keepTime: true })).stamp.mtimeMs).toBe(1e12);
    expect(await write({ fxName: 'Pan' }, { keepTime: true })).toMatchObject({
      how: 'in place',
      stamp: { mtimeMs: 1e12 },
    });
    expect((await write({ fxName: 'Lid' })).stamp.mtimeMs).toBeGreaterThan(1e12);
  });
});

describe('rewriting a file in place', () => {
  it('happens where padding allows, keeps the file itself, and can be forbidden', async () => {
    await writeFile(on('a.wav'), bytes);
    await write({ fxName: 'Pot' });
    const before = await stat(on('a.wav'));
    expect(await write({ fxName: 'A longer name', description: 'and a text' })).toMatchObject({ how: 'in place' });
    const after = await stat(on('a.wav'));
    expect([after.ino, after.size]).toEqual([before.ino, before.size]);
    expect(await recordIn('a.wav')).toEqual({ fxName: 'A longer name', description: 'and a text' });
    expect(await write({ fxName: 'Pot' }, { alwaysCopy: true })).toMatchObject({ how: 'copy' });
    expect((await stat(on('a.wav'))).ino).not.toBe(before.ino);
    expect(await names()).toEqual(['a.wav']);
  });

  it('is not done to a file that has another name too, which keeps what it holds', async () => {
    await writeFile(on('a.wav'), bytes);
    await write({ fxName: 'Pot' });
    await link(on('a.wav'), on('backup.wav'));
    const before = await readFile(on('backup.wav'));
    expect(await write({ fxName: 'Pan' })).toMatchObject({ how: 'copy' });
    expect((await readFile(on('backup.wav'))).equals(before)).toBe(true);
  });

  it('adds to the end of an AIFF file and shortens it again', async () => {
    const plain = aiffBytes([signal], { rate: 48000, bits: 16 });
    await writeFile(on('a.aiff'), plain);
    expect(await write({ fxName: 'Pot' }, {}, 'a.aiff')).toMatchObject({ how: 'in place' });
    const plan: WritePlan = {
      segments: [
        { kind: 'bytes', bytes: plain.subarray(0, 54) },
        { kind: 'keep', offset: 54, length: plain.length - 54 },
      ],
      audioOffset: 54,
      audioBytes: 600,
      sizeBytes: plain.length,
    };
    await rewriteFile(files, '', 'a.aiff', await files.stampOf('', 'a.aiff'), plan);
    expect((await readFile(on('a.aiff'))).equals(plain)).toBe(true);
  });
});

describe('a folder that is swapped for a link while a file in it is written', () => {
  let outside = '';
  beforeEach(async () => {
    outside = await mkdtemp(path.join(os.tmpdir(), 'flagstone-outside-'));
    await mkdir(on('mill'));
    await writeFile(on('mill/a.wav'), bytes);
    await writeFile(path.join(outside, 'a.wav'), bytes);
  });
  afterEach(() => rm(outside, { recursive: true, force: true }));

  const writeIn = async (folder: string, record: Partial<SoundRecord>, options: RewriteOptions) => {
    const { plan } = await files.withSource(folder, 'a.wav', (source) =>
      planWrite(source, { ...emptyRecord(), ...record }),
    );
    if (!plan) throw new Error('there is something to write');
    return rewriteFile(files, folder, 'a.wav', await files.stampOf(folder, 'a.wav'), plan, options);
  };
  const swap = async () => {
    await rename(on('mill'), on('moved'));
    await symlink(outside, on('mill'));
  };

  it.each(['copy', 'in place'] as const)('stays the folder that was looked at: %s', async (how) => {
    // A first write lays room for the next one to be made in place.
    if (how === 'in place') await writeIn('mill', { fxName: 'Lock Gate' }, {});
    const done = await writeIn('mill', { fxName: 'Weir' }, { beforeTouching: swap, alwaysCopy: how === 'copy' });
    expect(done.how).toBe(how);
    expect((await readFile(path.join(outside, 'a.wav'))).equals(bytes)).toBe(true);
    expect(await readdir(outside)).toEqual(['a.wav']);
    const { record } = await files.withSource('moved', 'a.wav', (source) => readAudio(source));
    expect(record.fxName).toBe('Weir');
    expect(await readdir(on('moved'))).toEqual(['a.wav']);
  });

  it('is refused for writing, keeping and listing once it is a link that leads out', async () => {
    await swap();
    await expect(writeIn('mill', { fxName: 'Weir' }, {})).rejects.toMatchObject({ code: 'SYMLINK_OUTSIDE' });
    await expect(keepFile({ bytes }, on('mill/new.wav'), root)).rejects.toMatchObject({ code: 'SYMLINK_OUTSIDE' });
    const task = { realRoot: root, full: on('mill'), seed: '', inodes: true };
    expect(listFolders([task])).toMatchObject([{ code: 'SYMLINK_OUTSIDE' }]);
    expect(await readdir(outside)).toEqual(['a.wav']);
  });

  it('is called by its own name in what is told', async () => {
    await writeFile(on('mill/taken.wav'), 'other');
    await expect(keepFile({ bytes }, on('mill/taken.wav'), root)).rejects.toMatchObject({
      code: 'NAME_TAKEN',
      message: `${on('mill/taken.wav')} is another file already.`,
    });
  });
});

describe('a write in place that was cut short', () => {
  const patchedBytes = async (): Promise<{ before: Buffer; after: Buffer; journal: PatchJournal }> => {
    const before = Buffer.from(aiffBytes([signal], { rate: 48000, bits: 16 }));
    await writeFile(on('a.aiff'), before);
    const { inode } = await files.stampOf('', 'a.aiff');
    const patches = [
      { offset: 4, bytes: Uint8Array.of(0, 0, 3, 3), old: new Uint8Array(before.subarray(4, 8)) },
      { offset: before.length, bytes: new Uint8Array(50).fill(7), old: new Uint8Array(0) },
    ];
    const after = Buffer.concat([before, Buffer.alloc(50, 7)]);
    after.set([0, 0, 3, 3], 4);
    const journal = { name: 'a.aiff', inode, oldSizeBytes: before.length, newSizeBytes: after.length, patches };
    return { before, after, journal };
  };

  it('is finished from its journal, wherever it stopped', async () => {
    const { before, after, journal } = await patchedBytes();
    const torn = [before, after, after.subarray(0, before.length + 20), Buffer.concat([before, Buffer.alloc(50, 7)])];
    for (const [index, state] of torn.entries()) {
      await writeFile(on('a.aiff'), state);
      await writeFile(on(`${DEAD}${index}.journal`), encodeJournal(journal));
      expect(await settleLeftovers(root)).toMatchObject({ settled: 1, conflicts: [] });
      expect((await readFile(on('a.aiff'))).equals(after)).toBe(true);
      expect(await names()).toEqual(['a.aiff']);
    }
  });

  it('never happened when the journal itself is cut short', async () => {
    const { before, journal } = await patchedBytes();
    const whole = encodeJournal(journal);
    expect(decodeJournal(whole)).toEqual({ ...journal, isSigned: true, isWhole: true });
    for (const length of [0, 10, 64, whole.length - 1]) {
      await writeFile(on(`${DEAD}1.journal`), whole.subarray(0, length));
      expect(await settleLeftovers(root)).toMatchObject({ settled: 1, conflicts: [] });
      expect((await readFile(on('a.aiff'))).equals(before)).toBe(true);
    }
  });

  it('is left alone, with its journal, when another program wrote to the file since', async () => {
    const { before, journal } = await patchedBytes();
    const other = Buffer.from(before);
    other[5] = 0x55;
    await writeFile(on('a.aiff'), other);
    await writeFile(on(`${DEAD}1.journal`), encodeJournal(journal));
    await writeFile(on(`${DEAD}2.part`), 'half');
    expect(await settleLeftovers(root)).toMatchObject({
      settled: 1,
      conflicts: [{ name: 'a.aiff', error: { code: 'FILE_CHANGED' } }],
    });
    expect((await readFile(on('a.aiff'))).equals(other)).toBe(true);
    expect(await names()).toHaveLength(2);
  });

  it('is finished when the folder is walked, and one that cannot be is a fault among the files', async () => {
    const { after, journal } = await patchedBytes();
    await writeFile(on(`${DEAD}1.journal`), encodeJournal(journal));
    const walked = async () => {
      const entries = [];
      for await (const { entries: found } of walkFolders(root, '', { settle }))
        for (const entry of found) entries.push(entry.kind === 'file' ? entry.name : entry.error.code);
      return entries;
    };
    expect(await walked()).toEqual(['a.aiff']);
    expect((await readFile(on('a.aiff'))).equals(after)).toBe(true);
    await writeFile(on('a.aiff'), Buffer.alloc(after.length, 0x55));
    await writeFile(on(`${DEAD}1.journal`), encodeJournal(journal));
    expect(await walked()).toEqual(['FILE_CHANGED', 'a.aiff']);
  });

  it('that cannot be removed is a fault of its folder: the files are told all the same, also where nothing changed', async () => {
    await patchedBytes();
    const walked = async (stampOf: () => string | undefined): Promise<WalkedFolder[]> => {
      const folders = [];
      for await (const each of walkFolders(root, '', { stampOf, settle })) folders.push(each);
      return folders;
    };
    const [before] = await walked(() => undefined);
    // A folder of that name cannot be unlinked, as no file can on a drive that is read-only.
    await mkdir(on(`${DEAD}1.part`));
    const now = await walked(() => before?.stamp);
    expect(now).toMatchObject([{ isSame: false, stamp: '' }]);
    expect(now[0]?.entries.map((entry) => [entry.kind, entry.name])).toEqual([
      ['fault', ''],
      ['file', 'a.aiff'],
    ]);
  });

  it('does not touch a file that was put in its place since', async () => {
    const { before, journal } = await patchedBytes();
    await writeFile(on(`${DEAD}1.journal`), encodeJournal({ ...journal, inode: '1' }));
    expect(await settleLeftovers(root)).toMatchObject({ settled: 1, conflicts: [] });
    expect((await readFile(on('a.aiff'))).equals(before)).toBe(true);
  });
});

describe('a journal that is not to be trusted', () => {
  const secret = Buffer.from('nobody may overwrite this');
  const forged = async (over: Partial<PatchJournal>): Promise<PatchJournal> => {
    await writeFile(on('secret.txt'), secret);
    const { inode } = await files.stampOf('', 'secret.txt');
    const patches = [{ offset: 0, bytes: new Uint8Array(secret.length).fill(88), old: new Uint8Array(secret) }];
    return {
      name: 'secret.txt',
      inode,
      oldSizeBytes: secret.length,
      newSizeBytes: secret.length,
      patches,
      ...over,
    };
  };
  const settledAs = async (bytes: Uint8Array, known?: KnownWrites) => {
    await writeFile(on(`${DEAD}1.journal`), bytes);
    const { conflicts } = await settleLeftovers(root, known);
    return { codes: conflicts.map(({ error }) => error.code), kept: (await names()).includes(`${DEAD}1.journal`) };
  };
  /** As somebody else would sign it. */
  const signedBy = (key: Buffer, journal: PatchJournal): Uint8Array => {
    const content = encodeJournal(journal).subarray(0, -64);
    return Buffer.concat([content, Buffer.from(signatureOf(content, key))]);
  };

  it('overwrites nothing when another hand signed it, and is kept', async () => {
    const journal = await forged({});
    const answer = await settledAs(signedBy(Buffer.alloc(32), journal));
    expect(answer).toEqual({ codes: ['FILE_CHANGED'], kept: true });
    expect((await readFile(on('secret.txt'))).equals(secret)).toBe(true);
  });

  it('follows no link, be it the file or the journal, and no way out of its folder', async () => {
    const outside = await mkdtemp(path.join(os.tmpdir(), 'flagstone-outside-'));
    try {
      await writeFile(path.join(outside, 'secret.txt'), secret);
      await symlink(path.join(outside, 'secret.txt'), on('link.wav'));
      const { ino } = await stat(path.join(outside, 'secret.txt'));
      for (const name of ['link.wav', `../${path.basename(outside)}/secret.txt`, path.join(outside, 'secret.txt')]) {
        const { codes } = await settledAs(encodeJournal(await forged({ name, inode: String(ino) })));
        expect(codes).toHaveLength(1);
      }
      await writeFile(path.join(outside, 'journal'), encodeJournal(await forged({})));
      await rm(on(`${DEAD}1.journal`));
      await symlink(path.join(outside, 'journal'), on(`${DEAD}2.journal`));
      expect((await settleLeftovers(root)).conflicts).toHaveLength(1);
      expect((await readFile(path.join(outside, 'secret.txt'))).equals(secret)).toBe(true);
      expect((await readFile(on('secret.txt'))).equals(secret)).toBe(true);
    } finally {
      await rm(outside, { recursive: true });
    }
  });

  it('is not followed for a write of a job that the database does not know', async () => {
    const byJob = `${DEAD}1.journal`.replace('-alone-', '-job-');
    const known = {
      hasEnded: () => Promise.resolve(true),
      isUnderWay: (name: string) => Promise.resolve(name === 'a'),
    };
    await writeFile(on(byJob), encodeJournal(await forged({})));
    expect((await settleLeftovers(root, known)).conflicts).toMatchObject([{ error: { code: 'FILE_CHANGED' } }]);
    expect((await readFile(on('secret.txt'))).equals(secret)).toBe(true);
    const knows = { ...known, isUnderWay: () => Promise.resolve(true) };
    expect(await settleLeftovers(root, knows)).toMatchObject({ settled: 1, conflicts: [] });
    expect((await readFile(on('secret.txt'), 'utf8'))[0]).toBe('X');
  });

  it('waits for no pipe that bears its name', async () => {
    execFileSync('mkfifo', [on(`${DEAD}1.journal`)]);
    expect((await settleLeftovers(root)).conflicts).toHaveLength(1);
  });
});

describe('what writes leave behind', () => {
  it('is removed when its process is no more, and nothing else is', async () => {
    const mine = temporaryName('part', '77');
    for (const name of [`${DEAD}1.part`, `${ELSEWHERE}1.part`, '.flagstone-other', mine, 'a.wav'])
      await writeFile(on(name), 'x');
    await whileUnderWay(mine, async () => {
      expect(parseTemporaryName(mine)).toMatchObject({ kind: 'part', isOwn: true, isLeft: false });
      expect(await settleLeftovers(root)).toMatchObject({ settled: 1, conflicts: [] });
    });
    expect(await names()).toEqual(['.flagstone-other', path.basename(`${ELSEWHERE}1.part`), mine, 'a.wav'].sort());
    // The same process number after a restart is not the process that made it.
    expect(await settleLeftovers(root)).toMatchObject({ settled: 1, conflicts: [] });
    expect(await settleLeftovers(on('none'))).toEqual({ settled: 0, conflicts: [] });
  });
});
