/** What tells whether a file is still the one that was read. */
export interface FileStamp {
  sizeBytes: number;
  mtimeMs: number;
  inode: string;
}

/** The stamp of what the file system says of a file. */
export function stampFrom(entry: { size: number; mtimeMs: number; ino: number | bigint }): FileStamp {
  return { sizeBytes: entry.size, mtimeMs: entry.mtimeMs, inode: String(entry.ino) };
}

/** Whether a file has the size and the time that it had, whichever file it is. */
export function isUnchanged(
  known: Pick<FileStamp, 'sizeBytes' | 'mtimeMs'>,
  now: Pick<FileStamp, 'sizeBytes' | 'mtimeMs'>,
): boolean {
  return known.sizeBytes === now.sizeBytes && known.mtimeMs === now.mtimeMs;
}

/** Whether a file is still the one that was read: by size and time, and by its number where that lasts. */
export function isSameFile(known: FileStamp, now: FileStamp, inodes: boolean): boolean {
  return isUnchanged(known, now) && (!inodes || known.inode === now.inode);
}
