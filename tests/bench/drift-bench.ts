import { existsSync } from 'node:fs';
import { chmod, mkdir, writeFile } from 'node:fs/promises';
import os from 'node:os';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { filterSchema, listQuerySchema } from '@flagstone/contract/selection';
import { openContext } from '@flagstone/server/application';
import { connect } from '@flagstone/server/db/connect';
import { startLocalPostgres } from '@flagstone/server/db/local-postgres';
import { listRows } from '@flagstone/server/finding/list-rows';
import { driftByDay, driftOf, keepDrift } from '@flagstone/server/records/drift';
import { editSelection } from '@flagstone/server/records/edits';
import { sql } from 'drizzle-orm';
import pino from 'pino';
import { addTestPeople } from '../signed-in.ts';
import { DATA_VERSION, fillSearchable } from './fill-searchable.ts';

/**
 * `bench drift [--rows 1000000]`: what the matrix of drift costs on so many made-up sounds, beside counting the same anew; the lists behind its numbers; and what keeping the
 * counts adds to a change of ten thousand records, beside the same without. The rows are those of `bench search`.
 */
const { values } = parseArgs({ options: { rows: { type: 'string', default: '1000000' } } });
const count = Number(values.rows);
const folder = path.join(os.tmpdir(), `flagstone-bench-search-${count}-${DATA_VERSION}`);
await mkdir(folder, { recursive: true });
await chmod(folder, 0o755);
const say = (line: string): void => void process.stdout.write(`${line}\n`);

const postgres = await startLocalPostgres(folder);
const log = pino({ level: 'warn' }, pino.destination(2));
const { context, close } = await openContext(postgres.connectionString, [folder], log);
const { db } = context;
await addTestPeople(db);
// Filling takes the indexes away, and triggers are put aside for comparison: the owner's rights.
const owner = await connect(postgres.connectionString, undefined, true);
const filled = path.join(folder, 'filled');
if (!existsSync(filled)) {
  const started = performance.now();
  await fillSearchable(owner.db, count);
  await owner.db.execute(sql`vacuum analyze`);
  await writeFile(filled, '');
  say(`filled ${count} sounds in ${((performance.now() - started) / 1000).toFixed(0)} s`);
}

const ROUNDS = 20;
async function times(work: () => Promise<unknown>, rounds = ROUNDS): Promise<number[]> {
  const all: number[] = [];
  for (let round = 0; round < rounds; round += 1) {
    const started = performance.now();
    await work();
    all.push(performance.now() - started);
  }
  return all.sort((a, b) => a - b);
}
const said = (what: string, all: number[]): void =>
  say(
    `${what.padEnd(52)} median ${(all[all.length >> 1] ?? 0).toFixed(1)} ms, longest ${(all.at(-1) ?? 0).toFixed(1)} ms`,
  );

const COUNTED = sql`
  select c.drive_id, c.read_folder_id, flagstone_state(c.gone, c.changed_outside, c.carries_revision, r.revision), count(*)
  from copies c join records r on r.sound_id = c.sound_id join sounds s on s.id = c.sound_id group by 1, 2, 3`;
said('the matrix', await times(() => driftOf(db, 'all')));
said('the matrix, of three collections', await times(() => driftOf(db, [1, 2, 3])));
said('by day', await times(() => driftByDay(db, 60, 'all')));
said('counted anew', await times(() => db.execute(COUNTED), 3));

const { drives } = await driftOf(db, 'all');
for (const state of ['behind', 'split', 'gone', 'unproved', 'damaged', 'alone'] as const)
  for (const { id, name } of drives) {
    const query = { ...listQuerySchema.parse({ state, drive: id, limit: 100 }), seenBy: 'all' as const };
    said(
      `the list of ${state} on ${name}, with its count`,
      await times(() => listRows(context, { kind: 'catalogue' }, query), 5),
    );
  }

/** Changes the notes of ten thousand records, with words that were not there before. */
const EDITED = 10_000;
let turn = 0;
const edit = () =>
  editSelection(
    context,
    { kind: 'copies', copyIds: Array.from({ length: EDITED }, (_, at) => at + 1), seenBy: 'all' },
    { set: { notes: `turn ${(turn += 1)} ${Date.now()}` } },
    1,
  );
await edit();
const withCounts = await times(edit, 3);
await owner.db.execute(sql`alter table records disable trigger records_drift_changed`);
const without = await times(edit, 3);
await owner.db.execute(sql`alter table records enable trigger records_drift_changed`);
// What was changed without them is counted anew, so that the rows are good for the next run.
await owner.db.execute(sql`truncate drift_counts`);
await owner.db.execute(sql`
  insert into drift_counts (drive_id, read_folder_id, state, copies)
  select c.drive_id, c.read_folder_id, v.state, count(*) from copies c join records r on r.sound_id = c.sound_id join sounds s on s.id = c.sound_id
  cross join lateral unnest(flagstone_drift_states(c.gone, c.cleared_at is not null, c.changed_outside, c.carries_revision, c.proved_at is null, c.damaged_at is not null, r.revision, s.filed_at is not null)) v(state)
  group by 1, 2, 3`);
const [kept, bare] = [withCounts[1] ?? 0, without[1] ?? 1];
say(
  `${EDITED} records changed: ${kept.toFixed(0)} ms with counts, ${bare.toFixed(0)} ms without: ${(kept / bare).toFixed(2)} times`,
);
const { rows: noted } = await db.execute<{ rows: number }>(sql`select count(*)::int as rows from drift_counts`);
said(`adding up ${noted[0]?.rows} rows of counts`, await times(() => keepDrift(db), 3));
said(
  'a selection of everything Behind, first page',
  await times(async () => {
    const filter = filterSchema.parse({ state: 'behind' });
    return listRows(
      context,
      { kind: 'catalogue' },
      { ...listQuerySchema.parse({ ...filter, limit: 100 }), seenBy: 'all' },
    );
  }, 5),
);

await owner.close();
await close();
await postgres.leave();
