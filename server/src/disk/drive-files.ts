import { constants } from 'node:fs';
import {
  access,
  link,
  lstat,
  open,
  readdir,
  realpath,
  rename,
  stat,
  statfs,
  unlink,
  type FileHandle,
} from 'node:fs/promises';
import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import type { ByteSource } from '@flagstone/core/formats/byte-source';
import { isAudioName } from '@flagstone/core/formats/container';
import { FolderNames } from '@flagstone/core/naming/companions';
import { nameKey } from '@flagstone/core/naming/name-blocks';
import { diskError } from './disk-errors.ts';
import { holdFolder, inHeld } from './held-folder.ts';
import { openRegular } from './open-regular.ts';
import { isWithin } from './roots.ts';
import { isSameFile, stampFrom, type FileStamp } from './file-stamp.ts';
import { inodesTell } from './stable-inodes.ts';

/** An open file as a source of bytes. */
export function handleSource(handle: FileHandle, sizeBytes: number): ByteSource {
  return {
    sizeBytes,
    async read(offset, length) {
      const wanted = Math.max(0, Math.min(length, sizeBytes - offset));
      const bytes = new Uint8Array(wanted);
      let filled = 0;
      while (filled < wanted) {
        const { bytesRead } = await handle.read(bytes, filled, wanted - filled, offset + filled);
        if (bytesRead === 0) break;
        filled += bytesRead;
      }
      return bytes.subarray(0, filled);
    },
  };
}

/**
 * The files of one drive. Every path is relative to the root, `/` between its parts, and is checked: nothing outside the root is ever
 * touched, not even through a link.
 */
export class DriveFiles {
  readonly root: string;
  /** Whether the numbers of files last; asked once, since a drive that is mounted anew gets other files of this class. */
  private inodes: Promise<boolean> | undefined;

  constructor(root: string, inodes?: boolean) {
    this.root = root;
    this.inodes = inodes === undefined ? undefined : Promise.resolve(inodes);
  }

  /** The absolute path of a file or folder; throws PATH_OUTSIDE_ROOTS for a path that climbs. Does not look at the disk. */
  absolute(...parts: string[]): string {
    const full = path.resolve(this.root, ...parts.map((part) => part.replace(/^\/+/, '')));
    if (parts.some((part) => part.includes('\0')) || !isWithin(this.root, full)) {
      throw new AppError('PATH_OUTSIDE_ROOTS', `“${parts.join('/')}” leads out of ${this.root}.`);
    }
    return full;
  }

  /** The absolute path of an existing file, links resolved and checked. Throws FILE_VANISHED or SYMLINK_OUTSIDE. */
  async existing(folder: string, name: string): Promise<string> {
    const plain = this.absolute(folder, name);
    const real = await realpath(plain).catch((error: unknown) => {
      throw diskError(error, plain);
    });
    if (!isWithin(await this.realRoot(), real))
      throw new AppError('SYMLINK_OUTSIDE', `${plain} leads to ${real}, outside the drive.`);
    return real;
  }

  /** The root as it really is. One that was a folder when it was allowed, and is a link now, leads elsewhere. Throws SYMLINK_OUTSIDE. */
  async realRoot(): Promise<string> {
    const real = await realpath(this.root).catch((error: unknown) => {
      throw diskError(error, this.root);
    });
    if (real !== path.resolve(this.root))
      throw new AppError('SYMLINK_OUTSIDE', `${this.root} is a link now and leads to ${real}.`);
    return real;
  }

  /** Works in a folder of the drive that is held open; see holdFolder. */
  private async inFolder<Result>(folder: string, use: (held: string) => Promise<Result>): Promise<Result> {
    return holdFolder(this.absolute(folder), await this.realRoot(), use);
  }

  /** Works on a file by a path that stays in its folder, links resolved, whatever is put in that folder's place meanwhile; see holdFolder. */
  async holding<Result>(folder: string, name: string, use: (held: string) => Promise<Result>): Promise<Result> {
    const full = await this.existing(folder, name);
    return holdFolder(path.dirname(full), await this.realRoot(), (held) => use(inHeld(held, full)));
  }

  /** Whether the root is there and not empty. */
  async holdsAnything(): Promise<boolean> {
    return readdir(this.root).then(
      (names) => names.length > 0,
      () => false,
    );
  }

  /** Bytes of the file system, in all and free to this account. */
  async space(): Promise<{ capacityBytes: number; freeBytes: number }> {
    const { bsize, blocks, bavail } = await statfs(this.root);
    return { capacityBytes: bsize * blocks, freeBytes: bsize * bavail };
  }

  /** Whether files may be made and renamed in a folder; by default in the root. Also false where the whole file system is read-only. */
  async isWritable(folder = ''): Promise<boolean> {
    return access(this.absolute(folder), constants.W_OK).then(
      () => true,
      () => false,
    );
  }

  /** Whether something stands at a path; a link that leads nowhere counts as standing. */
  async exists(folder: string, name: string): Promise<boolean> {
    return lstat(this.absolute(folder, name)).then(
      () => true,
      (error: NodeJS.ErrnoException) => error.code !== 'ENOENT' && error.code !== 'ENOTDIR',
    );
  }

  async stampOf(folder: string, name: string): Promise<FileStamp> {
    const full = await this.existing(folder, name);
    return stampFrom(
      await stat(full).catch((error: unknown) => {
        throw diskError(error, full);
      }),
    );
  }

  /**
   * What is to be expected of a copy's file from now on. Throws FILE_CHANGED when its stamp is not that of the file that was read. Where files are numbered anew
   * at each mount, size and time say whether it is, and its number of now is the one to be met again.
   */
  async expected(copy: FileStamp, stamp: FileStamp, name: string): Promise<FileStamp> {
    this.inodes ??= inodesTell(this.root);
    if (!isSameFile(copy, stamp, await this.inodes))
      throw new AppError('FILE_CHANGED', `${name} was changed since it was read.`);
    return stamp;
  }

  /** The stamp of a file as it bears its name: of a link, that of what it leads to inside the drive. Throws FILE_CHANGED for what is no file. */
  async plainStampOf(folder: string, name: string): Promise<FileStamp> {
    const full = await this.existing(folder, name);
    const entry = await stat(full).catch((error: unknown) => {
      throw diskError(error, full);
    });
    if (!entry.isFile()) throw new AppError('FILE_CHANGED', `${this.absolute(folder, name)} is no file any more.`);
    return stampFrom(entry);
  }

  /** Opens a file for reading, hands its source to `use`, and closes it. */
  async withSource<Result>(
    folder: string,
    name: string,
    use: (source: ByteSource, stamp: FileStamp) => Promise<Result>,
  ): Promise<Result> {
    const full = await this.existing(folder, name);
    const handle = await openRegular(full, await this.realRoot()).catch((error: unknown) => {
      throw diskError(error, full);
    });
    try {
      const stamp = stampFrom(await handle.stat());
      return await use(handleSource(handle, stamp.sizeBytes), stamp);
    } finally {
      await handle.close();
    }
  }

  /** The names of everything that stands in a folder, as renaming in it needs them. */
  async folderNames(folder: string): Promise<FolderNames> {
    const names = await this.inFolder(folder, (held) => readdir(held));
    return new FolderNames(names, isAudioName);
  }

  /**
   * Renames within a folder and never overwrites: a hard link under the new name fails when the name is taken, then the old name goes.
   * Where the file system has no hard links, the name is checked first. A name that differs only in case is the same file on some
   * file systems and is renamed directly there.
   */
  async rename(folder: string, from: string, to: string): Promise<void> {
    if (to.includes('/') || to === '' || to === '.' || to === '..')
      throw new AppError('BAD_REQUEST', `“${to}” is no file name.`);
    const plain = this.absolute(folder, from);
    this.absolute(folder, to);
    await this.inFolder(folder, (held) => renameIn(held, path.dirname(plain), from, to));
  }

  /**
   * Where a rename stands that was cut short: `old` when only the old name exists, `new` when only the new one does, `both` when the
   * link was made and the old name not yet removed, `neither` when the file is gone.
   */
  async renameStanding(
    folder: string,
    from: string,
    to: string,
  ): Promise<'old' | 'new' | 'both' | 'neither' | 'different'> {
    const [old, target] = await Promise.all(
      [from, to].map((name) => lstat(this.absolute(folder, name)).catch(() => undefined)),
    );
    if (old && target) return old.ino === target.ino && old.dev === target.dev ? 'both' : 'different';
    return old ? 'old' : target ? 'new' : 'neither';
  }

  /** Removes the old name of a file that stands under both names; never anything else. */
  async finishRename(folder: string, from: string, to: string): Promise<void> {
    if ((await this.renameStanding(folder, from, to)) === 'both') await unlink(this.absolute(folder, from));
    await syncFolder(this.absolute(folder));
  }
}

/** Renames in a folder that is held open; `shown` is how it is called. */
async function renameIn(held: string, shown: string, from: string, to: string): Promise<void> {
  const [old, target] = [`${held}/${from}`, `${held}/${to}`];
  const taken = (cause?: unknown): AppError => new AppError('NAME_TAKEN', `${shown}/${to} exists.`, { cause });
  try {
    await access(held, constants.W_OK).catch((cause: unknown) => {
      throw new AppError('FOLDER_READ_ONLY', `${shown} is read-only.`, { cause });
    });
    const before = await lstat(old);
    const there = await lstat(target).catch(() => undefined);
    const sameFile =
      there !== undefined && there.ino === before.ino && there.dev === before.dev && nameKey(from) === nameKey(to);
    if (there && !sameFile) throw taken();
    if (there) return await rename(old, target);
    try {
      await link(old, target);
    } catch (error) {
      const code = (error as NodeJS.ErrnoException).code;
      if (code === 'EEXIST') throw taken(error);
      if (code !== 'EPERM' && code !== 'ENOTSUP' && code !== 'EOPNOTSUPP' && code !== 'EMLINK') throw error;
      return await rename(old, target);
    }
    await unlink(old);
  } catch (error) {
    throw diskError(error, `Renaming ${shown}/${from} to “${to}”`);
  } finally {
    await syncFolder(held);
  }
}

/** Makes a change of names last through a power cut; file systems without it are left as they are. */
export async function syncFolder(folder: string): Promise<void> {
  const handle = await open(folder, 'r').catch(() => undefined);
  if (!handle) return;
  await handle.sync().catch((error: NodeJS.ErrnoException) => {
    if (error.code !== 'EINVAL' && error.code !== 'ENOTSUP') throw error;
  });
  await handle.close();
}
