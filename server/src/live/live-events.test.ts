import { describe, expect, it } from '@jest/globals';
import type { Job, LiveEvent } from '@flagstone/contract/jobs';
import { payloadOf } from './live-events.ts';

const LIMIT = 7900;
const job = (over: Partial<Job>): LiveEvent => ({
  type: 'job',
  job: {
    id: 'x',
    kind: 'index',
    title: 'Read the mill',
    state: 'running',
    total: 3,
    done: 1,
    failed: 0,
    batchId: 1,
    planId: null,
    personId: 1,
    collectionIds: [],
    awaitsDrive: null,
    result: {},
    failures: [],
    asked: null,
    error: null,
    createdAt: '',
    startedAt: null,
    finishedAt: null,
    ...over,
  },
});

describe('an event as one notification', () => {
  it('is told as it is when it fits', () => {
    const event = job({});
    expect(JSON.parse(payloadOf(event))).toEqual(event);
  });

  it('is counted in bytes: letters of other scripts have more than one', () => {
    const examples = Array.from({ length: 3 }, () => '水車小屋のきしむ音'.repeat(100));
    const failures = [{ code: 'IO_FAILED', count: 3, examples, remedy: 'Look at the disk.' }];
    const payload = payloadOf(job({ failures }));
    expect(Buffer.byteLength(payload)).toBeLessThanOrEqual(LIMIT);
    expect(JSON.parse(payload)).toMatchObject({ job: { failures: [{ code: 'IO_FAILED', count: 3, examples: [] }] } });
  });

  it('goes with a shorter title, or asks for everything, before it is too long', () => {
    const long = payloadOf(job({ title: '窯'.repeat(5000) }));
    expect(Buffer.byteLength(long)).toBeLessThanOrEqual(LIMIT);
    expect(JSON.parse(long)).toMatchObject({ type: 'job', job: { state: 'running' } });
    const result = Object.fromEntries(Array.from({ length: 2000 }, (_, at) => [`count ${at}`, at]));
    expect(JSON.parse(payloadOf(job({ result })))).toEqual({ type: 'missed' });
    const ids = Array.from({ length: 5000 }, (_, at) => at);
    expect(JSON.parse(payloadOf({ type: 'records', soundIds: ids }))).toEqual({ type: 'records', soundIds: [] });
  });
});
