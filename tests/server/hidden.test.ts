import { copyFile } from 'node:fs/promises';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { api, rawApi } from '@flagstone/contract/api';
import type { LiveEvent } from '@flagstone/contract/jobs';
import { eq } from 'drizzle-orm';
import { people } from '../../server/src/db/schema.ts';
import { eventSeen } from '../../server/src/routes/event-seen.ts';
import { TestApplication } from './test-application.ts';
import {
  copiesOf,
  everything,
  peopleOfEachRole,
  SECRET,
  twoCollections,
  type Held,
  type Level,
} from './two-collections.ts';

let app: TestApplication;
let own: Held;
let foreign: Held;
let headersOf: Record<Level, Record<string, string>>;

beforeAll(async () => {
  app = await TestApplication.open();
  ({ own, foreign } = await twoCollections(app));
  // One sound with a file in each: the one that is not seen was there first.
  await app.put(`${SECRET}/${SECRET} shared.wav`, { seed: 77 });
  await app.ended(await app.call('readAgain', { params: { id: foreign.readFolder } }));
  await copyFile(path.join(app.drive, SECRET, `${SECRET} shared.wav`), path.join(app.drive, 'mill', 'shared.wav'));
  await app.ended(await app.call('readAgain', { params: { id: own.readFolder } }));
  for (const { id } of await app.call('listBatches')) await app.call('fileBatch', { params: { id } });
  await app.measured();
  headersOf = await peopleOfEachRole(app);
}, 90_000);
afterAll(() => app.close());

/** The answer to a request as text, by its status. */
async function say(
  method: 'get' | 'post' | 'patch',
  address: string,
  level: Level,
  body?: object,
): Promise<{ status: number; text: string }> {
  const asked = app.nobody[method](`/api${address}`).set('Host', '127.0.0.1').set(headersOf[level]);
  const answer = await (body === undefined ? asked : asked.send(body)).buffer(true);
  return { status: answer.status, text: answer.text ?? Buffer.from(answer.body as Uint8Array).toString('latin1') };
}
const json = async <Value>(address: string, level: Level): Promise<Value> =>
  JSON.parse((await say('get', address, level)).text) as Value;
interface Page {
  rows: { name: string; folder: string; copyCount: number; soundId: number }[];
  total: number;
}
const search = (q: string, level: Level, more = ''): Promise<Page> =>
  json<Page>(`/catalogue?q=${encodeURIComponent(q)}${more}`, level);

describe('what somebody does not see', () => {
  it('is in no answer, whatever is asked', async () => {
    const since = '2026-01-01T00:00:00Z';
    const asked: [address: string, body?: object][] = [
      // Everything that is read without naming anything.
      ...Object.values({ ...api, ...rawApi })
        .filter(({ method, path: at, needs }) => method === 'GET' && !at.includes(':') && needs !== 'administrator')
        .filter(({ path: at }) => !['/events', '/health', '/catalogue/reading'].includes(at))
        .map(({ path: at }): [string] => [`${at}?since=${since}&sounds=${own.sound},${foreign.sound}&q=`]),
      // Everything that is read of what is seen.
      ...['', '/file-time', '/kin', '/alike', '/analysis', '/remarks'].map((at): [string] => [
        `/sounds/${own.sound}${at}`,
      ]),
      ...['', '/rows', '/unreadable'].map((at): [string] => [`/batches/${own.batch}${at}`]),
      [`/copies/${own.copy}/contents`],
      [`/copies/${own.copy}/three-ways`],
      [`/collections/${own.collection}/learned`],
      [`/pull-lists/${own.list}/entries`],
      [`/plans/${own.plan}`],
      [`/plans/${own.plan}/items`],
      // Searches for it by every way.
      ...[
        SECRET,
        `library:${SECRET}`,
        `folder:${SECRET}`,
        `name:"${SECRET} gate"`,
        `keywords:${SECRET}`,
        `tag:${SECRET}`,
      ]
        .map(encodeURIComponent)
        .flatMap((q): [string][] => [
          [`/catalogue/index?q=${q}`],
          [`/catalogue/folders?q=${q}`],
          [`/catalogue?q=${q}`],
        ]),
      ...['library:q', 'folder:q', 'keywords:q', 'tag:q', 'creator:q', 'drive:', 'in:'].map((q): [string] => [
        `/catalogue/completions?q=${encodeURIComponent(q)}`,
      ]),
      [`/catalogue/folders?below=${encodeURIComponent(path.basename(app.drive))}`],
      ['/catalogue/reading?q=quaga%20'],
      ['/catalogue/reading?q=qag%20'],
      [`/folders?path=${encodeURIComponent(app.drive)}`],
      // What is asked of everything that there is, or of what is not seen by its number.
      ['/records/values', { selection: everything }],
      ['/disagreements', { selection: everything }],
      ['/records/values', { selection: copiesOf(foreign) }],
      ['/suggestions', { copyIds: [own.copy, foreign.copy] }],
      ['/recipes/preview', { selection: everything, steps: [{ do: 'readName', how: 'ifEmpty' }] }],
      ['/copy-out', { what: { kind: 'sounds', selection: everything, cut: 'whole' }, tree: true }],
    ];
    const told: unknown[] = [];
    for (const level of ['none', 'listener', 'editor', 'assistant', 'librarian'] as const)
      for (const [address, body] of asked) {
        const { status, text } = await say(body ? 'post' : 'get', address, level, body);
        // What was asked for comes back in some answers; nothing else of it.
        const heard = text.toLowerCase().replaceAll(`“${SECRET}`, '').replaceAll(`"text":"${SECRET}"`, '');
        if (status >= 500 || status === 400 || heard.includes(SECRET)) told.push([level, address, status, text]);
      }
    expect(told).toEqual([]);
    // The same requests tell somebody who sees it, so that the word stands for something.
    const texts = await Promise.all(
      asked.map(async ([at, body]) => (await say(body ? 'post' : 'get', at, 'administrator', body)).text),
    );
    expect(texts.filter((text) => text.toLowerCase().includes(SECRET)).length).toBeGreaterThan(25);
  });

  it('is counted nowhere', async () => {
    const [all, mine] = [await search('', 'administrator'), await search('', 'listener')];
    expect([all.total, mine.total]).toEqual([5, 3]);
    const overview = await json<{ counts: { filed: number; copies: number } }>('/overview', 'listener');
    expect(overview.counts).toMatchObject({ sounds: 3, filed: 3, copies: 3 });
    const statistics = await json<{ filed: number; categories: { count: number }[] }>('/statistics', 'listener');
    expect([statistics.filed, statistics.categories.reduce((sum, { count }) => sum + count, 0)]).toEqual([3, 3]);
    const { filed } = await json<{ filed: number }>('/added?since=2026-01-01T00:00:00Z', 'listener');
    expect(filed).toBe(3);
    const [drive] = await json<{ copies: number }[]>('/drives', 'listener');
    expect(drive?.copies).toBe(3);
    const uses = await json<{ records: number }[]>('/categories/uses', 'listener');
    expect(uses).toEqual([{ catId: 'WATRFlow', records: 2 }]);
    const { words } = await json<{ words: { sounds: number }[] }>('/catalogue/reading?q=wheel%20', 'listener');
    expect(words[0]?.sounds).toBe(2);
    const saved = await json<{ count: number }[]>('/saved-searches', 'listener');
    expect(saved.map(({ count }) => count)).toContain(2);
  });

  it('is not taken along by an export, a ZIP file or a table that is brought back', async () => {
    const request = JSON.stringify({ selection: everything, format: 'csv', columns: ['path', 'library'] });
    const table = await app.nobody.post('/api/export').set(headersOf.editor).type('form').send({ request });
    expect(table.text.trim().split('\r\n')).toHaveLength(4);
    expect(table.text).not.toContain(SECRET);
    const what = { kind: 'sounds', selection: everything, cut: 'whole' };
    const prepared = await say('post', '/copy-out', 'editor', { what, tree: true });
    const { files, ticket } = JSON.parse(prepared.text) as { files: number; ticket: string };
    expect(files).toBe(3);
    // A ticket is good for the one to whom it was given.
    expect((await say('get', `/copy-out/${ticket}`, 'librarian')).status).toBe(404);
    const zip = await app.nobody.get(`/api/copy-out/${ticket}`).set(headersOf.editor).buffer(true).parse(bytesOf);
    expect((zip.body as Buffer).includes('shared.wav')).toBe(true);
    expect((zip.body as Buffer).includes(SECRET)).toBe(false);
    const back = await app.nobody
      .post('/api/import?format=csv&apply=yes')
      .set({ ...headersOf.librarian, 'Content-Type': 'application/octet-stream' })
      .send(Buffer.from(`name,notes\r\n${SECRET} gate.wav,taken\r\nmill gate.wav,brought\r\n`));
    expect(back.body).toMatchObject({ changed: 1, problems: 1 });
    expect((await search('notes:taken', 'administrator')).total).toBe(0);
  });

  it('is not changed along with what is seen', async () => {
    const edit = { set: { notes: 'kiln room stove' } };
    const { status, text } = await say('patch', '/records', 'assistant', { selection: everything, edit });
    expect([status, (JSON.parse(text) as { changed: number }).changed]).toEqual([200, 3]);
    expect((await search('notes:stove', 'administrator')).total).toBe(3);
    expect((await say('patch', '/records', 'assistant', { selection: copiesOf(foreign), edit })).status).toBe(422);
    // A plan for all copies of a sound is for those that its librarian may change.
    const plan = await say('post', '/plans', 'librarian', { kind: 'write', selection: everything, allCopies: true });
    expect((JSON.parse(plan.text) as { counts: { all: number } }).counts.all).toBe(3);
  });
});

describe('what is of another collection', () => {
  it('is reached by no path: nothing is read from there, and nothing put there', async () => {
    const theirs = path.join(app.drive, SECRET);
    for (const [address, body] of [
      ['/intake', { path: theirs }],
      ['/intake/count', { path: theirs }],
      // A folder above takes along what lies in it.
      ['/intake', { path: app.drive }],
    ] as const)
      expect([address, (await say('post', address, 'librarian', body)).status]).toEqual([address, 403]);
    expect((await say('get', `/folders?path=${encodeURIComponent(theirs)}`, 'librarian')).status).toBe(404);
    const what = { kind: 'sounds', selection: copiesOf(own), cut: 'whole' };
    expect((await say('post', '/copy-out/folder', 'librarian', { what, tree: false, folder: theirs })).status).toBe(
      403,
    );
    // What an editor copies out does not come into the collection either.
    const ours = path.join(app.drive, 'mill');
    expect((await say('post', '/copy-out/folder', 'editor', { what, tree: false, folder: ours })).status).toBe(403);
    const moved = { driveId: own.drive, folder: 'mill', toPath: theirs };
    expect((await say('post', '/relocations', 'librarian', moved)).status).toBe(403);
  });

  it('takes no entry of a pull list', async () => {
    for (const [list, entry] of [
      [foreign.list, own.entry],
      [own.list, foreign.entry],
    ]) {
      const answer = await say('post', `/pull-lists/${list}/take`, 'editor', { entryIds: [entry] });
      expect(answer.status).toBe(404);
      expect(answer.text).not.toContain(SECRET);
    }
  });
});

/** Of an answer that is no text. */
function bytesOf(answer: unknown, done: (error: Error | null, body: Buffer) => void): void {
  const stream = answer as NodeJS.ReadableStream;
  const parts: Buffer[] = [];
  stream.on('data', (part: Buffer) => parts.push(part));
  stream.on('end', () => done(null, Buffer.concat(parts)));
}

describe('a sound with files in a collection that is seen and in one that is not', () => {
  it('is found by what is seen of it alone, with the files that are seen', async () => {
    const { rows, total } = await search('shared', 'listener');
    expect([total, rows]).toMatchObject([1, [{ name: 'shared.wav', folder: 'mill', copyCount: 1 }]]);
    expect((await search(SECRET, 'listener')).total).toBe(0);
    for (const q of [`name:${SECRET}`, `folder:${SECRET}`, `in:"${path.basename(app.drive)}/${SECRET}"`])
      expect([q, (await search(q, 'listener')).total]).toEqual([q, 0]);
    expect((await search(`name:${SECRET} shared`, 'administrator')).total).toBe(1);
    const soundId = rows[0]?.soundId;
    const { copies } = await json<{ copies: { folder: string }[] }>(`/sounds/${soundId}`, 'listener');
    expect(copies.map(({ folder }) => folder)).toEqual(['mill']);
    const { copies: both } = await json<{ copies: unknown[] }>(`/sounds/${soundId}`, 'administrator');
    expect(both).toHaveLength(2);
  });

  it('goes when its folder goes to another collection, and comes back with it', async () => {
    const { total } = await search('', 'listener');
    await app.call('updateReadFolder', { params: { id: own.readFolder }, body: { collectionId: foreign.collection } });
    expect((await search('', 'listener')).total).toBe(0);
    await app.call('updateReadFolder', { params: { id: own.readFolder }, body: { collectionId: own.collection } });
    expect((await search('', 'listener')).total).toBe(total);
  });
});

describe('live events', () => {
  it('tell of sounds and jobs that are seen', async () => {
    const { db } = app.context;
    const seen = (event: LiveEvent) => eventSeen(db, event, 999, [own.collection]);
    expect(await seen({ type: 'records', soundIds: [own.sound, foreign.sound] })).toEqual({
      type: 'records',
      soundIds: [own.sound],
    });
    expect(await seen({ type: 'records', soundIds: [foreign.sound] })).toBeUndefined();
    expect(await seen({ type: 'pullLists' })).toEqual({ type: 'pullLists' });
    const jobs = await app.call('listJobs');
    const jobOf = (id: string): LiveEvent => {
      const job = jobs.find((each) => each.id === id);
      if (!job) throw new Error('there is such a job');
      return { type: 'job', job };
    };
    expect(await seen(jobOf(own.job))).toBeDefined();
    expect(await seen(jobOf(foreign.job))).toBeUndefined();
    // Whoever asked for a job is told of it.
    const [person] = await db.select().from(people).where(eq(people.id, 1));
    expect(await eventSeen(db, jobOf(foreign.job), person?.id ?? 0, [])).toBeDefined();
  });
});
