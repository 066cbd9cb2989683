import path from 'node:path';
import { filterSchema } from '@flagstone/contract/selection';
import { beginProposing, propose } from '@flagstone/server/records/proposals';
import { sql } from 'drizzle-orm';
import { addPersonWith, signedInAs } from '../signed-in.ts';
import type { TestApplication } from './test-application.ts';

/** A word of which nobody may hear who does not see the other collection: it stands in every name of it. */
export const SECRET = 'quagga';

/** What a collection of the tests of rights holds, by numbers. */
export interface Held {
  collection: number;
  readFolder: number;
  drive: string;
  folder: string;
  batch: number;
  copy: number;
  sound: number;
  plan: number;
  change: number;
  job: string;
  list: number;
  entry: number;
  proposal: number;
  remark: number;
  arrival: number;
}

/** Fills a collection by the first person of tests: a folder that was read and filed, with a description, a plan, a pull list. */
export async function fillCollection(
  app: TestApplication,
  collection: number,
  folder: string,
  seed: number,
): Promise<Held> {
  await app.put(`${folder}/wheel.wav`, { seed });
  await app.put(`${folder}/${folder} gate.wav`, { seed: seed + 1 });
  const { batch, job } = await app.call('startIntake', {
    body: { path: path.join(app.drive, folder), collectionId: collection },
  });
  await app.ended(job);
  const selection = { kind: 'batch' as const, batchId: batch.id };
  const set = { fxName: `${folder} wheel`, catId: 'WATRFlow', library: folder, keywords: [folder] };
  const { changeId } = await app.call('editRecords', { body: { selection, edit: { set } } });
  await app.call('fileBatch', { params: { id: batch.id } });
  const [row] = (await app.call('listBatchRows', { params: { id: batch.id } })).rows;
  const plan = await app.call('makePlan', { body: { kind: 'write', selection } });
  const [list] = await app.call('makePullList', { body: { name: `For ${folder}`, show: folder, scene: '' } });
  if (!row || !list || changeId === null) throw new Error('nothing was read');
  const [entry] = await app.call('addPullEntry', {
    params: { id: list.id },
    body: { soundId: row.soundId, part: null, tryOut: null, comment: `the ${folder}` },
  });
  const read = (await app.call('listReadFolders')).find((each) => each.collectionId === collection);
  await app.call('saveSearch', { body: { name: 'Wheels', query: { q: 'wheel' }, shared: true } });
  const mark = { rating: 4, addTags: [folder] };
  await app.call('markSounds', { body: { selection: { kind: 'copies', copyIds: [row.copyId] }, ...mark } });
  const { remark } = await app.call('addRemark', {
    params: { id: row.soundId },
    body: { text: `@Tobias Reed, is this the ${folder} gate?` },
  });
  await app.call('updateCollection', {
    params: { id: collection },
    body: { landingPath: path.join(app.drive, folder) },
  });
  const { arrival } = await app.call('makeArrival', { body: { name: `From ${folder}`, collectionId: collection } });
  return {
    collection,
    readFolder: read?.id ?? 0,
    drive: row.driveId,
    folder: row.folder,
    batch: batch.id,
    copy: row.copyId,
    sound: row.soundId,
    plan: plan.id,
    change: changeId,
    job: job.id,
    list: list.id,
    entry: entry?.id ?? 0,
    remark: remark.id,
    arrival: arrival.id,
    proposal: await proposeFor(app, row.soundId, `${folder} pond`),
  };
}

/** What the second person of tests would have a sound be called, put into the queue as it is. */
async function proposeFor(app: TestApplication, soundId: number, fxName: string): Promise<number> {
  const { db } = app.context;
  const actId = await beginProposing(db, 2, 'FXName');
  await propose(db, 2, actId, [
    { soundId, fields: [{ field: 'fxName', before: '', value: fxName, isAsRecord: false }] },
  ]);
  const { rows } = await db.execute<{ id: number }>(sql`select max(id) as id from proposals`);
  return rows[0]?.id ?? 0;
}

/** Two collections, of which the second is the one that others do not see. */
export async function twoCollections(app: TestApplication): Promise<{ own: Held; foreign: Held }> {
  const made = await app.call('makeCollection', { body: { name: `The ${SECRET} deal` } });
  const foreignId = made.find(({ name }) => name.includes(SECRET))?.id ?? 0;
  const own = await fillCollection(app, 1, 'mill', 10);
  const foreign = await fillCollection(app, foreignId, SECRET, 20);
  await app.measured();
  return { own, foreign };
}

export const LEVELS = ['none', 'listener', 'editor', 'assistant', 'librarian', 'administrator'] as const;
export type Level = (typeof LEVELS)[number];

/** Somebody for each role in the first collection, with none in the other; and an administrator. */
export async function peopleOfEachRole(app: TestApplication): Promise<Record<Level, Record<string, string>>> {
  const { db } = app.context;
  const withRole = async (role: 'listener' | 'editor' | 'assistant' | 'librarian') =>
    (await addPersonWith(db, `Only ${role}`, [{ collectionId: 1, role }])).headers;
  return {
    none: (await addPersonWith(db, 'Without role', [])).headers,
    listener: await withRole('listener'),
    editor: await withRole('editor'),
    assistant: await withRole('assistant'),
    librarian: await withRole('librarian'),
    administrator: signedInAs(1),
  };
}

export const copiesOf = ({ copy }: Held) => ({ kind: 'copies' as const, copyIds: [copy] });
export const everything = { kind: 'catalogue' as const, filter: filterSchema.parse({}) };
