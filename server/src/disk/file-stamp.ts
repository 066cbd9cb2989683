/** What tells whether a file is still the one that was read. */
export interface FileStamp {
  sizeBytes: number;
  mtimeMs: number;
  inode: string;
}

/** Whether a file is still the one that was read: by size and time, and by its number where that lasts. */
export function isSameFile(known: FileStamp, now: FileStamp, inodes: boolean): boolean {
  return known.sizeBytes === now.sizeBytes && known.mtimeMs === now.mtimeMs && (!inodes || known.inode === now.inode);
}
