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

describe('moving entries', () => {
  const moved = (order: number[]) => ({ takePullEntries: () => entriesOf(...order) });
  const lastBody = ({ server }: Awaited<ReturnType<typeof opened>>) => server.asked.at(-1)?.[1].body;

  it('asks for its place before the next but one, or at the end, and takes the mark along', async () => {
    const list = await opened(moved([12, 11, 13]));
    await list.view.move(0, 1);
    const body = { entryIds: [11], before: 13 };
    expect(list.server.asked.at(-1)).toEqual(['takePullEntries', { params: { id: 1 }, body }]);
    expect(list.view.current.value).toBe(1);
    await list.view.move(1, 1);
    expect(lastBody(list)).toEqual({ entryIds: [11], before: null });
    await list.view.move(1, -1);
    expect(lastBody(list)).toEqual({ entryIds: [11], before: 12 });
  });

  it('goes nowhere beyond the ends', async () => {
    const list = await opened();
    await list.view.move(0, -1);
    await list.view.move(2, 1);
    await list.view.move(7, 1);
    expect(list.server.times('takePullEntries')).toBe(0);
  });

  it('leaves the mark where it is when the server refuses', async () => {
    const list = await opened({
      takePullEntries: () => {
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
    await list.view.put([12], 1);
    await list.view.put([], 1);
    expect(list.server.times('takePullEntries')).toBe(0);
    await list.view.put([77, 78], 1);
    expect(lastBody(list)).toEqual({ entryIds: [77, 78], before: 12 });
    await list.view.put([77], 3);
    expect(lastBody(list)).toEqual({ entryIds: [77], before: null });
    // Never before one of those that are moved.
    await list.view.put([11, 12], 1);
    expect(lastBody(list)).toEqual({ entryIds: [11, 12], before: 13 });
  });

  it('moves all chosen ones together, as a block', async () => {
    const list = await opened({ ...moved([11, 12, 13, 14]), listPullEntries: () => entriesOf(11, 12, 13, 14) });
    list.view.choose(1, true);
    list.view.choose(2, true);
    await list.view.move(1, 1);
    expect(lastBody(list)).toEqual({ entryIds: [12, 13], before: null });
    await list.view.move(2, -1);
    expect(lastBody(list)).toEqual({ entryIds: [12, 13], before: 11 });
  });
});

describe('choosing entries', () => {
  it('chooses one, all up to another, and says which are meant', async () => {
    const list = await opened({ listPullEntries: () => entriesOf(11, 12, 13, 14) });
    expect(list.view.concerned()).toEqual([11]);
    list.view.choose(1, true);
    list.view.choose(3, true, true);
    expect(list.view.concerned()).toEqual([12, 13, 14]);
    list.view.choose(2, false);
    expect(list.view.concerned()).toEqual([12, 14]);
    // One that is not among them is meant alone.
    expect(list.view.concerned(11)).toEqual([11]);
  });

  it('forgets those that a colleague took off, and all of a list that is left', async () => {
    let now = entriesOf(11, 12, 13);
    const list = await opened({ listPullEntries: () => now });
    list.view.choose(0, true);
    list.view.choose(1, true);
    now = entriesOf(12, 13);
    list.others();
    await settled();
    expect(list.view.concerned()).toEqual([12]);
    list.listId.value = 2;
    await settled();
    expect(list.view.chosen.value.size).toBe(0);
  });
});
