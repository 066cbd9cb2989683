import { afterEach, describe, expect, it } from '@jest/globals';
import type { Batch, Unreadable } from '@flagstone/contract/intake';
import type { Job } from '@flagstone/contract/jobs';
import { effectScope, reactive, type EffectScope } from 'vue';
import { FakeServer, HeldBack, settled } from '../ui/fake-server.ts';
import { useBatch } from './use-batch.ts';

const scopes: EffectScope[] = [];
afterEach(() => scopes.splice(0).forEach((scope) => scope.stop()));

const batchOf = (counts: Partial<Batch['counts']> = {}, more: Partial<Batch> = {}): Batch =>
  ({
    id: 4,
    name: 'Lock gates',
    filedAt: null,
    otherAudio: {},
    collectionId: 1,
    givenTo: null,
    partOf: null,
    counts: { all: 12, named: 3, ...counts },
    ...more,
  }) as unknown as Batch;
const fault = (name: string): Unreadable => ({ name, message: 'not a sound' }) as unknown as Unreadable;
const jobOf = (job: Partial<Job>): Job => ({ kind: 'index', state: 'running', batchId: 4, ...job }) as Job;

async function opened(answers: ConstructorParameters<typeof FakeServer>[0] = {}) {
  const server = new FakeServer({
    getBatch: () => batchOf(),
    listUnreadable: () => [],
    acceptSuggestions: () => ({ changed: 7 }),
    fileBatch: () => ({ filed: 12, batch: batchOf({}, { filedAt: '2026-11-29T10:00:00.000Z' }) }),
    ...answers,
  });
  const heard: (() => void)[] = [];
  let stopped = 0;
  const hears = (listener: () => void) => {
    heard.push(listener);
    return () => void (stopped += 1);
  };
  const events = reactive({ running: [] as Job[], onJob: hears, onRecords: hears });
  const scope = effectScope();
  scopes.push(scope);
  const view = scope.run(() => useBatch(4, server, events as unknown as Parameters<typeof useBatch>[2]))!;
  await settled();
  return { server, events, view, scope, stopped: () => stopped, hear: () => heard.forEach((listener) => listener()) };
}

describe('the page of a batch', () => {
  it('shows the batch, and follows its records and jobs until it is left', async () => {
    const { server, view, hear, scope, stopped } = await opened();
    expect(view.batch.value?.name).toBe('Lock gates');
    hear();
    await settled();
    expect(server.times('getBatch')).toBe(3);
    scope.stop();
    expect(stopped()).toBe(2);
  });

  it('shows the last answer that was asked for, in whatever order they arrive', async () => {
    let named = 0;
    const held = new HeldBack(() => batchOf({ named: ++named }));
    const { view, hear } = await opened({ getBatch: held.answer });
    hear();
    expect(held.count).toBe(3);
    held.release(2);
    await settled();
    held.release(0);
    held.release(0);
    await settled();
    expect(view.batch.value?.counts.named).toBe(3);
  });

  it('says that an answer failed, and keeps what it knew', async () => {
    let asks = 0;
    const { server, view, hear } = await opened({
      getBatch: () => {
        if (++asks > 1) throw new Error('the server is away');
        return batchOf();
      },
    });
    hear();
    await settled();
    expect(server.errors).toEqual(['the server is away', 'the server is away']);
    expect(view.batch.value?.name).toBe('Lock gates');
  });

  it('counts what of the folder is in no row', async () => {
    expect((await opened()).view.leftOut.value).toBe('');
    const { view } = await opened({
      getBatch: () => batchOf({}, { otherAudio: { mp3: 2, ogg: 1 } }),
      listUnreadable: () => [fault('broken.wav')],
    });
    expect(view.leftOut.value).toBe('✕ 1 file unreadable, ◇ 3 files left out');
  });

  it('knows the job that reads its own folder', async () => {
    const { view, events } = await opened();
    events.running = [jobOf({ batchId: 5 }), jobOf({ kind: 'measure' })];
    expect(view.reading.value).toBeUndefined();
    events.running.push(jobOf({ done: 3 }));
    expect(view.reading.value).toMatchObject({ done: 3 });
  });

  it('is incomplete while a sound cannot be named', async () => {
    expect((await opened()).view.isIncomplete.value).toBe(true);
    expect((await opened({ getBatch: () => batchOf({ named: 12 }) })).view.isIncomplete.value).toBe(false);
  });
});

describe('suggesting for a batch', () => {
  it('is for the whole batch, or for what is selected', async () => {
    const { server, view } = await opened();
    await view.acceptAll(['catId']);
    await view.acceptAll(['keywords'], { kind: 'copies', copyIds: [7, 8] });
    const bodies = server.asked.filter(([name]) => name === 'acceptSuggestions').map(([, { body }]) => body);
    expect(bodies).toMatchObject([
      { selection: { kind: 'batch', batchId: 4 }, fields: ['catId'] },
      { selection: { kind: 'copies', copyIds: [7, 8] }, fields: ['keywords'] },
    ]);
    expect(server.told).toEqual(['7 sounds filled in', '7 sounds filled in']);
  });
});

describe('filing a batch', () => {
  it('shows it filed, also when an older answer is still on its way', async () => {
    const held = new HeldBack(() => batchOf());
    const { server, view } = await opened({ getBatch: held.answer });
    expect(await view.file()).toBe(true);
    held.release();
    await settled();
    expect(view.batch.value?.filedAt).not.toBeNull();
    expect(server.told).toEqual(['12 sounds filed into the catalogue']);
  });

  it('says why it failed, and stays on the page', async () => {
    const { server, view } = await opened({
      fileBatch: () => {
        throw new Error('3 sounds have no CatID');
      },
    });
    expect(await view.file()).toBe(false);
    expect(server.errors).toEqual(['3 sounds have no CatID']);
    expect(view.batch.value?.filedAt).toBeNull();
  });
});
