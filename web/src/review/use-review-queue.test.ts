import { describe, expect, it } from '@jest/globals';
import type { QueuedProposal } from '@flagstone/contract/review';
import { FakeServer, HeldBack } from '../ui/fake-server.ts';
import { linesOf, useReviewQueue } from './use-review-queue.ts';

const proposal = (id: number, over: Partial<QueuedProposal> = {}): QueuedProposal => ({
  ...{ id, soundId: 1, personId: 5, person: 'Ines Talbot', field: 'notes', before: '', now: '', value: `no. ${id}` },
  ...{ at: '2026-11-29T10:00:00Z', copyId: 10, name: 'gate.wav', durationSeconds: 1, revision: 1, mayDecide: true },
  ...over,
});
const page = (proposals: QueuedProposal[], next: number | null = null) => ({
  proposals,
  next,
  returned: [],
});
const ids = (queue: ReturnType<typeof useReviewQueue>): number[] => queue.lines.value.map(({ proposal: { id } }) => id);

describe('the lines of the queue', () => {
  it('stand by sound and person, in the order in which these came first', () => {
    const lines = linesOf([
      proposal(1),
      proposal(2, { soundId: 2 }),
      proposal(3, { field: 'fxName' }),
      proposal(4, { personId: 6 }),
    ]);
    expect(lines.map(({ proposal: { id }, isFirst, ofSound }) => [id, isFirst, ofSound])).toEqual([
      [1, true, [1, 3]],
      [3, false, [1, 3]],
      [2, true, [2]],
      [4, true, [4]],
    ]);
  });

  it('say a category once, by its CatID', () => {
    const lines = linesOf([
      proposal(1, { field: 'category' }),
      proposal(2, { field: 'catId' }),
      proposal(3, { field: 'subCategory' }),
    ]);
    expect(lines.map(({ proposal: { id }, isFirst, ofSound }) => [id, isFirst, ofSound])).toEqual([
      [2, true, [1, 2, 3]],
    ]);
    expect(linesOf([proposal(1, { field: 'category' })])).toHaveLength(1);
  });
});

describe('the queue', () => {
  const opened = async (answers: ConstructorParameters<typeof FakeServer>[0] = {}) => {
    const server = new FakeServer({
      listProposals: () => page([proposal(1), proposal(2, { soundId: 2 }), proposal(3, { soundId: 3 })]),
      decideProposals: ({ body }) => ({ decided: (body as { ids: number[] }).ids.length, gone: 0, conflicts: [] }),
      ...answers,
    });
    const queue = useReviewQueue(server);
    await queue.load();
    return { server, queue };
  };

  it('looks at the next line when one is decided, and at the one before behind the last', async () => {
    const { queue, server } = await opened();
    queue.move(1);
    expect(queue.current.value?.proposal.id).toBe(2);
    await queue.decide([2], 'accepted');
    expect([ids(queue), queue.current.value?.proposal.id]).toEqual([[1, 3], 3]);
    await queue.decide([3], 'returned', 'Which one?');
    expect([ids(queue), queue.current.value?.proposal.id]).toEqual([[1], 1]);
    expect(server.asked.at(-1)).toEqual([
      'decideProposals',
      {
        body: {
          ...{ ids: [3], decision: 'returned', remark: 'Which one?' },
          asOf: { revisions: [{ soundId: 3, revision: 1 }] },
        },
      },
    ]);
    queue.move(5);
    queue.move(-9);
    expect(queue.current.value?.proposal.id).toBe(1);
  });

  it('says what others decided meanwhile, and keeps what could not be decided', async () => {
    const { queue, server } = await opened({ decideProposals: () => ({ decided: 0, gone: 1, conflicts: [] }) });
    await queue.decide([1], 'accepted');
    expect(server.told).toEqual(['1 proposal decided or taken back meanwhile']);
    const refused = await opened({
      decideProposals: () => {
        throw new Error('not here');
      },
    });
    expect(await refused.queue.decide([1], 'accepted')).toBe(false);
    expect([ids(refused.queue), refused.server.errors]).toEqual([[1, 2, 3], ['not here']]);
  });

  it('keeps what somebody else changed meanwhile, with what it says now, and says who', async () => {
    let revision = 4;
    const mine = { mine: 'no. 1', theirs: 'of Tobias', at: '2026-11-29T10:00:00Z' };
    const { queue, server } = await opened({
      listProposals: () => page([proposal(1, { revision }), proposal(2, { soundId: 2 })]),
      decideProposals: () => {
        revision = 5;
        const conflict = { soundId: 1, revision, field: 'notes', person: 'Tobias Reed', ...mine };
        return { decided: 1, gone: 0, conflicts: [conflict] };
      },
    });
    await queue.decide([1], 'accepted');
    expect(server.told).toEqual(['Tobias Reed changed Notes meanwhile']);
    expect(queue.lines.value.map(({ proposal: { id, revision: seen } }) => [id, seen])).toEqual([
      [1, 5],
      [2, 1],
    ]);
  });

  it('decides hundreds in several requests, and stops where one fails', async () => {
    const many = Array.from({ length: 1200 }, (_, at) => proposal(at + 1, { soundId: at + 1 }));
    let left = 2;
    const { queue, server } = await opened({
      listProposals: () => page(many),
      decideProposals: ({ body }) => {
        if ((left -= 1) < 0) throw new Error('the line broke');
        return { decided: (body as { ids: number[] }).ids.length, gone: 0, conflicts: [] };
      },
    });
    expect(await queue.decide(ids(queue), 'accepted')).toBe(false);
    expect([ids(queue).length, queue.lines.value[0]?.proposal.id, server.errors]).toEqual([
      200,
      1001,
      ['the line broke'],
    ]);
  });

  it('takes the rest of a category along', async () => {
    const { queue } = await opened({
      listProposals: () => page([proposal(1, { field: 'category' }), proposal(2, { field: 'catId' }), proposal(3)]),
    });
    await queue.decide([2], 'accepted');
    expect(ids(queue)).toEqual([3]);
  });

  it('stays at its line when it is asked for anew, with as much as was loaded', async () => {
    const asked: number[] = [];
    const { queue } = await opened({
      listProposals: ({ query }) => {
        const { after } = query as { after: number };
        asked.push(after);
        return after === 0 ? page([proposal(1)], 1) : page([proposal(2, { soundId: 2 })]);
      },
    });
    await queue.more();
    queue.move(1);
    await queue.load();
    expect([asked, ids(queue), queue.current.value?.proposal.id]).toEqual([[0, 1, 0, 1], [1, 2], 2]);
  });

  it('believes the answer that was asked for last', async () => {
    const held = new HeldBack(() => page([proposal(7)]));
    let answers: () => unknown = held.answer;
    const server = new FakeServer({ listProposals: () => answers() });
    const queue = useReviewQueue(server);
    const early = queue.load();
    answers = () => page([proposal(8)]);
    await queue.show(5);
    held.release();
    await early;
    expect(ids(queue)).toEqual([8]);
    expect(server.asked.at(-1)?.[1].query).toEqual({ after: 0, personId: 5 });
  });
});
