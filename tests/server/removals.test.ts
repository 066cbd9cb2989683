import { readdir } from 'node:fs/promises';
import path from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import { filterSchema } from '@flagstone/contract/selection';
import { addPersonWith } from '../signed-in.ts';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let folder = '';
let batchId = 0;
let count = 0;

beforeAll(async () => {
  app = await TestApplication.open();
});
afterAll(() => app.close());

beforeEach(async () => {
  folder = `Shelf ${(count += 1)}`;
  for (const [at, name] of ['door.wav', 'gate.wav', 'wheel.wav'].entries())
    await app.put(`${folder}/${name}`, { seed: count * 10 + at });
  batchId = (await app.intake(folder)).batchId;
  await app.call('fileBatch', { params: { id: batchId } });
});

const inFolder = (drop = '') => ({
  kind: 'catalogue' as const,
  filter: filterSchema.parse({ q: `folder:"${folder}" ${drop}` }),
});
const found = async (): Promise<string[]> =>
  (await app.call('listCatalogue', { query: { q: `folder:"${folder}"` } })).rows.map(({ name }) => name).sort();
const remove = (drop = '', reason = 'bought twice') =>
  app.call('removeSounds', { body: { selection: inFolder(drop), reason } });

describe('sounds that are taken out of the catalogue', () => {
  it('are counted first, leave the catalogue alone, and are listed with the reason', async () => {
    expect(await app.call('previewRemoval', { body: { selection: inFolder('-wheel') } })).toEqual({
      sounds: 2,
      files: 2,
      inLists: 0,
      used: 0,
      kept: 0,
    });
    expect(await found()).toHaveLength(3);
    expect(await remove('-wheel')).toEqual({ removed: 2, kept: 0 });
    expect(await found()).toEqual(['wheel.wav']);
    expect((await readdir(path.join(app.drive, folder))).sort()).toEqual(['door.wav', 'gate.wav', 'wheel.wav']);
    const { sounds, total } = await app.call('listRemoved', { query: { q: folder } });
    expect(total).toBe(2);
    expect(sounds.map(({ name, reason, person }) => [name, reason, person])).toEqual([
      ['gate.wav', 'bought twice', 'Orla Venn'],
      ['door.wav', 'bought twice', 'Orla Venn'],
    ]);
  });

  it('do not come back when their folder is read again, in whichever batch', async () => {
    await remove();
    await app.put(`${folder}/new.wav`, { seed: count * 10 + 5 });
    const { batchId: again } = await app.intake(folder);
    const { batch, job } = await app.call('startIntake', {
      body: { path: path.join(app.drive, folder), batchName: `Anew ${count}` },
    });
    await app.ended(job);
    for (const id of [again, batch.id]) {
      await app.call('fileBatch', { params: { id } });
      expect(await found()).toEqual(['new.wav']);
    }
  });

  it('come back by undoing, go again by doing it again, and come back one by one', async () => {
    await remove();
    await app.call('undoLast', { body: {} });
    expect(await found()).toEqual(['door.wav', 'gate.wav', 'wheel.wav']);
    await app.call('redoLast');
    expect(await found()).toEqual([]);
    const { sounds } = await app.call('listRemoved', { query: { q: folder } });
    const gate = sounds.find(({ name }) => name === 'gate.wav')?.soundId ?? 0;
    expect(await app.call('bringBack', { body: { soundIds: [gate] } })).toEqual({ broughtBack: 1 });
    expect(await app.call('bringBack', { body: { soundIds: [gate] } })).toEqual({ broughtBack: 0 });
    expect(await found()).toEqual(['gate.wav']);
    // The rest of that act is taken back alone.
    await app.call('undoLast', { body: {} });
    expect(await found()).toEqual(['door.wav', 'gate.wav', 'wheel.wav']);
    expect((await app.call('listRemoved', { query: { q: folder } })).total).toBe(0);
  });

  it('stay where they are also in a collection in which whoever asks is no librarian', async () => {
    const made = await app.call('makeCollection', { body: { name: `Music ${count}` } });
    const collectionId = made.find(({ name }) => name === `Music ${count}`)?.id ?? 0;
    await app.put(`Other ${count}/same door.wav`, { seed: count * 10 });
    const { job } = await app.call('startIntake', {
      body: { path: path.join(app.drive, `Other ${count}`), collectionId },
    });
    await app.ended(job);
    const { id: person, headers } = await addPersonWith(app.context.db, `Librarian ${count}`, [
      { collectionId: 1, role: 'librarian' },
    ]);
    expect(person).toBeGreaterThan(0);
    const answer = await app.nobody
      .post('/api/removals')
      .set('Host', '127.0.0.1')
      .set(headers)
      .send({ selection: inFolder(), reason: 'x' });
    expect(answer.body).toEqual({ removed: 2, kept: 1 });
    expect(await found()).toEqual(['door.wav']);
  });

  it('need a reason, and sounds that are in the catalogue', async () => {
    expect((await app.send('removeSounds', { body: { selection: inFolder(), reason: '  ' } })).status).toBe(400);
    await remove();
    expect((await app.send('removeSounds', { body: { selection: inFolder(), reason: 'x' } })).body).toMatchObject({
      code: 'NOTHING_SELECTED',
    });
  });

  it('are listed page by page', async () => {
    await remove('', `page ${count}`);
    const first = await app.call('listRemoved', { query: { q: `page ${count}` } });
    expect(first.next).toBeNull();
    const [one] = first.sounds;
    const { rows } = await app.context.db.execute<{ at: string }>(
      `select max(removed_at)::text as at from removals where undone_at is null`,
    );
    const after = `${(rows[0]?.at ?? '').replace(' ', 'T')} ${one?.soundId}`;
    const rest = await app.call('listRemoved', { query: { q: `page ${count}`, after } });
    expect(rest.sounds).toEqual(first.sounds.slice(1));
  });
});
