import { afterEach, describe, expect, it } from '@jest/globals';
import type { PullEntry } from '@flagstone/contract/pull-lists';
import { effectScope, ref, type EffectScope } from 'vue';
import { FakeServer, HeldBack, settled } from '../ui/fake-server.ts';
import { usePullEntries } from './use-pull-entries.ts';

const scopes: EffectScope[] = [];
afterEach(() => scopes.splice(0).forEach((scope) => scope.stop()));

const entriesOf = (...ids: number[]): PullEntry[] => ids.map((id) => ({ id }) as PullEntry);

async function opened(answers: ConstructorParameters<typeof FakeServer>[0] = {}) {
  const server = new FakeServer({
    listPullEntries: ({ params }) => entriesOf(...(params?.['id'] === 1 ? [11, 12, 13] : [21])),
    ...answers,
  });
  let hear = (): void => undefined;
  let isHeard = false;
  const onPullLists = (heard: () => void) => {
    [hear, isHeard] = [heard, true];
    return () => void (isHeard = false);
  };
  const listId = ref(1);
  const scope = effectScope();
  scopes.push(scope);
  const view = scope.run(() => usePullEntries(() => listId.value, server, { onPullLists }))!;
  await settled();
  return { server, listId, view, scope, others: () => hear(), isHeard: () => isHeard };
}
const ids = ({ view }: Awaited<ReturnType<typeof opened>>): number[] => view.entries.value.map(({ id }) => id);

describe('the entries of a pull list', () => {
  it('are those of the list on show', async () => {
    const list = await opened();
    expect(ids(list)).toEqual([11, 12, 13]);
    list.listId.value = 2;
    await settled();
    expect(ids(list)).toEqual([21]);
  });

  it('are not said to be none before they have come, nor are those of another list shown', async () => {
    const held = new HeldBack(() => entriesOf(21));
    const list = await opened({
      listPullEntries: ({ params }) => (params?.['id'] === 1 ? entriesOf(11) : held.answer()),
    });
    expect(list.view.isLoaded.value).toBe(true);
    list.listId.value = 2;
    await settled();
    expect([list.view.isLoaded.value, ids(list)]).toEqual([false, []]);
    held.release();
    await settled();
    expect([list.view.isLoaded.value, ids(list)]).toEqual([true, [21]]);
  });

  it('keep the marked one marked, whoever puts others before it or takes it away', async () => {
    let now = entriesOf(11, 12, 13);
    const list = await opened({ listPullEntries: () => now });
    list.view.current.value = 1;
    now = entriesOf(9, 10, 11, 12);
    list.others();
    await settled();
    expect(list.view.current.value).toBe(3);
    now = entriesOf(9, 10, 11);
    list.others();
    await settled();
    expect(list.view.current.value).toBe(2);
    now = [];
    list.others();
    await settled();
    expect(list.view.current.value).toBe(0);
  });

  it('of a list that was left while they were on their way are not shown', async () => {
    const held = new HeldBack(() => entriesOf(11, 99));
    let isHeld = false;
    const list = await opened({
      listPullEntries: ({ params }) => (params?.['id'] === 2 ? entriesOf(21) : isHeld ? held.answer() : entriesOf(11)),
    });
    isHeld = true;
    list.others();
    list.listId.value = 2;
    await settled();
    held.release();
    await settled();
    expect(ids(list)).toEqual([21]);
  });

  it('are heard of no more when the list is left', async () => {
    const list = await opened();
    list.scope.stop();
    expect(list.isHeard()).toBe(false);
  });
});

describe('moving an entry', () => {
  const moved = (order: number[]) => ({ updatePullEntry: () => entriesOf(...order) });

  it('asks for its place before the next but one, or at the end, and takes the mark along', async () => {
    const list = await opened(moved([12, 11, 13]));
    await list.view.move(0, 1);
    expect(list.server.asked.at(-1)).toEqual(['updatePullEntry', { params: { id: 11 }, body: { before: 13 } }]);
    expect(list.view.current.value).toBe(1);
    await list.view.move(1, 1);
    expect(list.server.asked.at(-1)?.[1].body).toEqual({ before: null });
    await list.view.move(1, -1);
    expect(list.server.asked.at(-1)?.[1].body).toEqual({ before: 12 });
  });

  it('goes nowhere beyond the ends', async () => {
    const list = await opened();
    await list.view.move(0, -1);
    await list.view.move(2, 1);
    await list.view.move(7, 1);
    expect(list.server.times('updatePullEntry')).toBe(0);
  });

  it('leaves the mark where it is when the server refuses', async () => {
    const list = await opened({
      updatePullEntry: () => {
        throw new Error('somebody took it out');
      },
    });
    await list.view.move(0, 1);
    expect([list.view.current.value, ids(list), list.server.errors]).toEqual([
      0,
      [11, 12, 13],
      ['somebody took it out'],
    ]);
  });

  it('marks it where a colleague’s change has put it, too', async () => {
    const list = await opened(moved([5, 12, 11, 13]));
    await list.view.move(0, 1);
    expect(list.view.current.value).toBe(2);
  });

  it('puts what is dragged before another, or into this list from one beside it', async () => {
    const list = await opened(moved([11, 12, 13]));
    await list.view.put(12, 1);
    expect(list.server.times('updatePullEntry')).toBe(0);
    await list.view.put(77, 1);
    await list.view.put(77, 3);
    expect(list.server.asked.slice(-2).map(([, { body }]) => body)).toEqual([
      { listId: 1, before: 12 },
      { listId: 1, before: null },
    ]);
  });
});
