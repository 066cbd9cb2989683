import { createHash } from 'node:crypto';
import { readFileSync, readlinkSync } from 'node:fs';

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

/** What a token says of the process that it names; undefined when it is none. */
export interface NamedProcess {
  /** It is this process. */
  isOwn: boolean;
  /** A database knows of it. */
  byJob: boolean;
  /** Undefined when this machine cannot know: it is another machine's, or of a start before. */
  hasEnded: boolean | undefined;
}

export function readProcessToken(token: string): NamedProcess | undefined {
  const match = /^(alone|job)-([0-9a-f]{12})-(\d+)-(\d+)-(\d+)$/.exec(token);
  if (!match) return undefined;
  const [, by, itsBoot, itsNamespace, pid, start] = match;
  const isOwn = token.slice(token.indexOf('-') + 1) === identity;
  const isKnown = itsBoot === boot && itsNamespace === namespace;
  return {
    isOwn,
    byJob: by === 'job',
    hasEnded: isOwn ? false : isKnown ? startOf(Number(pid)) !== start : undefined,
  };
}
