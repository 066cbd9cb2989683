import os from 'node:os';

/**
 * Files that a write puts beside the one it writes: `.part`, a copy that is being made, and `.journal`, what an in-place write is about to
 * change. The name tells who made it, so that a later start knows what was left behind by a process that is no more.
 */
export const TEMPORARY_PREFIX = '.flagstone-write-';

const host = os.hostname().replace(/[^A-Za-z0-9-]/g, '') || 'host';
const underWay = new Set<string>();

/** The name of a temporary file for the file with that inode. */
export function temporaryName(kind: 'part' | 'journal', inode: string): string {
  return `${TEMPORARY_PREFIX}${host}.${process.pid}.${inode}.${kind}`;
}

/** Runs work during which a temporary file belongs to this process. */
export async function whileUnderWay<Result>(name: string, work: () => Promise<Result>): Promise<Result> {
  underWay.add(name);
  try {
    return await work();
  } finally {
    underWay.delete(name);
  }
}

export interface TemporaryFile {
  kind: 'part' | 'journal';
  /** Whether the process that made it cannot be working on it any more. */
  left: boolean;
}

/**
 * What a file's name says when it is a temporary one. A process on this machine is asked for; of one on another machine nothing is known, and
 * its files are left to it.
 */
export function parseTemporaryName(name: string): TemporaryFile | undefined {
  const match = /^\.flagstone-write-([A-Za-z0-9-]+)\.(\d+)\.\d+\.(part|journal)$/.exec(name);
  if (!match) return undefined;
  const [, madeOn, pid, kind] = match;
  const own = Number(pid) === process.pid;
  return {
    kind: kind as 'part' | 'journal',
    left: madeOn === host && (own ? !underWay.has(name) : !isRunning(Number(pid))),
  };
}

function isRunning(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    // EPERM: it runs under another account.
    return (error as NodeJS.ErrnoException).code === 'EPERM';
  }
}
