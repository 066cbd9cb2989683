import { AppError } from '@flagstone/core/errors';
import { mergeTold } from '@flagstone/core/record/merge-told';
import type { EntryLine, Home, ListLine } from '@flagstone/contract/sheet-parts';
import { eq, sql } from 'drizzle-orm';
import { bulkInsert } from '../db/bulk-insert.ts';
import type { Queryable, Transaction } from '../db/connect.ts';
import { idList } from '../db/sql-parts.ts';
import { pullEntries, pullLists } from '../db/schema.ts';
import { toldRows } from '../db/sheets-schema.ts';
import { appendEntry } from '../records/append-entry.ts';
import { pullEntryRows, pullRows, recordRows } from '../records/act-rows.ts';
import { pullListIsSeen } from '../rights/seen.ts';
import { ownHouse } from './house.ts';
import { personFor } from './house-people.ts';
import { keepTold, noteLines, summaryOf, toldBefore, type Parting, type WaitingLine } from './part-lines.ts';
import { isUndone } from './undone-runs.ts';

const keyOf = ({ house, number }: Home): string => `${house}/${number}`;

/** Makes the pull lists of a sheet, or brings them up to date. One that was removed here, or that whoever applies the sheet does not see, stays so. */
export async function applyLists(run: Parting, lines: readonly WaitingLine<ListLine>[]): Promise<void> {
  for (const { line, said } of lines)
    await run.app.db.transaction(async (tx) => {
      const here = (await rowsOfHomes(tx, 'list', [said.home])).get(keyOf(said.home)) ?? 'new';
      if (here === 'new') await makeList(tx, run, said);
      else if (here !== 'gone' && (await seenLists(tx, run, [here])).has(here)) await updateList(tx, run, here, said);
      await noteLines(tx, run, 'lists', [line]);
    });
}

type Heading = Record<string, unknown> & Pick<ListLine, 'name' | 'show' | 'scene' | 'notes'>;
const headingOf = ({ name, show, scene, notes }: Heading | ListLine): Heading => ({ name, show, scene, notes });
const listKey = (home: Home): string => `list ${keyOf(home)}`;

async function makeList(tx: Transaction, run: Parting, said: ListLine): Promise<void> {
  const personId = await whoMade(tx, run, said.person);
  const [made] = await tx
    .insert(pullLists)
    .values({ ...headingOf(said), personId })
    .returning({ id: pullLists.id });
  if (!made) throw new AppError('INTERNAL', 'The pull list could not be recorded.');
  await keepRows(tx, run, 'list', new Map([[made.id, said.home]]));
  await keepTold(tx, run, new Map([[listKey(said.home), headingOf(said)]]));
  await recordPull(tx, run, new Map(), await pullRows(tx, [made.id]));
}

async function updateList(tx: Transaction, run: Parting, id: number, said: ListLine): Promise<void> {
  const [list] = await tx.select().from(pullLists).where(eq(pullLists.id, id)).for('update');
  if (!list) return;
  const before = await pullRows(tx, [id]);
  const base = (await toldBefore<Heading>(tx, run, [listKey(said.home)])).get(listKey(said.home));
  const merged = mergeTold(base, headingOf(list), headingOf(said), run.wins === 'theirs');
  await tx.update(pullLists).set(headingOf(merged)).where(eq(pullLists.id, id));
  await keepTold(tx, run, new Map([[listKey(said.home), headingOf(said)]]));
  await recordPull(tx, run, before, await pullRows(tx, [id]));
}

type Entry = Record<string, unknown> & Pick<EntryLine, 'part' | 'tryOut' | 'comment'>;
const entryOf = ({ part, tryOut, comment }: EntryLine): Entry => ({ part, tryOut, comment });
const entryKey = (home: Home): string => `entry ${keyOf(home)}`;

/**
 * Puts the entries of a sheet at the ends of their lists, in their order, and brings those up to date that are there. One that was removed here stays removed, and one that the
 * other house removed stays: nothing is taken out of a list.
 */
export async function applyEntries(run: Parting, lines: readonly WaitingLine<EntryLine>[]): Promise<void> {
  await run.app.db.transaction(async (tx) => {
    const makers = new Map<string, number>();
    for (const name of new Set(lines.map(({ said }) => said.person))) makers.set(name, await whoMade(tx, run, name));
    const lists = await rowsOfHomes(
      tx,
      'list',
      lines.map(({ said }) => said.list),
    );
    const ids = [...new Set([...lists.values()].filter((id) => id !== 'gone'))].sort((a, b) => a - b);
    await tx.execute(sql`select from pull_lists where id = any(${idList(ids)}) order by id for update`);
    const seen = await seenLists(tx, run, ids);
    const taken = lines.filter(({ said }) => seen.has(lists.get(keyOf(said.list)) as number));
    const entries = await rowsOfHomes(
      tx,
      'entry',
      taken.map(({ said }) => said.home),
    );
    const known = await inLists(
      tx,
      [...entries.values()].filter((id) => id !== 'gone'),
      seen,
    );
    const before = await pullEntryRows(tx, known);
    const bases = await toldBefore<Entry>(
      tx,
      run,
      taken.map(({ said }) => entryKey(said.home)),
    );
    const made = new Map<number, Home>();
    for (const each of taken) {
      const { said, soundId } = each;
      const here = entries.get(keyOf(said.home)) ?? 'new';
      if (here === 'new') {
        const listId = lists.get(keyOf(said.list)) as number;
        const addedBy = makers.get(said.person) ?? run.personId;
        const id = await appendEntry(tx, { listId, soundId: soundId ?? 0, ...entryOf(said), addedBy });
        made.set(id, said.home);
        // Named twice in a sheet it is one entry all the same.
        entries.set(keyOf(said.home), id);
      } else if (here !== 'gone' && (known.includes(here) || made.has(here)))
        await updateEntry(tx, run, here, bases.get(entryKey(said.home)), said);
    }
    await keepRows(tx, run, 'entry', made);
    await keepTold(tx, run, new Map(taken.map(({ said }) => [entryKey(said.home), entryOf(said)])));
    await recordPull(tx, run, before, await pullEntryRows(tx, [...known, ...made.keys()]));
    await noteLines(
      tx,
      run,
      'entries',
      lines.map(({ line }) => line),
    );
  });
}

async function updateEntry(
  tx: Queryable,
  run: Parting,
  id: number,
  base: Entry | undefined,
  said: EntryLine,
): Promise<void> {
  const [now] = await tx.select().from(pullEntries).where(eq(pullEntries.id, id));
  if (!now) return;
  const { fromFrame, toFrame, tryOut, comment } = now;
  const part = fromFrame === null || toFrame === null ? null : { from: fromFrame, to: toFrame };
  const merged = mergeTold<Entry>(base, { part, tryOut, comment }, entryOf(said), run.wins === 'theirs');
  await tx
    .update(pullEntries)
    .set({
      fromFrame: merged.part?.from ?? null,
      toFrame: merged.part?.to ?? null,
      tryOut: merged.tryOut,
      comment: merged.comment,
    })
    .where(eq(pullEntries.id, id));
}

/** Whoever made it in their house, as here; whoever applies the sheet for one who is left out. */
const whoMade = async (tx: Queryable, run: Parting, name: string): Promise<number> =>
  (await personFor(tx, run.sheet.manifest.house, name)) ?? run.personId;

/** The rows here that are rows of some houses, by their homes: those that never came, or whose coming was undone, are left out, and those that were removed since are gone. */
async function rowsOfHomes(
  tx: Queryable,
  kind: 'list' | 'entry',
  homes: readonly Home[],
): Promise<Map<string, number | 'gone'>> {
  const { id: own } = await ownHouse(tx);
  const table = sql.identifier(kind === 'list' ? 'pull_lists' : 'pull_entries');
  const { rows } = await tx.execute<{ house: string; number: number; id: number | null; is_known: boolean }>(sql`
    select h.house, h.number, l.id, h.house = ${own}::uuid or (t.row_id is not null and (l.id is not null or not ${isUndone(sql`t.run_id`)})) as is_known
    from jsonb_to_recordset(${JSON.stringify(homes)}::jsonb) h(house uuid, number bigint)
    left join told_rows t on t.kind = ${kind} and t.home = h.house and t.home_number = h.number
    left join ${table} l on l.id = case when h.house = ${own}::uuid then h.number else t.row_id end`);
  return new Map(
    rows.flatMap(({ house, number, id, is_known: isKnown }): [string, number | 'gone'][] =>
      isKnown ? [[keyOf({ house, number }), id ?? 'gone']] : [],
    ),
  );
}

/** Those of some entries that stand in one of some lists: a sheet may name any number. */
async function inLists(tx: Queryable, ids: readonly number[], listIds: ReadonlySet<number>): Promise<number[]> {
  const { rows } = await tx.execute<{ id: number }>(
    sql`select id from pull_entries where id = any(${idList(ids)}) and list_id = any(${idList([...listIds])})`,
  );
  return rows.map(({ id }) => id);
}

async function seenLists(tx: Queryable, { sight, personId }: Parting, ids: readonly number[]): Promise<Set<number>> {
  const { rows } = await tx.execute<{ id: number }>(
    sql`select l.id from pull_lists l where l.id = any(${idList(ids)}) and ${pullListIsSeen(sight, personId)}`,
  );
  return new Set(rows.map(({ id }) => id));
}

async function keepRows(
  tx: Queryable,
  { sheet }: Parting,
  kind: 'list' | 'entry',
  made: ReadonlyMap<number, Home>,
): Promise<void> {
  if (made.size === 0) return;
  const rows = [...made].map(([rowId, { house, number }]) => ({
    kind,
    home: house,
    homeNumber: number,
    rowId,
    runId: sheet.runId,
  }));
  await tx.execute(sql`
    ${bulkInsert(toldRows, rows)} on conflict (kind, home, home_number) do update set row_id = excluded.row_id, run_id = excluded.run_id`);
}

const recordPull = (
  tx: Queryable,
  run: Parting,
  before: Parameters<typeof recordRows>[2],
  after: Parameters<typeof recordRows>[3],
): Promise<void> =>
  recordRows(
    tx,
    { personId: run.personId, kind: 'pull', summary: summaryOf(run), runId: run.sheet.runId },
    before,
    after,
  );
