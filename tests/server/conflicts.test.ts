import { afterAll, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import type { AsOf, EditConflict, SoundRow } from '@flagstone/contract/record';
import type { SoundRecord } from '@flagstone/core/record/fields';
import pg from 'pg';
import { TestApplication } from './test-application.ts';

let app: TestApplication;
let batchId = 0;
beforeAll(async () => {
  app = await TestApplication.open();
  for (const [seed, name] of ['gate', 'lock', 'sluice', 'weir'].entries())
    await app.put(`${name}.wav`, { seed: seed + 30 });
  ({ batchId } = await app.intake());
});
afterAll(() => app.close());

let rows: SoundRow[] = [];
let snapshot = '';
/** What somebody has on their page. */
beforeEach(async () => ({ rows, snapshot } = await app.call('listBatchRows', { params: { id: batchId } })));

const first = (): SoundRow => rows[0]!;
const ofFirst = () => ({ kind: 'copies' as const, copyIds: [first().copyId] });
const asShown = (): AsOf => ({ revisions: rows.map(({ soundId, revision }) => ({ soundId, revision })) });
const edit = (person: number, set: Partial<SoundRecord>, asOf?: AsOf, selection: object = ofFirst()) =>
  app.send('editRecords', { body: { selection, edit: { set }, ...(asOf ? { asOf } : {}) }, person });
const now = async (): Promise<SoundRecord> =>
  (await app.call('getSound', { params: { id: first().soundId } })).row.record;

describe('two who edit one record that both have on show', () => {
  it('both keep what they changed, when they changed different fields', async () => {
    expect((await edit(1, { notes: 'by the one' }, asShown())).status).toBe(200);
    expect((await edit(2, { description: 'by the other' }, asShown())).status).toBe(200);
    expect(await now()).toMatchObject({ notes: 'by the one', description: 'by the other' });
  });

  it('meet in the same field: the second is told, and what the first wrote stays until they choose', async () => {
    await edit(1, { notes: 'what Orla wrote' }, asShown());
    const answer = await edit(2, { notes: 'what Tobias wrote' }, asShown());
    expect(answer.status).toBe(409);
    expect(answer.body).toMatchObject({ code: 'EDIT_CONFLICT', message: 'Orla Venn changed Notes meanwhile.' });
    const { conflicts } = (answer.body as { details: { conflicts: EditConflict[] } }).details;
    expect(conflicts).toEqual([
      {
        soundId: first().soundId,
        revision: first().revision + 1,
        field: 'notes',
        theirs: 'what Orla wrote',
        mine: 'what Tobias wrote',
        person: 'Orla Venn',
        at: expect.any(String),
      },
    ]);
    expect((await now()).notes).toBe('what Orla wrote');
    // Chosen, it says of which revision it speaks: a third who comes in between is told of too.
    const revisions = conflicts.map(({ soundId, revision }) => ({ soundId, revision }));
    expect((await edit(2, { notes: 'what both wrote' }, { revisions })).status).toBe(200);
    expect((await edit(1, { notes: 'once more' }, { revisions })).status).toBe(409);
  });

  it('say the same, or are one person with two windows: nothing is in the way', async () => {
    await edit(1, { notes: 'the very same' }, asShown());
    expect((await edit(2, { notes: 'the very same' }, asShown())).body).toMatchObject({ changed: 0, leftOut: 0 });
    expect((await edit(1, { notes: 'and on' }, asShown())).status).toBe(200);
  });

  it('add keywords at once, and none is lost', async () => {
    const add = (person: number, word: string) =>
      app.send('editRecords', {
        body: { selection: ofFirst(), edit: { addKeywords: [word] }, asOf: asShown() },
        person,
      });
    const answers = await Promise.all([add(1, 'clank'), add(2, 'creak'), add(1, 'splash'), add(2, 'drip')]);
    expect(answers.map(({ status }) => status)).toEqual([200, 200, 200, 200]);
    expect((await now()).keywords).toEqual(expect.arrayContaining(['clank', 'creak', 'splash', 'drip']));
  });

  it('save at the same moment: one of them is told', async () => {
    const answers = await Promise.all([1, 2].map((person) => edit(person, { fxName: `Race ${person}` }, asShown())));
    expect(answers.map(({ status }) => status).sort()).toEqual([200, 409]);
    const winner = answers[0]?.status === 200 ? 1 : 2;
    expect((await now()).fxName).toBe(`Race ${winner}`);
  });
});

describe('an edit of many', () => {
  const all = () => ({ kind: 'batch' as const, batchId });

  it('leaves out what somebody else changed in that field since the list was read, and says how many', async () => {
    await edit(1, { library: 'Mill' });
    await edit(1, { description: 'another field' }, undefined, { kind: 'copies', copyIds: [rows[1]!.copyId] });
    const answer = await edit(2, { library: 'Canal' }, { revisions: [], snapshot }, all());
    expect(answer.body).toMatchObject({ changed: rows.length - 1, leftOut: 1 });
    expect((await now()).library).toBe('Mill');
    // Told otherwise, it takes them along.
    expect((await edit(2, { library: 'Canal' }, undefined, all())).body).toMatchObject({ changed: 1, leftOut: 0 });
  });

  it('knows of what was under way as the list was read, and came after it', async () => {
    // Somebody's change has its number already, and is not there yet as the list is read.
    const other = new pg.Client(app.databaseAddress);
    await other.connect();
    const { soundId } = first();
    await other.query('begin');
    const changed = `insert into changes (person_id, kind, summary) values (1, 'edit', 'Publisher') returning id`;
    const { rows: made } = await other.query<{ id: string }>(changed);
    await other.query(
      `update records set publisher = 'Lock Company', revision = revision + 1 where sound_id = ${soundId}`,
    );
    await other.query(`insert into record_revisions (sound_id, revision, change_id, before, after)
      select sound_id, revision, ${made[0]?.id}, '{"publisher": ""}', '{"publisher": "Lock Company"}' from records where sound_id = ${soundId}`);
    ({ snapshot } = await app.call('listBatchRows', { params: { id: batchId } }));
    await other.query('commit');
    await other.query(`select flagstone_refresh_search(array[${soundId}]::bigint[])`);
    await other.end();
    const answer = await edit(2, { publisher: 'Weir Company' }, { revisions: [], snapshot }, all());
    expect(answer.body).toMatchObject({ leftOut: 1, changed: rows.length - 1 });
  });

  it('of rows, each its own, does the same', async () => {
    await edit(1, { location: 'the mill' });
    const edits = rows.map(({ copyId }, at) => ({ copyId, edit: { set: { location: `place ${at}` } } }));
    const answer = await app.send('editRows', { body: { summary: 'Pasted', edits, asOf: asShown() }, person: 2 });
    expect(answer.body).toMatchObject({ leftOut: 1, changed: rows.length - 1 });
    expect((await now()).location).toBe('the mill');
  });
});

it('is refused with a snapshot that is none, and does nothing', async () => {
  for (const wrong of ['', 'x', '5:3:', '1:9:8,7', '1:9:9', '0:1:', `1:${'9'.repeat(40)}:`]) {
    const { status } = await edit(1, { notes: 'never' }, { revisions: [], snapshot: wrong });
    expect([wrong, status]).toEqual([wrong, 400]);
  }
  expect((await now()).notes).not.toBe('never');
});
