import { AppError } from '@flagstone/core/errors';
import { applyEdit, type RecordEdit } from '@flagstone/core/record/edit';
import { fieldLabel, type FieldName, type SoundRecord } from '@flagstone/core/record/fields';
import { mergeLists } from '@flagstone/core/record/three-way';
import type { AsOf, EditConflict } from '@flagstone/contract/record';
import type { Proposer, QueuedProposal, ReturnedProposal } from '@flagstone/contract/review';
import { and, inArray, sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { proposals } from '../db/review-schema.ts';
import { idList } from '../db/sql-parts.ts';
import { beginProposing } from '../records/proposals.ts';
import { editEach } from '../records/edits.ts';
import { FIELD_COLUMNS } from '../records/sound-rows.ts';
import type { Sight } from '../rights/rights.ts';
import { copyIsSeen, soundIsSeen } from '../rights/seen.ts';

const AT_ONCE = 200;
/** Returned proposals that somebody is told of. */
const MOST_RETURNED = 100;
/** A CatID fills category and subcategory: they are decided together. */
const CATEGORY_FIELDS: readonly FieldName[] = ['catId', 'category', 'subCategory'];

/** For whom the queue is shown: what they see, and what they may decide. */
export interface Reviewer {
  personId: number;
  sight: Sight;
  decides: Sight;
}

interface QueueQuery {
  personId?: number | undefined;
  after: number;
}

/** The queue of whoever asks, the oldest first, with those of their own that came back. */
export async function reviewQueue(
  app: AppContext,
  reviewer: Reviewer,
  { personId, after }: QueueQuery,
): Promise<{
  proposals: QueuedProposal[];
  next: number | null;
  returned: ReturnedProposal[];
}> {
  const { rows } = await app.db.execute<QueuedProposal & Record<string, unknown>>(sql`
    select p.id, p.person_id as "personId", n.name as person, p.field, p.before, p.value, to_json(p.created_at) #>> '{}' as at,
      p.sound_id as "soundId", c.id as "copyId", c.name, s.duration_seconds as "durationSeconds", r.revision,
      to_jsonb(r) -> ${columnOf(sql`p.field`)} as now, ${soundIsSeen(reviewer.decides, sql`p.sound_id`)} as "mayDecide"
    from proposals p join people n on n.id = p.person_id join sounds s on s.id = p.sound_id join records r on r.sound_id = s.id
    join lateral (select o.id, o.name from copies o where o.sound_id = s.id and ${copyIsSeen(reviewer.sight, sql`o.read_folder_id`)}
      order by o.gone, o.id limit 1) c on true
    where p.state = 'waiting' and p.id > ${after} and ${isShown(reviewer)} ${personId === undefined ? sql`` : sql`and p.person_id = ${personId}`}
    order by p.id limit ${AT_ONCE + 1}`);
  const shown = rows.slice(0, AT_ONCE);
  return {
    proposals: shown,
    next: rows.length > AT_ONCE ? (shown.at(-1)?.id ?? null) : null,
    returned: await returnedTo(app.db, reviewer),
  };
}

/** What somebody may decide, and their own. */
const isShown = ({ personId, decides }: Reviewer): SQL =>
  sql`(p.person_id = ${personId} or ${soundIsSeen(decides, sql`p.sound_id`)})`;

/** The column of a record that a field stands in. */
function columnOf(field: SQL): SQL {
  const names = sql`${JSON.stringify(FIELD_COLUMNS)}::jsonb`;
  return sql`(${names} ->> ${field})`;
}

/** What became of proposals, by who made them. */
export async function proposersOf(db: Queryable, reviewer: Reviewer): Promise<Proposer[]> {
  // A category counts once, by its CatID.
  const { rows } = await db.execute<Proposer & Record<string, unknown>>(sql`
    select p.person_id as "personId", n.name as person, count(*) filter (where p.state = 'waiting')::int as waiting,
      count(*) filter (where p.state = 'accepted')::int as accepted, count(*) filter (where p.state = 'returned')::int as returned
    from proposals p join people n on n.id = p.person_id where p.state <> 'ended' and p.field not in ('category', 'subCategory') and ${isShown(reviewer)}
    group by p.person_id, n.name order by n.name, p.person_id`);
  return rows;
}

async function returnedTo(db: Queryable, { personId, sight }: Reviewer): Promise<ReturnedProposal[]> {
  const { rows } = await db.execute<ReturnedProposal & Record<string, unknown>>(sql`
    select p.id, p.person_id as "personId", n.name as person, p.field, p.before, p.value, to_json(p.created_at) #>> '{}' as at, p.sound_id as "soundId",
      c.name, p.remark, d.name as "decidedBy", to_json(p.decided_at) #>> '{}' as "decidedAt"
    from proposals p join people n on n.id = p.person_id join people d on d.id = p.decided_by
    join lateral (select o.name from copies o where o.sound_id = p.sound_id and ${copyIsSeen(sight, sql`o.read_folder_id`)}
      order by o.gone, o.id limit 1) c on true
    where p.person_id = ${personId} and p.state = 'returned' and p.ended_by is null order by p.decided_at desc, p.id desc limit ${MOST_RETURNED}`);
  return rows;
}

interface Decision {
  ids: readonly number[];
  decision: 'accepted' | 'returned';
  remark: string;
  asOf?: AsOf | undefined;
}

type ProposalRow = typeof proposals.$inferSelect;

/**
 * Accepts proposals of sounds in some collections, as one change of their records, or returns them. Those of a category are decided together. What was decided or taken
 * back meanwhile stays so, and is counted; what somebody else changed in the same field is told, and waits on.
 */
export async function decideProposals(
  app: AppContext,
  personId: number,
  { ids, decision, remark, asOf }: Decision,
  sight: Sight,
): Promise<{ decided: number; gone: number; conflicts: EditConflict[] }> {
  const settle = async (db: Queryable): Promise<ProposalRow[]> => {
    const wanted = await db
      .select()
      .from(proposals)
      .where(
        and(
          inArray(proposals.id, await withCategories(db, ids)),
          sql`${proposals.state} = 'waiting' and ${soundIsSeen(sight, sql`${proposals.soundId}`)}`,
        ),
      )
      .orderBy(proposals.soundId, proposals.id)
      .for('update');
    if (wanted.length > 0)
      await db
        .update(proposals)
        .set({ state: decision, decidedBy: personId, decidedAt: sql`now()`, remark })
        .where(
          inArray(
            proposals.id,
            wanted.map(({ id }) => id),
          ),
        );
    return wanted;
  };
  const { decided, conflicts } =
    decision === 'accepted'
      ? await accept(app, { personId, ids, sight, asOf }, settle)
      : { decided: await app.db.transaction(settle), conflicts: [] };
  const leftOut = new Set(conflicts.map(({ soundId }) => soundId));
  const asked = new Set(ids);
  const met = decided.filter(({ id }) => asked.has(id));
  const settled = met.filter(({ soundId }) => !leftOut.has(soundId));
  if (decided.length > 0)
    await app.live.publish(app.db, { type: 'records', soundIds: [...new Set(decided.map(({ soundId }) => soundId))] });
  return { decided: settled.length, gone: asked.size - met.length, conflicts };
}

/** The proposals with those for the rest of the category, where one of them is for part of it. */
async function withCategories(db: Queryable, ids: readonly number[]): Promise<number[]> {
  const category = sql`(${sql.join(
    CATEGORY_FIELDS.map((field) => sql`${field}`),
    sql`, `,
  )})`;
  const { rows } = await db.execute<{ id: number }>(sql`
    select id from proposals where id = any(${idList(ids)}) union
    select o.id from proposals p join proposals o on o.sound_id = p.sound_id and o.person_id = p.person_id and o.state = 'waiting'
    where p.id = any(${idList(ids)}) and p.field in ${category} and o.field in ${category}`);
  return rows.map(({ id }) => id);
}

async function accept(
  app: AppContext,
  { personId, ids, sight, asOf }: { personId: number; ids: readonly number[]; sight: Sight; asOf: AsOf | undefined },
  settle: (db: Queryable) => Promise<ProposalRow[]>,
): Promise<{ decided: ProposalRow[]; conflicts: EditConflict[] }> {
  let decided: ProposalRow[] = [];
  const { rows } = await app.db.execute<{ sound_id: number; person: string; fields: FieldName[] }>(sql`
    select p.sound_id, n.name as person, array_agg(p.field) as fields from proposals p join people n on n.id = p.person_id
    where p.id = any(${idList(ids)}) and p.state = 'waiting' and ${soundIsSeen(sight, sql`p.sound_id`)} group by p.sound_id, n.name order by p.sound_id`);
  const people = [...new Set(rows.map(({ person }) => person))].join(', ');
  const labels = [...new Set(rows.flatMap(({ fields }) => fields.map(fieldLabel)))].join(', ');
  const { conflicts } = await editEach(
    app,
    { kind: 'edit', summary: `Accepted from ${people}: ${labels}`.slice(0, 500), personId, learns: true },
    rows.map((row) => row.sound_id),
    async (db) => {
      decided = await settle(db);
      return {
        next: (record) => applyEdit(record, editOf(record, decided), app.categories),
        // Keywords decide nothing: they go together with those of others.
        fieldsOf: (soundId) =>
          decided.flatMap((each) => (each.soundId === soundId && each.field !== 'keywords' ? [each.field] : [])),
        leaveOut: (soundIds) =>
          waitOn(
            db,
            decided.filter(({ soundId }) => soundIds.has(soundId)),
          ),
      };
    },
    asOf,
  );
  return { decided, conflicts };
}

/** Leaves proposals undecided after all. */
async function waitOn(db: Queryable, undecided: readonly ProposalRow[]): Promise<void> {
  const ids = undecided.map(({ id }) => id);
  await db
    .update(proposals)
    .set({ state: 'waiting', decidedBy: null, decidedAt: null, remark: '' })
    .where(inArray(proposals.id, ids));
}

/**
 * What was accepted of a record, as an edit like any other: what was proposed may have become wrong meanwhile, as a CatID of another list. Keywords are added and taken
 * away, so that those of others stay.
 */
function editOf(record: SoundRecord & { soundId: number }, accepted: readonly ProposalRow[]): RecordEdit {
  const set: Partial<SoundRecord> = {};
  for (const { soundId, field, before, value } of accepted) {
    if (soundId !== record.soundId) continue;
    const now = set.keywords ?? record.keywords;
    Object.assign(set, {
      [field]: field === 'keywords' ? mergeLists(before as string[], now, value as string[]) : value,
    });
  }
  return { set };
}

/** Takes back proposals of one's own that wait, as an act that can be taken back; those that were returned are put away. */
export async function withdrawProposals(
  app: AppContext,
  personId: number,
  ids: readonly number[],
): Promise<{ withdrawn: number }> {
  const ended = await app.db.transaction(async (tx) => {
    const own = sql`${proposals.personId} = ${personId} and ${proposals.id} = any(${idList(await withCategories(tx, ids))})`;
    const rows = await tx.select().from(proposals).where(own).orderBy(proposals.soundId, proposals.id).for('update');
    const open = rows.filter(({ state, endedBy }) => state === 'waiting' || (state === 'returned' && endedBy === null));
    if (open.length === 0) return [];
    const labels = [...new Set(open.map(({ field }) => fieldLabel(field)))].join(', ');
    const actId = await beginProposing(tx, personId, `nothing more for ${labels}`);
    await tx
      .update(proposals)
      .set({ endedBy: actId, state: sql`case when state = 'waiting' then 'ended' else state end` })
      .where(
        inArray(
          proposals.id,
          open.map(({ id }) => id),
        ),
      );
    return open;
  });
  if (ended.length === 0) throw new AppError('NOT_FOUND', 'None of these proposals of yours waits or came back.');
  await app.live.publish(app.db, { type: 'records', soundIds: [...new Set(ended.map(({ soundId }) => soundId))] });
  return { withdrawn: ended.length };
}
