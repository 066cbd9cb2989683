import { readdir, readFile, readlink, statfs } from 'node:fs/promises';
import path from 'node:path';
import { isWithin } from './roots.ts';

/** Where Linux tells of mounts (proc(5), /proc/pid/mountinfo) and udev of the UUIDs of file systems; tests show other places. */
export interface MountSources {
  mountInfo: string;
  byUuid: string;
}
const LINUX: MountSources = { mountInfo: '/proc/self/mountinfo', byUuid: '/dev/disk/by-uuid' };

/**
 * What tells a folder from others when no marker can be written to it: the UUID of its file system, that one's size in bytes and the path
 * within it. Undefined where the system does not tell, for instance of shares on a network. Throws when the disk cannot say: a drive that
 * answers badly for a moment is not to get another identity.
 */
export async function fileSystemIdentity(folder: string, sources: MountSources = LINUX): Promise<string | undefined> {
  const table = await readFile(sources.mountInfo, 'utf8').catch(missing(''));
  const mount = parseMounts(table)
    .filter(({ point }) => isWithin(point, folder))
    // The deepest; of several on one point, the last hides the others.
    .reduce<Mount | undefined>(
      (best, next) => (best && best.point.length > next.point.length ? best : next),
      undefined,
    );
  if (!mount?.source.startsWith('/dev/')) return undefined;
  const uuid = await uuidOf(mount.source, sources.byUuid);
  if (uuid === undefined) return undefined;
  const { blocks, bsize } = await statfs(folder);
  const within = path.posix.join(mount.root, path.relative(mount.point, folder));
  return `${uuid} ${blocks * bsize} ${within}`;
}

/** What stands for a file that this system does not have; another fault is one. */
function missing<Value>(value: Value): (error: NodeJS.ErrnoException) => Value {
  return (error) => {
    if (['ENOENT', 'ENOTDIR', 'EACCES', 'EINVAL'].includes(error.code ?? '')) return value;
    throw error;
  };
}

interface Mount {
  /** The folder of the file system that is mounted. */
  root: string;
  point: string;
  source: string;
}

/** The mounts in the form of proc(5): `36 35 98:0 /root /point options - type source superoptions`, with octal escapes. */
export function parseMounts(table: string): Mount[] {
  return table.split('\n').flatMap((line) => {
    const [before = '', after = ''] = line.split(' - ');
    const [, , , root, point] = before.split(' ').map(unescaped);
    const [, source] = after.split(' ').map(unescaped);
    return root && point && source ? [{ root, point, source }] : [];
  });
}

function unescaped(field: string): string {
  return field.replace(/\\([0-7]{3})/g, (_, octal: string) => String.fromCharCode(parseInt(octal, 8)));
}

async function uuidOf(device: string, byUuid: string): Promise<string | undefined> {
  const names = await readdir(byUuid).catch(missing<string[]>([]));
  for (const name of names) {
    const target = await readlink(path.join(byUuid, name)).catch(missing(''));
    // The links are relative to the folder as the system has it.
    if (path.resolve(LINUX.byUuid, target) === device) return name;
  }
  return undefined;
}
