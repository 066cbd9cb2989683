import { describe, expect, it } from '@jest/globals';
import type { Job } from '@flagstone/contract/jobs';
import { countsOf, findingsOf, rateOf, stateOf } from './job-words.ts';

const job: Job = {
  id: 'a',
  kind: 'index',
  title: 'Read Mill Race',
  state: 'running',
  total: 1200,
  done: 300,
  failed: 2,
  batchId: 7,
  planId: null,
  personId: 1,
  collectionIds: [],
  awaitsDrive: null,
  result: { new: 290, same: 10, gone: 1, moved: 0 },
  failures: [],
  asked: null,
  error: null,
  createdAt: '2026-05-01T10:00:00Z',
  startedAt: '2026-05-01T10:00:00Z',
  finishedAt: null,
};

describe('the words of a job', () => {
  it('count what is done and what went wrong', () => {
    expect(countsOf(job)).toBe('300 of 1,200, ✕ 2 unreadable');
    expect(countsOf({ ...job, total: null, failed: 0 })).toBe('300');
  });

  it('say what it does, was asked for, or waits for', () => {
    expect(stateOf(job)).toBe('▶ Running');
    expect(stateOf({ ...job, asked: 'pause' })).toBe('Ⅱ Pausing after this item');
    expect(stateOf({ ...job, state: 'waiting', awaitsDrive: 'Vault' })).toBe('◔ Waits for “Vault”');
  });

  it('lead from each number to its list, and leave out what was not found', () => {
    expect(findingsOf(job)).toEqual([
      { text: '290 new', to: '/intake/7?found=new' },
      { text: '10 the same', to: '/intake/7?found=same' },
      { text: '1 gone', to: '/setup?show=lost' },
    ]);
    expect(findingsOf({ ...job, batchId: null })).toEqual([]);
  });

  it('say what a proof found, the bad news first', () => {
    const proof = { ...job, kind: 'prove' as const, batchId: null, result: { same: 1200, damaged: 2, retold: 0 } };
    expect(findingsOf(proof)).toEqual([
      { text: '2 damaged', to: '/catalogue?state=damaged' },
      { text: '1,200 hold their audio', to: '/drift' },
    ]);
  });

  it('tell the rate while it runs', () => {
    const after = (seconds: number): number => Date.parse(job.createdAt) + seconds * 1000;
    expect(rateOf(job, after(10))).toBe('30 a second');
    expect(rateOf(job, after(100))).toBe('3.0 a second');
    expect(rateOf({ ...job, state: 'done' }, after(10))).toBe('');
    expect(rateOf(job, after(1))).toBe('');
  });
});
