import {
  link,
  mkdir,
  mkdtemp,
  readdir,
  readFile,
  rename,
  rm,
  stat,
  symlink,
  unlink,
  utimes,
  writeFile,
} from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import { DriveFiles } from './drive-files.ts';
import { AllowedRoots, isWithin } from './roots.ts';
import { walkFolders } from './walk.ts';

let root = '';
let files: DriveFiles;

beforeEach(async () => {
  root = await mkdtemp(path.join(os.tmpdir(), 'flagstone-drives-'));
  files = new DriveFiles(root);
});
afterEach(() => rm(root, { recursive: true, force: true }));

const put = async (name: string, contents: string | Uint8Array = 'x'): Promise<void> => {
  await mkdir(path.dirname(path.join(root, name)), { recursive: true });
  await writeFile(path.join(root, name), contents);
};
const names = async (): Promise<string[]> => (await readdir(root)).sort();

describe('paths', () => {
  it.each([
    ['/a', '/a', true],
    ['/a', '/a/b', true],
    ['/a', '/ab', false],
    ['/a', '/', false],
    ['/a', '/a/..b', true],
    ['/a', '/b', false],
  ])('below %s: %s is %s', (folder, candidate, within) => {
    expect(isWithin(folder, candidate)).toBe(within);
  });

  it('that climb, hide a NUL or are no absolute path are refused', async () => {
    expect(() => files.absolute('..', 'x')).toThrow(/leads out/);
    expect(() => files.absolute('a\0b')).toThrow(/leads out/);
    expect(files.absolute('/a', 'b')).toBe(path.join(root, 'a', 'b'));
    const roots = await AllowedRoots.of([root]);
    await expect(roots.checkedFolder('relative')).rejects.toMatchObject({ code: 'PATH_OUTSIDE_ROOTS' });
    await expect(roots.checkedFolder(`${root}/../`)).rejects.toMatchObject({ code: 'PATH_OUTSIDE_ROOTS' });
    await expect(AllowedRoots.of([path.join(root, 'nowhere')])).rejects.toMatchObject({ code: 'PATH_NOT_FOUND' });
  });

  it('through a link that leads out are refused when the file is opened', async () => {
    await symlink('/etc/hostname', path.join(root, 'link.wav'));
    await expect(files.existing('', 'link.wav')).rejects.toMatchObject({ code: 'SYMLINK_OUTSIDE' });
    await expect(files.existing('', 'none.wav')).rejects.toMatchObject({ code: 'FILE_VANISHED' });
  });

  it('find the deepest of the allowed roots', async () => {
    await mkdir(path.join(root, 'inner'));
    const roots = await AllowedRoots.of([root, path.join(root, 'inner'), root]);
    expect(roots.roots).toHaveLength(2);
    expect(roots.rootOf(path.join(root, 'inner', 'x'))).toBe(path.join(root, 'inner'));
    expect(roots.rootOf('/elsewhere')).toBeUndefined();
  });
});

describe('walking a folder', () => {
  it('gives audio files by extension in the order of names, below links once, and nothing hidden', async () => {
    for (const name of [
      'b.WAV',
      'a.wav',
      'sub/c.aif',
      '.hidden.wav',
      '._a.wav',
      'Thumbs.db',
      'text.txt',
      'sub/.trash/d.wav',
    ])
      await put(name);
    await symlink(path.join(root, 'sub'), path.join(root, 'again'));
    const found: string[] = [];
    for await (const { entries } of walkFolders(root, ''))
      found.push(...entries.map((entry) => `${entry.kind} ${entry.folder}/${entry.name}`));
    expect(found).toEqual(['file /a.wav', 'file /b.WAV', 'file again/c.aif']);
  });

  it('knows a folder by its stamp: its files are not told while none is new, changed or gone, and the seed is the same', async () => {
    for (const name of ['a.wav', 'sub/b.wav', 'sub/note.txt']) await put(name);
    const seen = new Map<string, string>();
    const walked = async (seed = '') => {
      const told: string[] = [];
      for await (const each of walkFolders(root, '', { seed, stampOf: (folder) => seen.get(folder) })) {
        seen.set(each.folder, each.stamp);
        told.push(`${each.folder}: ${each.isSame ? 'same' : each.entries.map((entry) => entry.name).join()}`);
      }
      return told;
    };
    expect(await walked()).toEqual([': a.wav', 'sub: b.wav']);
    await put('sub/other.txt');
    expect(await walked()).toEqual([': same', 'sub: same']);
    await put('sub/b.wav', 'longer');
    expect(await walked()).toEqual([': same', 'sub: b.wav']);
    await put('c.wav');
    expect(await walked()).toEqual([': a.wav,c.wav', 'sub: same']);
    await unlink(path.join(root, 'a.wav'));
    expect(await walked()).toEqual([': c.wav', 'sub: same']);
    expect(await walked('other exclusions')).toEqual([': c.wav', 'sub: b.wav']);
    await symlink('/etc/hostname', path.join(root, 'sub', 'out.wav'));
    expect(await walked('other exclusions')).toEqual([': same', 'sub: b.wav,out.wav']);
    // With a fault in it there is no stamp, so that it is told each time.
    expect(await walked('other exclusions')).toEqual([': same', 'sub: b.wav,out.wav']);
  });

  it('tells a folder that is not there', async () => {
    const entries = [];
    for await (const folder of walkFolders(root, 'none')) entries.push(...folder.entries);
    expect(entries).toMatchObject([{ kind: 'fault', folder: 'none', error: { code: 'FILE_VANISHED' } }]);
  });
});

describe('renaming', () => {
  it('never overwrites and leaves both files as they were', async () => {
    await put('a.wav', 'one');
    await put('b.wav', 'two');
    await expect(files.rename('', 'a.wav', 'b.wav')).rejects.toMatchObject({ code: 'NAME_TAKEN' });
    expect([
      await readFile(path.join(root, 'a.wav'), 'utf8'),
      await readFile(path.join(root, 'b.wav'), 'utf8'),
    ]).toEqual(['one', 'two']);
  });

  it('keeps the file itself, and refuses names that are none', async () => {
    await put('a.wav', 'one');
    const { ino } = await stat(path.join(root, 'a.wav'));
    await files.rename('', 'a.wav', 'A.wav');
    expect((await stat(path.join(root, 'A.wav'))).ino).toBe(ino);
    for (const name of ['', '.', '..', 'x/y'])
      await expect(files.rename('', 'A.wav', name)).rejects.toMatchObject({ code: 'BAD_REQUEST' });
    await expect(files.rename('', 'A.wav', 'n'.repeat(256))).rejects.toMatchObject({ code: 'NAME_TOO_LONG' });
    await expect(files.rename('', 'none.wav', 'x.wav')).rejects.toMatchObject({ code: 'FILE_VANISHED' });
    expect(await names()).toEqual(['A.wav']);
  });

  it('is told apart when it was cut short, and finished without touching a different file', async () => {
    await put('old', '1');
    expect(await files.renameStanding('', 'old', 'new')).toBe('old');
    await link(path.join(root, 'old'), path.join(root, 'new'));
    expect(await files.renameStanding('', 'old', 'new')).toBe('both');
    await files.finishRename('', 'old', 'new');
    expect(await files.renameStanding('', 'old', 'new')).toBe('new');
    await put('old', '2');
    expect(await files.renameStanding('', 'old', 'new')).toBe('different');
    await files.finishRename('', 'old', 'new');
    expect(await names()).toEqual(['new', 'old']);
    await unlink(path.join(root, 'old'));
    await unlink(path.join(root, 'new'));
    expect(await files.renameStanding('', 'old', 'new')).toBe('neither');
  });
});

describe('a drive that numbers its files anew at each mount', () => {
  it('knows a file by size and time, and expects the number of now; another drive refuses it', async () => {
    const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-fuse-'));
    try {
      await writeFile(path.join(folder, 'a.wav'), 'x');
      const renumbered = new DriveFiles(folder, false);
      const now = await renumbered.stampOf('', 'a.wav');
      const read = { ...now, inode: '12345' };
      expect(await renumbered.expected(read, now, 'a.wav')).toEqual(now);
      await expect(renumbered.expected({ ...read, mtimeMs: 1 }, now, 'a.wav')).rejects.toMatchObject({
        code: 'FILE_CHANGED',
      });
      await expect(new DriveFiles(folder, true).expected(read, now, 'a.wav')).rejects.toMatchObject({
        code: 'FILE_CHANGED',
      });
    } finally {
      await rm(folder, { recursive: true });
    }
  });

  it('keeps the stamps of its folders', async () => {
    const folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-fuse-'));
    try {
      const stampWith = async (inodes: boolean): Promise<string> => {
        const [first] = await (async () => {
          const folders = [];
          for await (const each of walkFolders(folder, '', { inodes })) folders.push(each);
          return folders;
        })();
        return first?.stamp ?? '';
      };
      const at = new Date(1_700_000_000_000);
      const put = async (): Promise<void> => {
        await writeFile(path.join(folder, 'next'), 'x');
        await utimes(path.join(folder, 'next'), at, at);
        await rename(path.join(folder, 'next'), path.join(folder, 'a.wav'));
      };
      await put();
      const [anew, lasting] = [await stampWith(false), await stampWith(true)];
      // Another file of that size and time in its place: another number, as after a mount.
      await put();
      expect(await stampWith(false)).toBe(anew);
      expect(await stampWith(true)).not.toBe(lasting);
    } finally {
      await rm(folder, { recursive: true });
    }
  });
});
