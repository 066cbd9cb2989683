import { AppError } from '@flagstone/core/errors';
import { mergeTold } from '@flagstone/core/record/merge-told';
import type { MarkLine } from '@flagstone/contract/sheet-parts';
import { and, eq, inArray, sql } from 'drizzle-orm';
import { acts } from '../db/acts-schema.ts';
import type { Queryable } from '../db/connect.ts';
import { soundMarks } from '../db/finding-schema.ts';
import { oneMarkerAtATime } from '../records/acts.ts';
import { personFor } from './house-people.ts';
import { keepTold, noteLines, summaryOf, toldBefore, type Parting, type WaitingLine } from './part-lines.ts';

type Mark = Record<string, unknown> & Pick<MarkLine, 'rating' | 'favourite' | 'tags' | 'note'>;
const NO_MARK: Mark = { rating: null, favourite: false, tags: [], note: '' };

/** Has people think of sounds what a sheet says they do, and returns whose marks changed. Those of people who are left out wait. */
export async function applyMarks(run: Parting, lines: readonly WaitingLine<MarkLine>[]): Promise<number[]> {
  return run.app.db.transaction(async (tx) => {
    const byPerson = new Map<number, WaitingLine<MarkLine>[]>();
    for (const name of new Set(lines.map(({ said }) => said.person))) {
      const personId = await personFor(tx, run.sheet.manifest.house, name);
      if (personId === null) continue;
      const own = lines.filter(({ said }) => said.person === name);
      byPerson.set(personId, [...(byPerson.get(personId) ?? []), ...own]);
    }
    const changed: number[] = [];
    // In one order, so that two who mark the same never wait for each other.
    for (const [personId, own] of [...byPerson].sort(([one], [other]) => one - other))
      changed.push(...(await markAs(tx, run, personId, own)));
    return changed;
  });
}

const whatOf = ({ soundId, said }: WaitingLine<MarkLine>): string => `mark ${soundId} ${said.person}`;
const markIn = ({ rating, favourite, tags, note }: Mark | MarkLine): Mark => ({ rating, favourite, tags, note });
const isSilent = ({ rating, favourite, tags, note }: Mark): boolean =>
  rating === null && !favourite && tags.length === 0 && note === '';

async function markAs(
  tx: Queryable,
  run: Parting,
  personId: number,
  lines: readonly WaitingLine<MarkLine>[],
): Promise<number[]> {
  await oneMarkerAtATime(tx, personId);
  const lineOf = new Map<number, WaitingLine<MarkLine>>();
  for (const each of lines) if (each.soundId !== null && !lineOf.has(each.soundId)) lineOf.set(each.soundId, each);
  const ids = [...lineOf.keys()].sort((a, b) => a - b);
  const rows = await tx
    .select()
    .from(soundMarks)
    .where(and(eq(soundMarks.personId, personId), inArray(soundMarks.soundId, ids)));
  const now = new Map(rows.map((row) => [row.soundId, markIn(row)]));
  const before = await toldBefore<Mark>(tx, run, [...lineOf.values()].map(whatOf));
  const marked = [...lineOf].flatMap(([soundId, line]) => {
    const ours = now.get(soundId) ?? NO_MARK;
    const merged = mergeTold(before.get(whatOf(line)), ours, markIn(line.said), run.wins === 'theirs');
    const after = { ...merged, tags: [...new Set(merged.tags)].sort() };
    const isSame = JSON.stringify(markIn(after)) === JSON.stringify(markIn({ ...ours, tags: [...ours.tags].sort() }));
    return isSame
      ? []
      : [{ sound_id: soundId, before: isSilent(ours) ? null : ours, after: isSilent(after) ? null : after }];
  });
  if (marked.length > 0) await write(tx, run, personId, marked);
  await keepTold(tx, run, new Map([...lineOf.values()].map((line) => [whatOf(line), markIn(line.said)])));
  await noteLines(
    tx,
    run,
    'marks',
    lines.map(({ line }) => line),
  );
  return marked.map(({ sound_id: id }) => id);
}

interface Marked {
  sound_id: number;
  before: Mark | null;
  after: Mark | null;
}

async function write(tx: Queryable, run: Parting, personId: number, marked: readonly Marked[]): Promise<void> {
  const actId = await actOf(tx, run, personId);
  const payload = JSON.stringify(marked.map((each) => ({ ...each, ...(each.after ?? NO_MARK) })));
  await tx.execute(sql`
    insert into sound_marks (person_id, sound_id, rating, favourite, tags, note)
    select ${personId}::int, n.sound_id, n.rating, n.favourite, array(select jsonb_array_elements_text(n.tags)), n.note
    from jsonb_to_recordset(${payload}::jsonb) n(sound_id bigint, rating smallint, favourite boolean, tags jsonb, note text) order by n.sound_id
    on conflict (person_id, sound_id) do update set rating = excluded.rating, favourite = excluded.favourite, tags = excluded.tags,
      note = excluded.note, changed_at = now()`);
  await tx.execute(sql`
    insert into act_marks (act_id, sound_id, before, after) select ${actId}::bigint, n.sound_id, nullif(n.before, 'null'), nullif(n.after, 'null')
    from jsonb_to_recordset(${payload}::jsonb) n(sound_id bigint, before jsonb, after jsonb)
    on conflict (act_id, sound_id) do update set after = excluded.after`);
}

/** The act of a run that holds the marks of a person: one for all pages, and of whoever applies the sheet. */
async function actOf(tx: Queryable, run: Parting, personId: number): Promise<number> {
  const { runId } = run.sheet;
  const [known] = await tx
    .select({ id: acts.id })
    .from(acts)
    .where(and(eq(acts.runId, runId), eq(acts.personId, personId), eq(acts.kind, 'marks')));
  if (known) return known.id;
  const act = { personId, kind: 'marks' as const, summary: summaryOf(run), doneBy: run.personId, runId };
  const [made] = await tx.insert(acts).values(act).returning({ id: acts.id });
  if (!made) throw new AppError('INTERNAL', 'The act could not be recorded.');
  return made.id;
}
