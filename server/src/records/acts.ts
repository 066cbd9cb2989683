import { AppError } from '@flagstone/core/errors';
import { and, desc, eq, isNotNull, isNull, sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { actMarks, acts, type ActRow } from '../db/acts-schema.ts';
import { isStillOpen, turnProposals } from './proposals.ts';
import { turnRemoval } from './removals.ts';
import { lockRecords } from './search-conditions.ts';
import { turnSettings } from './setting-acts.ts';

/** A mark as it is kept for taking it back, of a row `m` of sound_marks; null where there is none, or one that says nothing. */
export const MARK_AS_JSON: SQL = sql`case when m.rating is not null or m.favourite or m.tags <> '{}' or m.note <> '' then
  jsonb_build_object('rating', m.rating, 'favourite', m.favourite, 'tags', m.tags, 'note', m.note) end`;

export interface Act {
  id: number;
  at: Date;
  /** Shared by what was done in one go with it. */
  runId: string | null;
}

/** Who did an act, also for somebody else. */
const DOER = sql`coalesce(${acts.doneBy}, ${acts.personId})`;

/** The newest act of a person that still stands. */
export async function lastActOf(app: AppContext, personId: number): Promise<Act | undefined> {
  const [act] = await app.db
    .select({ id: acts.id, at: acts.createdAt, runId: acts.runId })
    .from(acts)
    // What was proposed and decided since is the decision of somebody else: what came before it is the newest.
    .where(
      and(
        sql`${DOER} = ${personId}`,
        isNull(acts.undoneAt),
        sql`(${acts.kind} <> 'propose' or ${isStillOpen(sql`${acts.id}`)})`,
      ),
    )
    .orderBy(desc(acts.id))
    .limit(1);
  return act;
}

/** The act that a person took back last, with the time at which they did. */
export async function lastUndoneActOf(app: AppContext, personId: number): Promise<Act | undefined> {
  const [act] = await app.db
    .select({ id: acts.id, at: acts.undoneAt, runId: acts.runId })
    .from(acts)
    .where(and(sql`${DOER} = ${personId}`, isNotNull(acts.undoneAt)))
    .orderBy(desc(acts.undoneAt))
    .limit(1);
  return act?.at ? { id: act.id, at: act.at, runId: act.runId } : undefined;
}

/** The acts of a run that are to be taken back, the last first, or to be done again, the first first. */
export async function actsOfRun(db: Queryable, runId: string, direction: 'undo' | 'redo'): Promise<number[]> {
  const isTurned = direction === 'undo' ? isNull(acts.undoneAt) : isNotNull(acts.undoneAt);
  const rows = await db
    .select({ id: acts.id })
    .from(acts)
    .where(and(eq(acts.runId, runId), isTurned))
    .orderBy(direction === 'undo' ? desc(acts.id) : acts.id);
  return rows.map(({ id }) => id);
}

/**
 * Takes an act back, or does it again. What was changed again since stays as it is now, and is counted. Throws NOT_UNDOABLE when all of it was, NOT_FOUND.
 */
export async function turnAct(
  app: AppContext,
  id: number,
  direction: 'undo' | 'redo',
): Promise<{ summary: string; changed: number; kept: number }> {
  const isUndo = direction === 'undo';
  const turning = app.db.transaction(async (tx) => {
    const [act] = await tx.select().from(acts).where(eq(acts.id, id)).for('update');
    if (!act) throw new AppError('NOT_FOUND', `There is no act ${id}.`);
    if ((act.undoneAt === null) !== isUndo) throw new AppError('NOT_UNDOABLE', 'Somebody was quicker: that was done.');
    const counts = await turn(tx, act, isUndo);
    if (counts.changed === 0) throw new AppError('NOT_UNDOABLE', `${act.summary}: all of it was changed again since.`);
    await tx
      .update(acts)
      .set({ undoneAt: isUndo ? sql`now()` : null })
      .where(eq(acts.id, id));
    return { act, counts };
  });
  const { act, counts } = await turning.catch((error: unknown) => {
    const why = SINCE[String(codeOf(error))];
    if (why === undefined) throw error;
    throw new AppError('NOT_UNDOABLE', why, { cause: error });
  });
  // A folder may be watched again, or no more.
  if (act.rows.some(({ table }) => table === 'folders')) await app.refreshWatching();
  await app.live.publish(app.db, act.kind === 'pull' ? { type: 'pullLists' } : { type: 'records', soundIds: [] });
  return { summary: `${isUndo ? 'Undo' : 'Again'}: ${act.summary}`, ...counts };
}

/** Why something cannot be as it was, by the code of PostgreSQL: unique violation, foreign key violation. */
const SINCE: Record<string, string> = {
  '23505': 'Its name was given to something else since.',
  '23503': 'Something that it belonged to is not there any more.',
};
const codeOf = (error: unknown): unknown => ((error as Error).cause as { code?: unknown } | undefined)?.code;

interface Turned {
  changed: number;
  kept: number;
}

function turn(tx: Queryable, act: typeof acts.$inferSelect, isUndo: boolean): Promise<Turned> {
  if (act.kind === 'marks') return turnMarks(tx, act, isUndo);
  if (act.kind === 'setting') return turnSettings(tx, act.rows, isUndo);
  return act.kind === 'propose' ? turnProposals(tx, act.id, isUndo) : turnRows(tx, act.rows, isUndo);
}

/** Marks of one person are serialised, also from several windows: a read-modify-write of what the other left would lose tags. */
export async function oneMarkerAtATime(tx: Queryable, personId: number): Promise<void> {
  await tx.execute(sql`select pg_advisory_xact_lock(hashtext('flagstone marks'), ${personId}::int)`);
}

async function turnMarks(tx: Queryable, act: { id: number; personId: number }, isUndo: boolean): Promise<Turned> {
  await oneMarkerAtATime(tx, act.personId);
  const [expected, wanted] = isUndo ? [actMarks.after, actMarks.before] : [actMarks.before, actMarks.after];
  await tx.execute(sql`
    create temporary table turned on commit drop as select sound_id, ${wanted} as wanted from act_marks where act_id = ${act.id}
    and ${expected} is not distinct from (select ${MARK_AS_JSON} from (select) one left join sound_marks m
      on m.sound_id = act_marks.sound_id and m.person_id = ${act.personId})`);
  await tx.execute(sql`
    delete from sound_marks m using turned t where m.person_id = ${act.personId} and m.sound_id = t.sound_id and t.wanted is null`);
  await tx.execute(sql`
    insert into sound_marks (person_id, sound_id, rating, favourite, tags, note)
    select ${act.personId}::int, sound_id, (wanted ->> 'rating')::smallint, (wanted ->> 'favourite')::boolean,
      array(select jsonb_array_elements_text(wanted -> 'tags')), wanted ->> 'note' from turned where wanted is not null order by sound_id
    on conflict (person_id, sound_id) do update set rating = excluded.rating, favourite = excluded.favourite, tags = excluded.tags,
      note = excluded.note, changed_at = now()`);
  const { rows } = await tx.execute<{ changed: number; every: number }>(
    sql`select (select count(*) from turned) as changed, (select count(*) from act_marks where act_id = ${act.id}) as every`,
  );
  const { changed = 0, every = 0 } = rows[0] ?? {};
  return { changed, kept: every - changed };
}

/** Lists before their entries, so that an entry finds its list; what goes, goes in the other order. */
const ORDER: readonly ActRow['table'][] = [
  'batches',
  'removals',
  'pull_lists',
  'pull_entries',
  'remarks',
  'remark_mentions',
];

async function turnRows(tx: Queryable, all: readonly ActRow[], isUndo: boolean): Promise<Turned> {
  const turned: Turned = { changed: 0, kept: 0 };
  const inOrder = ORDER.flatMap((table) => all.filter((row) => row.table === table));
  for (const row of inOrder) {
    const [expected, wanted] = isUndo ? [row.after, row.before] : [row.before, row.after];
    if (wanted === null) continue;
    if (await putRow(tx, row, expected, wanted)) turned.changed += 1;
    else turned.kept += 1;
  }
  for (const row of inOrder.reverse()) {
    const [expected, wanted] = isUndo ? [row.after, row.before] : [row.before, row.after];
    if (wanted !== null) continue;
    if (await dropRow(tx, row, expected)) turned.changed += 1;
    else turned.kept += 1;
  }
  return turned;
}

async function putRow(
  tx: Queryable,
  { table, id }: ActRow,
  expected: ActRow['before'],
  wanted: Record<string, unknown>,
): Promise<boolean> {
  const name = sql.identifier(table);
  const isAsExpected = sql`(select to_jsonb(t) from ${name} t where id = ${id}) is not distinct from ${json(expected)}`;
  if (table === 'batches') return turnFiling(tx, id, isAsExpected, wanted);
  if (table === 'removals') {
    const { undone_at: undoneAt } = wanted;
    return turnRemoval(tx, id, isAsExpected, typeof undoneAt === 'string' ? undoneAt : null);
  }
  // A list that somebody removed takes its entries along: they cannot come back without it.
  const hasList =
    table === 'pull_entries' ? sql`exists (select from pull_lists where id = ${Number(wanted['list_id'])})` : sql`true`;
  const columns = sql.join(
    Object.keys(wanted).map((column) => sql`${sql.identifier(column)} = excluded.${sql.identifier(column)}`),
    sql`, `,
  );
  const { rowCount } = await tx.execute(sql`
    insert into ${name} select n.* from jsonb_populate_record(null::${name}, ${json(wanted)}) n where ${isAsExpected} and ${hasList}
    on conflict (id) do update set ${columns}`);
  return (rowCount ?? 0) > 0;
}

async function dropRow(tx: Queryable, { table, id }: ActRow, expected: ActRow['before']): Promise<boolean> {
  // A list in which somebody put something since is theirs too.
  const isEmpty =
    table === 'pull_lists' ? sql`not exists (select from pull_entries e where e.list_id = ${id})` : sql`true`;
  const { rowCount } = await tx.execute(
    sql`delete from ${sql.identifier(table)} t where id = ${id} and to_jsonb(t) = ${json(expected)} and ${isEmpty}`,
  );
  return (rowCount ?? 0) > 0;
}

/** Takes the sounds of a batch out of the catalogue that were filed with it, or files them again. */
async function turnFiling(
  tx: Queryable,
  batchId: number,
  isAsExpected: SQL,
  wanted: Record<string, unknown>,
): Promise<boolean> {
  const ofBatch = sql`select c.sound_id from batch_items b join copies c on c.id = b.copy_id where b.batch_id = ${batchId}`;
  const { rows } = await tx.execute<{ filed_at: string | null }>(
    sql`select filed_at::text from batches where id = ${batchId} and ${isAsExpected} for update`,
  );
  const [batch] = rows;
  if (!batch) return false;
  const then = typeof wanted['filed_at'] === 'string' ? wanted['filed_at'] : null;
  // What had been filed before keeps its own time, and stays.
  const concerned = batch.filed_at === null ? sql`filed_at is null` : sql`filed_at = ${batch.filed_at}::timestamptz`;
  await lockRecords(tx, ofBatch);
  await tx.execute(sql`update sounds set filed_at = ${then}::timestamptz where ${concerned} and id in (${ofBatch})`);
  await tx.execute(sql`
    update batches set filed_at = ${then}::timestamptz, filed_by = ${Number(wanted['filed_by']) || null}::int where id = ${batchId}`);
  return true;
}

const json = (value: unknown): SQL => (value === null ? sql`null::jsonb` : sql`${JSON.stringify(value)}::jsonb`);
