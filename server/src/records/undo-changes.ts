import { randomUUID } from 'node:crypto';
import { AppError } from '@flagstone/core/errors';
import { fieldLabel, FIELD_NAMES, sameValue, type FieldName, type SoundRecord } from '@flagstone/core/record/fields';
import type { ChangeResult } from '@flagstone/contract/changes';
import { and, desc, eq, isNull, sql } from 'drizzle-orm';
import { alias } from 'drizzle-orm/pg-core';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { changes } from '../db/schema.ts';
import { changeRecords } from './edits.ts';

/** Fields that an undoing left as they are, since they were changed again: in how many records, and by whom. */
class KeptFields {
  private readonly fields = new Map<FieldName, { records: number; people: Set<string> }>();

  add(field: FieldName, person: string | undefined): void {
    const kept = this.fields.get(field) ?? { records: 0, people: new Set() };
    kept.records += 1;
    if (person !== undefined) kept.people.add(person);
    this.fields.set(field, kept);
  }

  /** As “Location of 2 (Tobias Reed), Notes of 1 (Ines Talbot)”. */
  toString(): string {
    const one = ([field, { records: count, people: by }]: [
      FieldName,
      { records: number; people: Set<string> },
    ]): string => `${fieldLabel(field)} of ${count}${by.size === 0 ? '' : ` (${[...by].join(', ')})`}`;
    return [...this.fields].map(one).join(', ');
  }
}

/** What an undoing did, with the fields that were changed again since, in words. */
export type Undone = ChangeResult & { keptFields: string };

/**
 * Takes a change back as one. A field that somebody changed again since, or decided the same once more, keeps what it has now; when that is so for all of them,
 * NOT_UNDOABLE says it.
 */
export async function undoChange(app: AppContext, changeId: number, personId: number, runId?: string): Promise<Undone> {
  const [change] = await app.db.select().from(changes).where(eq(changes.id, changeId));
  if (!change) throw new AppError('NOT_FOUND', `There is no change ${changeId}.`);
  if (change.undoneBy !== null) throw new AppError('NOT_UNDOABLE', 'This change was undone already.');
  const learns = await wereDecisions(app, change);
  const isOwnUndo = change.personId === personId;
  let kept = 0;
  const keptFields = new KeptFields();
  const { conflicts: _none, ...result } = await changeRecords(
    app,
    // What undoes an undoing is an act like any other, and can be undone itself.
    change.kind === 'undo'
      ? {
          kind: 'edit',
          summary: change.summary.replace(/^Undo: /, 'Again: '),
          personId,
          undoes: changeId,
          learns,
          isOwnUndo,
          runId,
        }
      : { kind: 'undo', summary: `Undo: ${change.summary}`, personId, undoes: changeId, learns, isOwnUndo, runId },
    undefined,
    async (apply, { db }) => {
      // Two who undo the same at once: the second finds it undone.
      const [still] = await db.select().from(changes).where(eq(changes.id, changeId)).for('update');
      if (still?.undoneBy !== null) throw new AppError('NOT_UNDOABLE', 'This change was undone already.');
      for await (const page of revisionsOfChange(db, changeId)) {
        await apply([...page.keys()], (record) => {
          const revision = page.get(record.soundId);
          const names = FIELD_NAMES.filter((name) => revision?.after[name] !== undefined);
          const later = revision?.later ?? {};
          const isUntouched = (name: FieldName): boolean =>
            later[name]?.stands !== true && sameValue(revision?.after[name] ?? null, record[name]);
          const untouched = names.filter(isUntouched);
          if (untouched.length < names.length) kept += 1;
          for (const name of names) if (!isUntouched(name)) keptFields.add(name, later[name]?.person);
          return { ...record, ...Object.fromEntries(untouched.map((name) => [name, revision?.before[name]])) };
        });
      }
    },
    async (db, undoneBy) => void (await db.update(changes).set({ undoneBy }).where(eq(changes.id, changeId))),
  );
  if (result.changeId === null && result.proposed === 0)
    throw new AppError(
      'NOT_UNDOABLE',
      `Every field of this change was changed again since: ${String(keptFields) || 'all of them'}.`,
    );
  return { ...result, kept, keptFields: String(keptFields) };
}

interface RevisionOfChange {
  before: Partial<SoundRecord>;
  after: Partial<SoundRecord>;
  /** The fields that were changed once more since, by whom at last; one stands, be it the same value, unless it was undone or is an undoing. */
  later: Partial<Record<FieldName, { person: string; stands: boolean }>>;
}

/** What a change did to each record, in pages in the order of sounds, so that two who change the same records cannot deadlock. */
async function* revisionsOfChange(db: Queryable, changeId: number): AsyncGenerator<Map<number, RevisionOfChange>> {
  for (let after = 0; ;) {
    const { rows } = await db.execute<RevisionOfChange & { sound_id: number } & Record<string, unknown>>(sql`
      select v.sound_id, v.before, v.after, (
        select coalesce(jsonb_object_agg(f.k, jsonb_build_object('person', f.person, 'stands', f.stands)), '{}') from (
          select k, (array_agg(p.name order by l.revision desc))[1] as person, bool_or(c.undone_by is null and c.undoes is null) as stands
          from record_revisions l join changes c on c.id = l.change_id join people p on p.id = c.person_id, jsonb_object_keys(l.after) k
          where l.sound_id = v.sound_id and l.revision > v.revision group by k) f) as later
      from record_revisions v where v.change_id = ${changeId} and v.sound_id > ${after} order by v.sound_id limit 1000`);
    const last = rows.at(-1);
    if (!last) return;
    after = last.sound_id;
    yield new Map(rows.map((row) => [row.sound_id, row]));
  }
}

/** Whether a change, or what it undid, was a person's decisions: those are counted back. */
async function wereDecisions(app: AppContext, change: typeof changes.$inferSelect): Promise<boolean> {
  if (change.undoes === null) return change.kind === 'edit';
  const [undone] = await app.db.select().from(changes).where(eq(changes.id, change.undoes));
  return undone ? wereDecisions(app, undone) : false;
}

/**
 * Takes a change back with those that were made in one go with it, the last first. Throws what undoChange throws, but passes over those of them whose
 * fields were all changed again since.
 */
export async function undoRun(app: AppContext, changeId: number, personId: number): Promise<Undone> {
  const [change] = await app.db.select().from(changes).where(eq(changes.id, changeId));
  if (!change?.runId) return undoChange(app, changeId, personId);
  const together = await app.db
    .select({ id: changes.id })
    .from(changes)
    .where(and(eq(changes.runId, change.runId), isNull(changes.undoneBy)))
    .orderBy(desc(changes.id));
  const runId = randomUUID();
  let [changed, kept, last]: [number, number, Undone | undefined] = [0, 0, undefined];
  const keptFields: string[] = [];
  for (const { id } of together) {
    const result = await undoChange(app, id, personId, runId).catch((error: unknown) => {
      if (error instanceof AppError && error.code === 'NOT_UNDOABLE') return undefined;
      throw error;
    });
    if (!result) continue;
    changed += result.changed;
    kept += result.kept;
    if (result.keptFields !== '') keptFields.push(result.keptFields);
    last = result;
  }
  if (!last) throw new AppError('NOT_UNDOABLE', 'Every field of these changes was changed again since.');
  const more = together.length > 1 ? ` and ${together.length - 1} more` : '';
  return { ...last, changed, kept, keptFields: keptFields.join(', '), summary: `${last.summary}${more}` };
}

/** A change with its time, and the run of what was changed in one go, or was so before it was undone. */
interface LastOfPerson {
  id: number;
  at: Date;
  runId: string | null;
}

/** A change of a run that stands, or with “redo” what undid one of it; undefined where none does. */
export async function changeOfRun(
  db: Queryable,
  runId: string,
  direction: 'undo' | 'redo',
): Promise<number | undefined> {
  const ofRun = sql`${changes.runId} = ${runId} and ${changes.undoes} is null`;
  const undoing = sql`${changes.undoes} in (select id from changes where run_id = ${runId})`;
  const [row] = await db
    .select({ id: changes.id })
    .from(changes)
    .where(and(isNull(changes.undoneBy), direction === 'undo' ? ofRun : undoing))
    .orderBy(desc(changes.id))
    .limit(1);
  return row?.id;
}

/** The newest change of a person that is neither undone nor an undoing, with its time. */
export async function lastChangeOf(app: AppContext, personId: number): Promise<LastOfPerson | undefined> {
  const [row] = await app.db
    .select({ id: changes.id, at: changes.createdAt, runId: changes.runId })
    .from(changes)
    .where(sql`${changes.personId} = ${personId} and ${changes.undoneBy} is null and ${changes.kind} <> 'undo'`)
    .orderBy(desc(changes.id))
    .limit(1);
  return row;
}

/** What a person undid last and may do again: the newest undoing that still stands, unless they did something new since. */
export async function lastUndoOf(app: AppContext, personId: number): Promise<LastOfPerson | undefined> {
  const undone = alias(changes, 'undone');
  const [row] = await app.db
    .select({ id: changes.id, at: changes.createdAt, runId: undone.runId })
    .from(changes)
    .leftJoin(undone, eq(undone.id, changes.undoes))
    .where(
      sql`${changes.personId} = ${personId} and ${changes.kind} = 'undo' and ${changes.undoneBy} is null and not exists (
        select from changes later where later.person_id = ${personId} and later.id > ${changes.id} and later.undoes is null)`,
    )
    .orderBy(desc(changes.id))
    .limit(1);
  return row;
}
