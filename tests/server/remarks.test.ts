import path from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from '@jest/globals';
import type { Remark, Waiting } from '@flagstone/contract/remarks';
import { addPersonWith } from '../signed-in.ts';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let soundId = 0;
let copyId = 0;
/** An editor of the collection, and somebody who sees another one alone. */
let ines: Record<string, string>;
let rosa: Record<string, string>;

beforeEach(async () => {
  app = await TestApplication.open();
  await app.put('lock gate.wav', { seed: 1 });
  const { batchId } = await app.intake();
  const [row] = (await app.call('listBatchRows', { params: { id: batchId } })).rows;
  [soundId, copyId] = [row?.soundId ?? 0, row?.copyId ?? 0];
  const made = await app.call('makeCollection', { body: { name: 'The kiln yard' } });
  const other = made.find(({ name }) => name === 'The kiln yard')?.id ?? 0;
  ines = (await addPersonWith(app.context.db, 'Ines Talbot', [{ collectionId: 1, role: 'editor' }])).headers;
  rosa = (await addPersonWith(app.context.db, 'Rosa Lind', [{ collectionId: other, role: 'librarian' }])).headers;
});
afterEach(() => app.close());

async function ask<Answer>(
  headers: Record<string, string>,
  method: 'get' | 'post' | 'delete',
  address: string,
  body?: object,
): Promise<{ status: number; body: Answer }> {
  const asked = app.nobody[method](`/api${address}`).set('Host', '127.0.0.1').set(headers);
  return await (body === undefined ? asked : asked.send(body));
}
const say = (text: string) => app.call('addRemark', { params: { id: soundId }, body: { text } });
const texts = async (): Promise<string[]> =>
  (await app.call('listRemarks', { params: { id: soundId } })).remarks.map(({ text }) => text);
const waitingOf = async (headers: Record<string, string>): Promise<Waiting> =>
  (await ask<Waiting>(headers, 'get', '/waiting')).body;
const rowsRemarks = async (): Promise<number | undefined> =>
  (await app.call('getSound', { params: { id: soundId } })).row.remarks;

describe('a remark', () => {
  it('stands at its sound with who said it and when, the newest first, page by page', async () => {
    for (let at = 1; at <= 52; at += 1) await say(`no. ${at}`);
    const { remarks, next } = await app.call('listRemarks', { params: { id: soundId } });
    expect([remarks.length, remarks[0]?.text, remarks[0]?.person]).toEqual([50, 'no. 52', 'Orla Venn']);
    const rest = await app.call('listRemarks', { params: { id: soundId }, query: { before: next } });
    expect([rest.remarks.map(({ text }) => text), rest.next]).toEqual([['no. 2', 'no. 1'], null]);
    expect(await rowsRemarks()).toBe(52);
  });

  it('waits for those whom it names, until they settle it', async () => {
    const { remark, unseen } = await say('@ines talbot: is this the lower gate? @Rosa Lind, yours? @nobody');
    expect(remark.mentioned.map(({ name, isDone }) => [name, isDone])).toEqual([
      ['Ines Talbot', false],
      ['Rosa Lind', false],
    ]);
    // Rosa cannot see the sound: it waits for her in vain, and whoever says it is told.
    expect(unseen).toEqual(['Rosa Lind']);
    expect((await waitingOf(rosa)).remarks).toEqual([]);
    const waiting = await waitingOf(ines);
    expect(waiting).toMatchObject({
      remarks: [{ id: remark.id, soundId, name: 'lock gate.wav', person: 'Orla Venn' }],
      counts: { remarks: 1, returned: 0, toReview: 0 },
    });
    expect((await ask(rosa, 'post', `/remarks/${remark.id}/settle`, { isDone: true })).status).toBe(404);
    expect((await ask(ines, 'post', `/remarks/${remark.id}/settle`, { isDone: true })).status).toBe(200);
    expect((await waitingOf(ines)).counts.remarks).toBe(0);
    const [told] = (await app.call('listRemarks', { params: { id: soundId } })).remarks;
    expect(told?.mentioned[0]).toMatchObject({ name: 'Ines Talbot', isDone: true });
    // Taken back by the key that takes back everything else, and settled again by the other one.
    await ask(ines, 'post', '/undo', {});
    expect((await waitingOf(ines)).counts.remarks).toBe(1);
    await ask(ines, 'post', '/redo', {});
    expect((await waitingOf(ines)).counts.remarks).toBe(0);
  });

  it('is taken away by whoever said it alone, and comes back when that is taken back', async () => {
    const said = await ask<{ remark: Remark }>(ines, 'post', `/sounds/${soundId}/remarks`, {
      text: '@Orla Venn hear this',
    });
    const address = `/remarks/${said.body.remark.id}`;
    expect((await app.send('removeRemark', { params: { id: said.body.remark.id } })).status).toBe(404);
    expect((await ask(ines, 'delete', address)).status).toBe(200);
    expect((await ask(ines, 'delete', address)).status).toBe(404);
    expect([await texts(), await rowsRemarks()]).toEqual([[], 0]);
    expect((await app.call('listWaiting')).counts.remarks).toBe(0);
    await ask(ines, 'post', '/undo', {});
    expect(await texts()).toEqual(['@Orla Venn hear this']);
    expect((await app.call('listWaiting')).counts.remarks).toBe(1);
    // The act before it is the saying itself.
    await ask(ines, 'post', '/undo', {});
    expect(await texts()).toEqual([]);
    await ask(ines, 'post', '/redo', {});
    expect(await texts()).toEqual(['@Orla Venn hear this']);
  });

  it('is told to nobody who does not see its sound, and is said by nobody who may only listen', async () => {
    await say('between us');
    expect((await ask(rosa, 'get', `/sounds/${soundId}/remarks`)).status).toBe(404);
    expect((await ask(rosa, 'post', `/sounds/${soundId}/remarks`, { text: 'x' })).status).toBe(404);
    const { headers } = await addPersonWith(app.context.db, 'Only hears', [{ collectionId: 1, role: 'listener' }]);
    expect((await ask<{ remarks: Remark[] }>(headers, 'get', `/sounds/${soundId}/remarks`)).body.remarks).toHaveLength(
      1,
    );
    expect((await ask(headers, 'post', `/sounds/${soundId}/remarks`, { text: 'x' })).status).toBe(403);
  });

  it('waits no more for somebody who does not see the sound any longer, nor is it taken back by them', async () => {
    await ask(ines, 'post', `/sounds/${soundId}/remarks`, { text: '@Ines Talbot: to be cut' });
    expect((await waitingOf(ines)).counts.remarks).toBe(1);
    const account = (await app.call('listAccounts')).find(({ name }) => name === 'Ines Talbot');
    await app.call('changeAccount', {
      params: { id: account?.id },
      body: { roles: [{ collectionId: 1, role: null }] },
    });
    expect(await waitingOf(ines)).toMatchObject({ remarks: [], counts: { remarks: 0 } });
    expect((await ask(ines, 'post', '/undo', {})).status).toBe(403);
    expect(await texts()).toHaveLength(1);
  });

  it('is called after a file that whoever says it sees, also where another one came first', async () => {
    const other = (await app.call('listCollections')).find(({ name }) => name === 'The kiln yard')?.id;
    for (const [file, collectionId] of [
      ['yard/not for everybody.wav', other],
      ['mill/weir.wav', 1],
    ] as const) {
      await app.put(file, { seed: 9 });
      const body = { path: path.join(app.drive, path.dirname(file)), collectionId };
      await app.ended((await app.call('startIntake', { body })).job);
    }
    const batches = (await app.call('listBatches')).map(({ id }) => id);
    const [weir] = (await app.call('listBatchRows', { params: { id: Math.max(...batches) } })).rows;
    await ask(ines, 'post', `/sounds/${weir?.soundId}/remarks`, { text: 'louder' });
    const undone = await ask<{ summary: string }>(ines, 'post', '/undo', {});
    expect(undone.body.summary).toBe('Undo: Remark on “weir.wav” (1)');
  });

  it('is bounded, and may hold whatever somebody types', async () => {
    for (const text of ['', '   ', 'x'.repeat(4001)])
      expect((await app.send('addRemark', { params: { id: soundId }, body: { text } })).status).toBe(400);
    const odd = "<b>@Orla</b> '; drop table remarks; -- 窯 @@@";
    await say(odd);
    expect(await texts()).toEqual([odd]);
  });

  it('is told to live pages, with the sound that it is on', async () => {
    const heard = new Promise<readonly number[]>((resolve) => {
      const stop = app.context.live.subscribe((event) => {
        if (event.type !== 'records') return;
        stop();
        resolve(event.soundIds);
      });
    });
    await say('heard at once');
    expect(await heard).toEqual([soundId]);
  });

  it('is said by fifty at once, each its own', async () => {
    const answers = await Promise.all(
      Array.from({ length: 50 }, (_, at) => ask(ines, 'post', `/sounds/${soundId}/remarks`, { text: `no. ${at}` })),
    );
    expect(answers.map(({ status }) => status)).toEqual(answers.map(() => 200));
    expect(new Set(await texts()).size).toBe(50);
  });
});

describe('what waits for somebody', () => {
  it('counts their proposals that came back, and those of others that they may decide', async () => {
    await app.call('updateCollection', { params: { id: 1 }, body: { asksReview: true } });
    const assistant = await addPersonWith(app.context.db, 'Piet Dorn', [{ collectionId: 1, role: 'assistant' }]);
    const edit = (set: object) =>
      app.nobody
        .patch('/api/records')
        .set('Host', '127.0.0.1')
        .set(assistant.headers)
        .send({ selection: { kind: 'copies', copyIds: [copyId] }, edit: { set } });
    await edit({ catId: 'WATRFlow', notes: 'slow' });
    // A category is one thing that waits.
    expect((await app.call('listWaiting')).counts.toReview).toBe(2);
    expect((await waitingOf(assistant.headers)).counts.toReview).toBe(0);
    expect((await waitingOf(ines)).counts.toReview).toBe(0);
    const ids = (await app.call('listProposals')).proposals.map(({ id }) => id);
    await app.call('decideProposals', { body: { ids, decision: 'returned', remark: '' } });
    expect((await app.call('listWaiting')).counts.toReview).toBe(0);
    expect((await waitingOf(assistant.headers)).counts.returned).toBe(2);
  });
});
