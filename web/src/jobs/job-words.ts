import type { Job } from '@flagstone/contract/jobs';
import type { ProvedAs } from '@flagstone/contract/proof';
import { formatFailed } from '../ui/format.ts';

const JOB_STATES: Record<Job['state'], string> = {
  waiting: '○ Waiting',
  running: '▶ Running',
  paused: 'Ⅱ Paused',
  done: '✓ Done',
  failed: '✕ Failed',
  cancelled: '– Cancelled',
};

/** What a job asked for will do soon. */
const JOB_ASKED: Record<NonNullable<Job['asked']>, string> = {
  pause: 'Ⅱ Pausing after this item',
  cancel: '– Stopping after this item',
};

/** What a job is doing, or what it was asked for or waits for. */
export function stateOf(job: Job): string {
  if (job.asked) return JOB_ASKED[job.asked];
  return job.awaitsDrive === null ? JOB_STATES[job.state] : `◔ Waits for “${job.awaitsDrive}”`;
}

/** 40 of 120, 3 failed. */
export function countsOf(job: Job): string {
  const of = job.total === null ? '' : ` of ${job.total.toLocaleString('en')}`;
  return [`${job.done.toLocaleString('en')}${of}`, formatFailed(job)].filter((part) => part !== '').join(', ');
}

/** What reading a folder found, with the address of the list behind each number; counts of nothing are left out. */
export function findingsOf(job: Job): { text: string; to: string }[] {
  const batch = `/intake/${job.batchId}`;
  const words: [key: string, word: string, to: string][] = [
    ['new', 'new', `${batch}?found=new`],
    ['moved', 'moved', `${batch}?found=moved`],
    ['changedOutside', 'changed outside', `${batch}?found=changedOutside`],
    ['alreadyHeld', 'already held', `${batch}?found=alreadyHeld`],
    ['same', 'the same', `${batch}?found=same`],
    // What is gone may stand in another batch, or in none that is open.
    ['gone', 'gone', '/setup?show=lost'],
  ];
  if (job.kind === 'prove') return provedIn(job);
  return words
    .filter(([key]) => job.batchId !== null && (job.result[key] ?? 0) > 0)
    .map(([key, word, to]) => ({ text: `${(job.result[key] ?? 0).toLocaleString('en')} ${word}`, to }));
}

/** What a proof found, with the lists of what it is bad news of. */
function provedIn({ result }: Job): { text: string; to: string }[] {
  const words: [key: ProvedAs, word: string, to: string][] = [
    ['damaged', 'damaged', '/catalogue?state=damaged'],
    ['repaired', 'whole again', '/drift'],
    ['retold', 'with other metadata', '/drift'],
    ['same', 'hold their audio', '/drift'],
  ];
  return words
    .filter(([key]) => (result[key] ?? 0) > 0)
    .map(([key, word, to]) => ({ text: `${(result[key] ?? 0).toLocaleString('en')} ${word}`, to }));
}

/** Items a second, and what a job still needs; empty while it does not run. */
export function rateOf(job: Job, now: number): string {
  const worked = job.done + job.failed;
  if (job.state !== 'running' || job.startedAt === null || worked === 0) return '';
  const seconds = (now - Date.parse(job.startedAt)) / 1000;
  if (seconds < 2) return '';
  const rate = worked / seconds;
  return `${rate >= 10 ? Math.round(rate).toLocaleString('en') : rate.toFixed(1)} a second`;
}
