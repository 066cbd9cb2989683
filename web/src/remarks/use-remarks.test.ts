import { afterEach, describe, expect, it } from '@jest/globals';
import type { Remark } from '@flagstone/contract/remarks';
import { effectScope, ref, type EffectScope } from 'vue';
import { FakeServer, HeldBack, settled } from '../ui/fake-server.ts';
import { piecesOf, strangersIn, useRemarks } from './use-remarks.ts';

const scopes: EffectScope[] = [];
afterEach(() => scopes.splice(0).forEach((scope) => scope.stop()));

const remark = (id: number, soundId = 1): Remark => ({
  ...{ id, soundId, personId: 1, person: 'Orla Venn', text: `no. ${id}` },
  ...{ at: '2026-11-30T10:00:00Z', mentioned: [] },
});
let sounds = 100;

/** The remarks of a sound of its own, so that drafts of other tests are not met. */
async function opened(answers: ConstructorParameters<typeof FakeServer>[0] = {}) {
  const first = (sounds += 10);
  const server = new FakeServer({
    listRemarks: ({ params }) => ({ remarks: [remark(5, Number(params?.['id']))], next: null }),
    addRemark: () => ({ remark: remark(6), unseen: [] }),
    ...answers,
  });
  let hear: (ids: ReadonlySet<number>, onlyMeasured: boolean) => void = () => undefined;
  const soundId = ref(first);
  const scope = effectScope();
  scopes.push(scope);
  const onRecords = (heard: typeof hear) => {
    hear = heard;
    return () => undefined;
  };
  const view = scope.run(() => useRemarks(() => soundId.value, server, { onRecords }))!;
  await settled();
  return { server, view, soundId, first, hear: (...ids: number[]) => hear(new Set(ids), false) };
}

describe('the remarks on a sound', () => {
  it('are asked for again when something happens to it, and to no other', async () => {
    const { server, first, hear } = await opened();
    hear(first + 1);
    await settled();
    expect(server.times('listRemarks')).toBe(1);
    hear(first);
    await settled();
    hear();
    await settled();
    expect(server.times('listRemarks')).toBe(3);
  });

  it('are never those of the sound before', async () => {
    const held = new HeldBack(() => ({ remarks: [remark(9)], next: null }));
    let answer: () => unknown = () => ({ remarks: [remark(5)], next: null });
    const { view, soundId, first } = await opened({ listRemarks: () => answer() });
    expect(view.remarks.value).toHaveLength(1);
    answer = held.answer;
    soundId.value = first + 1;
    await settled();
    expect(view.remarks.value).toBeUndefined();
    soundId.value = first;
    await settled();
    held.release(0);
    await settled();
    expect(view.remarks.value?.[0]?.id).toBe(5);
  });

  it('are read further back page by page', async () => {
    const { view, server } = await opened({
      listRemarks: ({ query }) =>
        query?.['before'] === undefined ? { remarks: [remark(8)], next: 8 } : { remarks: [remark(3)], next: null },
    });
    expect(view.hasEarlier.value).toBe(true);
    await view.earlier();
    expect([view.remarks.value?.map(({ id }) => id), view.hasEarlier.value]).toEqual([[8, 3], false]);
    expect(server.asked.at(-1)?.[1].query).toEqual({ before: 8 });
  });
});

describe('what is typed', () => {
  it('stays with its sound while somebody goes on through the list, and goes when it was said', async () => {
    const { view, soundId, first, server } = await opened();
    view.draft.value = '@Orla Venn, louder?';
    soundId.value = first + 1;
    expect(view.draft.value).toBe('');
    soundId.value = first;
    expect(view.draft.value).toBe('@Orla Venn, louder?');
    await view.say();
    expect(view.draft.value).toBe('');
    expect(server.asked.find(([name]) => name === 'addRemark')?.[1].body).toEqual({ text: '@Orla Venn, louder?' });
  });

  it('stays when it could not be said, and is said once by two clicks', async () => {
    const refused = await opened({
      addRemark: () => {
        throw new Error('away');
      },
    });
    refused.view.draft.value = 'kept';
    await refused.view.say();
    expect([refused.view.draft.value, refused.server.errors]).toEqual(['kept', ['away']]);
    const held = new HeldBack(() => ({ remark: remark(7), unseen: ['Rosa Lind'] }));
    const { view, server } = await opened({ addRemark: held.answer });
    view.draft.value = 'once';
    const both = [view.say(), view.say()];
    await settled();
    // Typed on while it was on its way.
    view.draft.value = 'once more';
    held.release();
    await Promise.all(both);
    expect([server.times('addRemark'), view.draft.value]).toEqual([1, 'more']);
    expect(server.told).toEqual(['Rosa Lind cannot see this sound']);
  });
});

describe('a text with names', () => {
  const names = ['Orla Venn', 'Tobias Reed'];

  it('is shown in pieces', () => {
    expect(piecesOf('For @orla venn: now', names)).toEqual([
      { text: 'For ', isName: false },
      { text: '@orla venn', isName: true },
      { text: ': now', isName: false },
    ]);
    expect(piecesOf('', names)).toEqual([]);
  });

  it('says which words after the sign are nobody’s name', () => {
    expect(strangersIn('@Orla Venn and @Orlo, mill@lock.example, @ 5', names)).toEqual(['@Orlo,']);
    expect(strangersIn('for @Tob', names)).toEqual([]);
  });
});
