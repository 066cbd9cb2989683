import { afterEach, describe, expect, it } from '@jest/globals';
import { effectScope, ref, type EffectScope } from 'vue';
import { FakeServer, settled } from '../ui/fake-server.ts';
import { useKeptRows } from './use-kept-rows.ts';

const scopes: EffectScope[] = [];
afterEach(() => scopes.splice(0).forEach((scope) => scope.stop()));

/** A list as the page of a batch has it, and the storage of a browser. */
function opened(batchId: number, kept: Map<string, string>, stillThere = (id: number) => id < 100, personId = 1) {
  const server = new FakeServer({
    findBatchRows: ({ body }) => ({ copyIds: (body as { copyIds: number[] }).copyIds.filter(stillThere) }),
  });
  const restarted: (number | undefined)[] = [];
  const selectedIds = ref<ReadonlySet<number>>(new Set());
  const everything = ref(false);
  const currentRow = ref<{ copyId: number }>();
  const list = {
    selectedIds,
    everything,
    currentRow,
    restart: (keepId?: number) => {
      restarted.push(keepId);
      return Promise.resolve();
    },
    take: (ids: readonly number[] | 'all') => {
      everything.value = ids === 'all';
      selectedIds.value = new Set(ids === 'all' ? [] : ids);
    },
  };
  const storage = {
    getItem: (key: string) => kept.get(key) ?? null,
    setItem: (key: string, value: string) => void kept.set(key, value),
  };
  const scope = effectScope();
  scopes.push(scope);
  const begun = scope.run(() => useKeptRows(batchId, personId, list, server, storage)) ?? Promise.resolve();
  return { ...list, server, restarted, begun, scope };
}

describe('the rows that somebody was at in a batch', () => {
  it('are selected again, and the current one is so again, as far as they are still there', async () => {
    const kept = new Map<string, string>();
    const first = opened(7, kept);
    await first.begun;
    first.selectedIds.value = new Set([3, 5, 200]);
    first.currentRow.value = { copyId: 5 };
    await settled();
    first.scope.stop();

    const again = opened(7, kept);
    await again.begun;
    expect(again.restarted).toEqual([5]);
    expect([...again.selectedIds.value]).toEqual([3, 5]);
    const other = opened(8, kept);
    await other.begun;
    expect([other.restarted, other.selectedIds.value.size]).toEqual([[undefined], 0]);
    // Nor does somebody else at this computer find them.
    const colleague = opened(7, kept, undefined, 2);
    await colleague.begun;
    expect(colleague.selectedIds.value.size).toBe(0);
  });

  it('are all of it, where all were', async () => {
    const kept = new Map<string, string>();
    const first = opened(7, kept);
    await first.begun;
    first.everything.value = true;
    await settled();
    const again = opened(7, kept);
    await again.begun;
    expect([again.everything.value, again.server.times('findBatchRows')]).toEqual([true, 0]);
  });

  it('give way to what somebody chooses before the answer comes, and to nonsense in the browser', async () => {
    const kept = new Map([
      ['flagstone.batchRows.1', '[{"batchId":7,"copyIds":[3],"everything":false,"currentId":null}]'],
    ]);
    const list = opened(7, kept);
    list.selectedIds.value = new Set([9]);
    await list.begun;
    expect([...list.selectedIds.value]).toEqual([9]);
    for (const text of [
      '{',
      '7',
      '[{"batchId":7}]',
      '[{"batchId":7,"copyIds":["x"],"everything":false,"currentId":null}]',
    ]) {
      const next = opened(7, new Map([['flagstone.batchRows.1', text]]));
      await next.begun;
      expect(next.selectedIds.value.size).toBe(0);
    }
  });
});
