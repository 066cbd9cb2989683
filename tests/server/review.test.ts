import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import type { SoundRecord } from '@flagstone/core/record/fields';
import type { SoundRow } from '@flagstone/contract/record';
import type { QueuedProposal } from '@flagstone/contract/review';
import type { UndoAnswer } from '@flagstone/contract/changes';
import { addPersonWith } from '../signed-in.ts';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let batchId = 0;
let copyIds: number[] = [];
/** An assistant of the collection, another one, and somebody who is a librarian of another collection alone. */
let ines: Record<string, string>;
let piet: Record<string, string>;
let elsewhere: Record<string, string>;

beforeAll(async () => {
  app = await TestApplication.open();
  for (const [seed, name] of ['gate', 'lock', 'sluice', 'weir'].entries())
    await app.put(`${name}.wav`, { seed: seed + 50 });
  ({ batchId } = await app.intake());
  copyIds = (await rows()).map(({ copyId }) => copyId);
  const made = await app.call('makeCollection', { body: { name: 'The kiln yard' } });
  const other = made.find(({ name }) => name === 'The kiln yard')?.id ?? 0;
  const { db } = app.context;
  ines = (await addPersonWith(db, 'Ines Talbot', [{ collectionId: 1, role: 'assistant' }])).headers;
  piet = (await addPersonWith(db, 'Piet Dorn', [{ collectionId: 1, role: 'assistant' }])).headers;
  elsewhere = (await addPersonWith(db, 'Rosa Lind', [{ collectionId: other, role: 'librarian' }])).headers;
}, 60_000);
afterAll(() => app.close());

/** Nothing waits, and no record says anything. */
beforeEach(async () => {
  await app.call('updateCollection', { params: { id: 1 }, body: { asksReview: true } });
  const { proposals } = await app.call('listProposals');
  if (proposals.length > 0)
    await decide(
      'returned',
      proposals.map(({ id }) => id),
    );
  for (const headers of [ines, piet]) {
    const { returned } = await queue(headers);
    if (returned.length > 0) await ask(headers, 'post', '/review/withdraw', { ids: returned.map(({ id }) => id) });
  }
  const set = { fxName: null, notes: null, description: null, library: null, keywords: [], catId: null };
  await app.call('editRecords', { body: { selection: { kind: 'batch', batchId }, edit: { set } } });
  const figures = await app.call('countProposals');
  const { accepted = 0, returned = 0 } = figures.find(({ person }) => person === 'Ines Talbot') ?? {};
  settledBefore = { accepted, returned };
});
let settledBefore = { accepted: 0, returned: 0 };

const rows = async (): Promise<SoundRow[]> => (await app.call('listBatchRows', { params: { id: batchId } })).rows;
const row = async (at: number): Promise<SoundRow> => (await rows()).find(({ copyId }) => copyId === copyIds[at])!;
const recordOf = async (at: number): Promise<SoundRecord> => (await row(at)).record;

async function ask<Answer>(
  headers: Record<string, string>,
  method: 'get' | 'post' | 'patch',
  address: string,
  body?: object,
): Promise<{ status: number; body: Answer }> {
  const asked = app.nobody[method](`/api${address}`).set('Host', '127.0.0.1').set(headers);
  return await (body === undefined ? asked : asked.send(body));
}
const edit = (headers: Record<string, string>, which: readonly number[], change: object) =>
  ask<{ changed: number; proposed: number; changeId: number | null }>(headers, 'patch', '/records', {
    selection: { kind: 'copies', copyIds: which.map((at) => copyIds[at]) },
    edit: change,
  });
interface Queue {
  proposals: QueuedProposal[];
  returned: { id: number; remark: string; decidedBy: string; value: unknown }[];
}
const queue = async (headers?: Record<string, string>): Promise<Queue> =>
  headers ? (await ask<Queue>(headers, 'get', '/review')).body : app.call('listProposals');
const decide = (decision: 'accepted' | 'returned', ids: number[], remark = '') =>
  app.call('decideProposals', { body: { ids, decision, remark } });
const undo = async (headers: Record<string, string>) => ask<UndoAnswer>(headers, 'post', '/undo', {});

describe('what an assistant changes where the collection asks for review', () => {
  it('waits: the record, its revision and its search row stay, and the queue shows before and after', async () => {
    const before = await row(0);
    const answer = await edit(ines, [0], { set: { fxName: 'Lock gate creaks', notes: 'slow' } });
    expect([answer.status, answer.body]).toMatchObject([200, { changed: 0, proposed: 1, changeId: null }]);
    const after = await row(0);
    expect([after.record, after.revision]).toEqual([before.record, before.revision]);
    expect(after.proposals.map(({ person, field, value }) => [person, field, value])).toEqual([
      ['Ines Talbot', 'fxName', 'Lock gate creaks'],
      ['Ines Talbot', 'notes', 'slow'],
    ]);
    const { proposals } = await queue();
    expect(proposals).toMatchObject([
      {
        field: 'fxName',
        before: before.record.fxName,
        now: before.record.fxName,
        value: 'Lock gate creaks',
        name: 'gate.wav',
        mayDecide: true,
      },
      { field: 'notes', before: '', now: '', value: 'slow' },
    ]);
  });

  it('becomes the record when a librarian accepts it, as one change that can be taken back', async () => {
    await edit(ines, [0], { set: { fxName: 'Lock gate creaks', notes: 'slow' } });
    const [name, notes] = (await queue()).proposals;
    const { revision } = await row(0);
    expect(await decide('accepted', [name!.id, notes!.id])).toEqual({ decided: 2, gone: 0, conflicts: [] });
    const after = await row(0);
    expect(after.record).toMatchObject({ fxName: 'Lock gate creaks', notes: 'slow' });
    expect([after.revision, after.proposals]).toEqual([revision + 1, []]);
    const { revisions } = await app.call('getSound', { params: { id: after.soundId } });
    expect(revisions[0]).toMatchObject({ person: 'Orla Venn', summary: 'Accepted from Ines Talbot: FXName, Notes' });
    // Twice, by two librarians with the same page: nothing is decided again.
    expect(await decide('returned', [name!.id])).toEqual({ decided: 0, gone: 1, conflicts: [] });
    await app.call('undoLast', { body: {} });
    expect((await recordOf(0)).notes).toBe('');
  });

  it('comes back with a remark when it is returned, until it is put away', async () => {
    await edit(ines, [1], { set: { description: 'A lock.' } });
    const [proposal] = (await queue()).proposals;
    await decide('returned', [proposal!.id], 'Which lock, and what does it do?');
    expect((await recordOf(1)).description).toBe('');
    const { returned, proposals } = await queue(ines);
    const { body: proposers } = await ask<object[]>(ines, 'get', '/review/figures');
    expect(returned).toMatchObject([
      { value: 'A lock.', remark: 'Which lock, and what does it do?', decidedBy: 'Orla Venn' },
    ]);
    expect(proposals).toEqual([]);
    expect(proposers).toEqual([
      expect.objectContaining({
        person: 'Ines Talbot',
        waiting: 0,
        accepted: settledBefore.accepted,
        returned: settledBefore.returned + 1,
      }),
    ]);
    await ask(ines, 'post', '/review/withdraw', { ids: [returned[0]!.id] });
    expect((await queue(ines)).returned).toEqual([]);
  });

  it('builds on what they proposed before, and is nothing any more when it says what the record says', async () => {
    await edit(ines, [2], { addKeywords: ['sluice'] });
    await edit(ines, [2], { addKeywords: ['chain'] });
    const [only, ...more] = (await queue(ines)).proposals;
    expect([only?.value, more]).toEqual([['sluice', 'chain'], []]);
    await edit(ines, [2], { removeKeywords: ['sluice', 'chain'] });
    expect((await queue(ines)).proposals).toEqual([]);
  });

  it('loses no keyword that a colleague added meanwhile', async () => {
    await edit(ines, [2], { addKeywords: ['chain'] });
    await app.call('editRecords', {
      body: { selection: { kind: 'copies', copyIds: [copyIds[2]] }, edit: { addKeywords: ['paddle'] } },
    });
    const [proposal] = (await queue()).proposals;
    expect(proposal).toMatchObject({ before: [], now: ['paddle'], value: ['chain'] });
    await decide('accepted', [proposal!.id]);
    expect((await recordOf(2)).keywords).toEqual(['paddle', 'chain']);
  });

  it('decides a category as a whole', async () => {
    await edit(ines, [3], { set: { catId: 'WATRFlow' } });
    const { proposals } = await queue();
    expect(proposals.map(({ field }) => field).sort()).toEqual(['catId', 'category', 'subCategory']);
    expect(await decide('accepted', [proposals.find(({ field }) => field === 'category')!.id])).toMatchObject({
      decided: 1,
    });
    expect(await recordOf(3)).toMatchObject({ catId: 'WATRFlow', category: 'WATER', subCategory: 'FLOW' });
    expect((await queue()).proposals).toEqual([]);
  });
});

describe('taking back what was proposed', () => {
  it('is one’s own last act, whatever of it was replaced, and can be done again', async () => {
    const values = async () => (await queue(ines)).proposals.map(({ field, value }) => [field, value]);
    await edit(ines, [0, 1], { set: { library: 'Mill' } });
    await edit(ines, [0], { set: { library: 'Watermill' } });
    expect(await values()).toEqual([
      ['library', 'Mill'],
      ['library', 'Watermill'],
    ]);
    expect((await undo(ines)).body.summary).toBe('Undo: Proposed: Library (1)');
    expect(await values()).toEqual([
      ['library', 'Mill'],
      ['library', 'Mill'],
    ]);
    await undo(ines);
    expect(await values()).toEqual([]);
    await ask(ines, 'post', '/redo');
    await ask(ines, 'post', '/redo');
    expect(await values()).toEqual([
      ['library', 'Mill'],
      ['library', 'Watermill'],
    ]);
  });

  it('withdraws them, and leaves what was decided since', async () => {
    await edit(ines, [0, 1], { set: { library: 'Mill' } });
    const { proposals } = await queue(ines);
    await decide('accepted', [proposals[0]!.id]);
    expect((await ask(ines, 'post', '/review/withdraw', { ids: proposals.map(({ id }) => id) })).body).toEqual({
      withdrawn: 1,
    });
    expect((await queue(ines)).proposals).toEqual([]);
  });

  it('passes over what was decided', async () => {
    await edit(ines, [3], { set: { notes: 'first' } });
    await edit(ines, [3], { set: { library: 'Weir' } });
    const decided = (await queue()).proposals.find(({ field }) => field === 'library');
    await decide('accepted', [decided!.id]);
    expect((await undo(ines)).body.summary).toBe('Undo: Proposed: Notes (1)');
    expect((await recordOf(3)).library).toBe('Weir');
  });
});

describe('who decides', () => {
  it('is a librarian of one of its collections: assistants see their own alone, others nothing', async () => {
    await edit(ines, [0], { set: { notes: 'of Ines' } });
    await edit(piet, [0], { set: { notes: 'of Piet' } });
    const { proposals } = await queue();
    expect(proposals.map(({ person, value }) => [person, value])).toEqual([
      ['Ines Talbot', 'of Ines'],
      ['Piet Dorn', 'of Piet'],
    ]);
    expect((await queue(piet)).proposals).toMatchObject([{ value: 'of Piet', mayDecide: false }]);
    expect((await queue(elsewhere)).proposals).toEqual([]);
    const ids = proposals.map(({ id }) => id);
    expect((await ask(piet, 'post', '/review/decide', { ids, decision: 'accepted' })).status).toBe(403);
    expect((await ask(elsewhere, 'post', '/review/decide', { ids, decision: 'accepted' })).body).toEqual({
      decided: 0,
      gone: 2,
      conflicts: [],
    });
    expect((await ask(piet, 'post', '/review/withdraw', { ids: [ids[0]!] })).status).toBe(404);
    expect((await queue()).proposals).toHaveLength(2);
  });

  it('is told what a colleague made of a field since they looked, and overwrites it only once they know', async () => {
    await edit(ines, [0, 1], { set: { notes: 'of Ines', library: 'Mill' }, addKeywords: ['gate'] });
    const { proposals } = await queue();
    const ids = proposals.map(({ id }) => id);
    const asOf = { revisions: proposals.map(({ soundId, revision }) => ({ soundId, revision })) };
    await app.call('editRecords', {
      body: { selection: { kind: 'copies', copyIds: [copyIds[0]] }, edit: { set: { notes: 'of Tobias' } } },
      person: 2,
    });
    // Keywords of both go together, so this one is no obstacle.
    await app.call('editRecords', {
      body: { selection: { kind: 'copies', copyIds: [copyIds[1]] }, edit: { addKeywords: ['oak'] } },
      person: 2,
    });
    const body = { ids, decision: 'accepted' as const, asOf };
    const first = await app.call('decideProposals', { body });
    expect(first).toMatchObject({
      decided: 3,
      gone: 0,
      conflicts: [{ field: 'notes', theirs: 'of Tobias', mine: 'of Ines', person: 'Tobias Reed' }],
    });
    expect(await recordOf(0)).toMatchObject({ notes: 'of Tobias', library: '' });
    expect(await recordOf(1)).toMatchObject({ notes: 'of Ines', library: 'Mill', keywords: ['oak', 'gate'] });
    // What was accepted of the same sound waits with it, and the queue says what it is about now.
    const left = (await queue()).proposals;
    expect(left.map(({ field, now }) => [field, now])).toEqual(
      expect.arrayContaining([
        ['notes', 'of Tobias'],
        ['library', ''],
        ['keywords', []],
      ]),
    );
    const again = { revisions: left.map(({ soundId, revision }) => ({ soundId, revision })) };
    expect(await app.call('decideProposals', { body: { ...body, asOf: again } })).toEqual({
      decided: 3,
      gone: 3,
      conflicts: [],
    });
    expect((await recordOf(0)).notes).toBe('of Ines');
  });

  it('decides once, when two do at the same moment', async () => {
    await edit(ines, [0], { set: { notes: 'of Ines' } });
    await edit(piet, [0], { set: { notes: 'of Piet' } });
    const ids = (await queue()).proposals.map(({ id }) => id);
    const { revision } = await row(0);
    const both = await Promise.all([decide('accepted', ids), decide('returned', ids), decide('accepted', ids)]);
    expect(both.map(({ decided }) => decided).sort()).toEqual([0, 0, 2]);
    expect((await queue()).proposals).toEqual([]);
    expect((await row(0)).revision).toBeLessThanOrEqual(revision + 1);
  });

  it('changes what they like themselves, as does an assistant once nobody asks for review', async () => {
    expect((await edit(ines, [1], { set: { notes: 'a' } })).body).toMatchObject({ proposed: 1 });
    await app.call('updateCollection', { params: { id: 1 }, body: { asksReview: false } });
    expect((await edit(ines, [1], { set: { notes: 'b' } })).body).toMatchObject({ changed: 1, proposed: 0 });
    expect((await recordOf(1)).notes).toBe('b');
    // What waited goes on waiting.
    expect((await queue()).proposals).toMatchObject([{ value: 'a', now: 'b' }]);
    // Their own change of before is theirs to take back, also under review.
    await app.call('updateCollection', { params: { id: 1 }, body: { asksReview: true } });
    await undo(ines);
    expect((await recordOf(1)).notes).toBe('');
  });
});
