import { expect, it } from '@jest/globals';
import { isSameFile } from './file-stamp.ts';
import { inodesTell, keepsInodes } from './stable-inodes.ts';

it('knows which file systems number their files anew at each mount', async () => {
  // ext4, XFS and tmpfs keep numbers (linux/magic.h); exFAT, FAT, FUSE and SMB do not.
  for (const type of [0xef53, 0x58465342, 0x01021994]) expect(keepsInodes(type)).toBe(true);
  for (const type of [0x2011bab0, 0x4d44, 0x65735546, 0xff534d42 | 0, 0xfe534d42 | 0])
    expect(keepsInodes(type)).toBe(false);
  expect(await inodesTell('/nowhere at all')).toBe(true);
});

it('knows a file by its number only where that lasts', () => {
  const read = { sizeBytes: 100, mtimeMs: 5, inode: '7' };
  expect(isSameFile(read, { ...read, inode: '8' }, true)).toBe(false);
  expect(isSameFile(read, { ...read, inode: '8' }, false)).toBe(true);
  expect(isSameFile(read, { ...read, mtimeMs: 6 }, false)).toBe(false);
  expect(isSameFile(read, { ...read, sizeBytes: 101 }, false)).toBe(false);
});
