import { processToken, readProcessToken } from '../process-identity.ts';

/**
 * Files that a write puts beside the one it writes: `.part`, a copy that is being made, and `.journal`, what an in-place write is about to
 * change. The name tells which process made it, so that what a killed one left is told from what another one is at.
 */
export const TEMPORARY_PREFIX = '.flagstone-write-';

const underWay = new Set<string>();

/** The name of a temporary file for the file with that inode. */
export function temporaryName(what: 'part' | 'journal', inode: string): string {
  return `${TEMPORARY_PREFIX}${processToken()}.${inode}.${what}`;
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
  /** The process that made it. */
  token: string;
  /** Whether it is this process. */
  isOwn: boolean;
  /** Whether a database knows of that process. */
  byJob: boolean;
  /** Whether that process cannot be working on it any more; undefined when this machine cannot know. */
  isLeft: boolean | undefined;
}

/** What a file's name says when it is a temporary one; also of those of versions before, which were named by host and number of the process. */
export function parseTemporaryName(name: string): TemporaryFile | undefined {
  const [, token = '', what] = /^\.flagstone-write-([a-z0-9-]+)\.\d+\.(part|journal)$/.exec(name) ?? [];
  const maker = readProcessToken(token);
  if (!maker) return parseEarlierName(name);
  const { isOwn, byJob, hasEnded } = maker;
  return { kind: what as 'part' | 'journal', token, isOwn, byJob, isLeft: isOwn ? !underWay.has(name) : hasEnded };
}

function parseEarlierName(name: string): TemporaryFile | undefined {
  const match = /^\.flagstone-write-([A-Za-z0-9-]+)\.(\d+)\.\d+\.(part|journal)$/.exec(name);
  if (!match) return undefined;
  const [, host, pid, what] = match;
  return { kind: what as 'part' | 'journal', token: `${host}:${pid}`, isOwn: false, byJob: true, isLeft: undefined };
}
