import { mkdir, mkdtemp, rm, statfs, symlink, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { fileSystemIdentity, parseMounts, type MountSources } from './file-system-identity.ts';

// The first two lines are the example of proc(5).
const TABLE = String.raw`36 35 98:0 /mnt1 /mnt2 rw,noatime master:1 - ext3 /dev/root rw,errors=continue
22 28 0:21 / /sys rw,nosuid shared:7 - sysfs sysfs rw`;

let folder = '';
let sources: MountSources;
beforeAll(async () => {
  folder = await mkdtemp(path.join(os.tmpdir(), 'flagstone-mounts-'));
  sources = { mountInfo: path.join(folder, 'mountinfo'), byUuid: path.join(folder, 'by-uuid') };
  await mkdir(path.join(sources.byUuid), { recursive: true });
  await mkdir(path.join(folder, 'my disk', 'sounds'), { recursive: true });
  await symlink('../../sdb1', path.join(sources.byUuid, '4f3c-11'));
  await symlink('../../sda2', path.join(sources.byUuid, '0000-00'));
  const point = path.join(folder, 'my disk').replaceAll(' ', '\\040');
  await writeFile(
    sources.mountInfo,
    `1 0 8:2 / / rw - ext4 /dev/sda2 rw\n2 1 8:17 /shelf ${point} ro - ext4 /dev/sdb1 ro\n3 1 0:9 / ${folder}/share rw - nfs4 host:/share rw\n`,
  );
});
afterAll(() => rm(folder, { recursive: true }));

describe('the identity of a file system', () => {
  it('reads the table of mounts', () => {
    expect(parseMounts(TABLE)).toEqual([
      { root: '/mnt1', point: '/mnt2', source: '/dev/root' },
      { root: '/', point: '/sys', source: 'sysfs' },
    ]);
  });

  it('is UUID, size and the path within it, wherever it is mounted', async () => {
    const { blocks, bsize } = await statfs(folder);
    const identity = await fileSystemIdentity(path.join(folder, 'my disk', 'sounds'), sources);
    expect(identity).toBe(`4f3c-11 ${blocks * bsize} /shelf/sounds`);
  });

  it('is not known for a share, nor where the system does not tell', async () => {
    await mkdir(path.join(folder, 'share'));
    expect(await fileSystemIdentity(path.join(folder, 'share'), sources)).toBeUndefined();
    expect(await fileSystemIdentity(folder, { ...sources, mountInfo: '/nowhere' })).toBeUndefined();
    expect(await fileSystemIdentity(folder, { ...sources, byUuid: '/nowhere' })).toBeUndefined();
  });
});
