import { createHash } from 'node:crypto';
import { readFileSync, readlinkSync } from 'node:fs';

/**
 * Files that a write puts beside the one it writes: `.part`, a copy that is being made, and `.journal`, what an in-place write is about to
 * change. The name tells which process made it, so that what a killed one left is told from what another one is at.
 */
export const TEMPORARY_PREFIX = '.flagstone-write-';

/** The start of a process in clock ticks since the machine started (proc(5), stat, field 22); undefined when there is none of that number. */
function startOf(pid: number | 'self'): string | undefined {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'latin1');
    // The name of the program stands in parentheses and may hold spaces.
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19];
  } catch {
    return undefined;
  }
}

function read(file: string): string {
  try {
    return readFileSync(file, 'utf8').trim();
  } catch {
    return '';
  }
}

function processNamespace(): string {
  try {
    return /\d+/.exec(readlinkSync('/proc/self/ns/pid'))?.[0] ?? '0';
  } catch {
    return '0';
  }
}

/** Host names are given twice and numbers of processes are given again: this run of the kernel, this table of processes, number and start are one process. */
const boot = createHash('sha256').update(read('/proc/sys/kernel/random/boot_id')).digest('hex').slice(0, 12);
const namespace = processNamespace();
const identity = `${boot}-${namespace}-${process.pid}-${startOf('self') ?? '0'}`;

let kind: 'alone' | 'job' = 'alone';
/** Says that this process writes as jobs of a database, which knows whether it lives. */
export function writeAsJobs(): void {
  kind = 'job';
}

/** What names this process, also after it has ended. */
export function processToken(): string {
  return `${kind}-${identity}`;
}

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
  const match = /^\.flagstone-write-((alone|job)-([0-9a-f]{12})-(\d+)-(\d+)-(\d+))\.\d+\.(part|journal)$/.exec(name);
  if (!match) return parseEarlierName(name);
  const [, token = '', by, itsBoot, itsNamespace, pid, start, what] = match;
  const isOwn = token.slice(token.indexOf('-') + 1) === identity;
  const isKnown = itsBoot === boot && itsNamespace === namespace;
  return {
    kind: what as 'part' | 'journal',
    token,
    isOwn,
    byJob: by === 'job',
    isLeft: isOwn ? !underWay.has(name) : isKnown ? startOf(Number(pid)) !== start : undefined,
  };
}

function parseEarlierName(name: string): TemporaryFile | undefined {
  const match = /^\.flagstone-write-([A-Za-z0-9-]+)\.(\d+)\.\d+\.(part|journal)$/.exec(name);
  if (!match) return undefined;
  const [, host, pid, what] = match;
  return { kind: what as 'part' | 'journal', token: `${host}:${pid}`, isOwn: false, byJob: true, isLeft: undefined };
}

/** Whether the process of a token, made on this machine since it started, has ended; undefined when this machine cannot know. */
export function hasEnded(token: string): boolean | undefined {
  return parseTemporaryName(`${TEMPORARY_PREFIX}${token}.0.part`)?.isLeft;
}
