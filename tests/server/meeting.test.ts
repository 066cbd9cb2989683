import { afterAll, beforeAll, expect, it, jest } from '@jest/globals';
import type { EditConflict, SoundRow } from '@flagstone/contract/record';
import type { SoundRecord } from '@flagstone/core/record/fields';
import { openApplication, type Application } from '@flagstone/server/application';
import { sql } from 'drizzle-orm';
import pino from 'pino';
import { httpServer } from '../../server/src/http-server.ts';
import { addPersonWith } from '../signed-in.ts';
import { randomFrom } from '../random.ts';
import { sized } from '../size.ts';
import { listenOn, type Listening } from './listen-on.ts';
import { TestApplication } from './test-application.ts';

jest.setTimeout(900_000);
const PEOPLE = 20;
const SOUNDS = 100;
/** By all of them together; `./flagstone test --deep` makes the twenty thousand. */
const EDITS = sized(800, 20_000);
const FIELDS = ['notes', 'description', 'fxName', 'location'] as const;
type Field = (typeof FIELDS)[number];

let app: TestApplication;
let other: Application;
const servers: Listening[] = [];
let batchId = 0;

beforeAll(async () => {
  app = await TestApplication.open();
  for (let seed = 0; seed < SOUNDS; seed += 1) await app.put(`mill/${seed}.wav`, { seed: seed + 500 });
  ({ batchId } = await app.intake());
  await app.measured();
  other = await openApplication(app.databaseAddress, [app.drive], pino({ level: 'silent' }));
  for (const { context } of [app, other]) servers.push(await listenOn(httpServer(context)));
});
afterAll(async () => {
  for (const { close } of servers) close();
  await other.close();
  await app.close();
});

/** What somebody asked for, with what they knew, and what became of it. */
interface Asked {
  person: number;
  soundId: number;
  base: number;
  field: Field | 'keywords';
  value: string;
  became: 'saved' | 'told';
}

async function work(which: number, person: { id: number; headers: Record<string, string> }, rows: SoundRow[]) {
  const numbers = randomFrom(which + 1);
  const random = (below: number): number => Math.floor(numbers() * below);
  // Some at the one server, some at the other.
  const { address } = servers[which % 2]!;
  const headers = { ...person.headers, 'Content-Type': 'application/json' };
  /** What they have on show: the revision of each record as they last saw it. */
  const shown = new Map(rows.map(({ soundId, copyId, revision }) => [soundId, { copyId, revision }]));
  const asked: Asked[] = [];
  for (let turn = 0; turn < EDITS / PEOPLE; turn += 1) {
    // A few records are in everybody's hands.
    const { soundId } = rows[random(3) === 0 ? random(rows.length) : random(5)]!;
    const { copyId, revision: base } = shown.get(soundId)!;
    const value = `w${which}t${turn}`;
    const field = random(4) === 0 ? ('keywords' as const) : FIELDS[random(FIELDS.length)]!;
    const edit = field === 'keywords' ? { addKeywords: [value] } : { set: { [field]: value } };
    const answer = await fetch(`${address}/records`, {
      method: 'PATCH',
      headers,
      body: JSON.stringify({
        selection: { kind: 'copies', copyIds: [copyId] },
        edit,
        asOf: { revisions: [{ soundId, revision: base }] },
      }),
    });
    const said = (await answer.json()) as { code?: string; details?: { conflicts: EditConflict[] } };
    if (!answer.ok && said.code !== 'EDIT_CONFLICT') throw new Error(`${answer.status} ${JSON.stringify(said)}`);
    asked.push({ person: person.id, soundId, base, field, value, became: answer.ok ? 'saved' : 'told' });
    const told = said.details?.conflicts[0];
    if (told) shown.set(soundId, { copyId, revision: told.revision });
    // Now and then they look again; mostly they go on with what is on show.
    if (answer.ok && random(3) > 0) {
      const seen = (await (await fetch(`${address}/sounds/${soundId}`, { headers })).json()) as { row: SoundRow };
      shown.set(soundId, { copyId, revision: seen.row.revision });
    }
  }
  return asked;
}

interface Revision extends Record<string, unknown> {
  sound_id: number;
  revision: number;
  person_id: number;
  before: Partial<SoundRecord>;
  after: Partial<SoundRecord>;
}

it(`loses no edit and merges none wrongly when ${PEOPLE} people edit ${SOUNDS} records at two servers`, async () => {
  const { rows } = await app.call('listBatchRows', { params: { id: batchId }, query: { limit: 200 } });
  expect(rows).toHaveLength(SOUNDS);
  const people = [];
  for (let which = 0; which < PEOPLE; which += 1)
    people.push(await addPersonWith(app.context.db, `Hand ${which}`, [{ collectionId: 1, role: 'assistant' }]));
  const asked = (await Promise.all(people.map((person, which) => work(which, person, rows)))).flat();
  expect(asked.length).toBe(EDITS);

  const { rows: revisions } = await app.context.db.execute<Revision>(sql`
    select v.sound_id, v.revision, c.person_id, v.before, v.after from record_revisions v join changes c on c.id = v.change_id
    order by v.sound_id, v.revision`);
  const of = (soundId: number): Revision[] => revisions.filter((each) => each.sound_id === soundId);
  const wrong: unknown[] = [];

  // Each edit that was saved stands in the history once, by whoever made it; what was only told of stands nowhere.
  const keeps = ({ field, value }: Asked, { before, after }: Revision): boolean =>
    field === 'keywords'
      ? (after.keywords ?? []).includes(value) && !(before.keywords ?? []).includes(value)
      : after[field] === value;
  for (const each of asked) {
    const history = of(each.soundId);
    const [kept, ...more] = history.filter((revision) => keeps(each, revision));
    if (
      (kept !== undefined) !== (each.became === 'saved') ||
      more.length > 0 ||
      (kept && kept.person_id !== each.person)
    ) {
      wrong.push({ each, kept, more });
      continue;
    }
    // What others made of that field after it was on show, and before this was saved.
    const until = kept?.revision ?? Infinity;
    const between = history.filter(
      ({ revision, person_id: by, after }) =>
        revision > each.base && revision < until && by !== each.person && after[each.field] !== undefined,
    );
    if (each.field === 'keywords') {
      if (each.became !== 'saved') wrong.push({ each, why: 'keywords go together' });
    } else if (between.length > 0 !== (each.became === 'told')) wrong.push({ each, between });
  }
  expect(wrong).toEqual([]);
  expect(revisions.length).toBe(asked.filter(({ became }) => became === 'saved').length);

  // The histories lead from the records as they were to those that there are now, without a gap.
  const { rows: now } = await app.call('listBatchRows', { params: { id: batchId }, query: { limit: 200 } });
  for (const row of now) {
    const before = rows.find(({ soundId }) => soundId === row.soundId)!;
    const record = of(row.soundId).reduce((sum, { after }) => ({ ...sum, ...after }), before.record);
    expect(record).toEqual(row.record);
    expect(of(row.soundId).map(({ revision }) => revision)).toEqual(
      Array.from({ length: row.revision - before.revision }, (_, at) => before.revision + at + 1),
    );
    const added = asked.filter(({ soundId, field }) => soundId === row.soundId && field === 'keywords');
    expect(row.record.keywords).toEqual(expect.arrayContaining(added.map(({ value }) => value)));
  }
  const told = asked.filter(({ became }) => became === 'told').length;
  // They did meet.
  expect(told).toBeGreaterThan(EDITS / 50);
});
