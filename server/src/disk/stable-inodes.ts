import { statfs } from 'node:fs/promises';

/**
 * File systems that number their files anew at each mount, or do not promise otherwise: FAT, exFAT, whatever is mounted by a program (FUSE), and shares of
 * Windows. The numbers are those of statfs(2) and linux/magic.h.
 */
const NUMBERED_ANEW = new Set([0x4d44, 0x2011bab0, 0x65735546, 0x65735543, 0x517b, 0xfe534d42, 0xff534d42]);

/** Whether a file system of that type gives a file the same number after it was mounted anew. */
export function keepsInodes(type: number): boolean {
  // statfs gives the number with its sign.
  return !NUMBERED_ANEW.has(type >>> 0);
}

/** Whether the number of a file in a folder says that it is the same file. One that cannot be asked is taken at its word. */
export function inodesTell(folder: string): Promise<boolean> {
  return statfs(folder).then(
    ({ type }) => keepsInodes(type),
    () => true,
  );
}
