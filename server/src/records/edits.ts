import { AppError } from '@flagstone/core/errors';
import { applyEdit, type RecordEdit } from '@flagstone/core/record/edit';
import {
  differingFields,
  fieldLabel,
  FIELD_NAMES,
  FIELDS,
  type FieldName,
  type SoundRecord,
} from '@flagstone/core/record/fields';
import { fieldsNotCarried } from '@flagstone/core/record/in-step';
import type { ChangeResult } from '@flagstone/contract/changes';
import type { AsOf, EditConflict, SoundRow } from '@flagstone/contract/record';
import { eq, inArray, sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import type { SeenSelection } from '../rights/seen.ts';
import type { Queryable, Transaction } from '../db/connect.ts';
import { changes, copies, recordRevisions, records } from '../db/schema.ts';
import { conflictsOf } from './edit-conflicts.ts';
import { learnFrom } from './learning.ts';
import { isReviewed } from './proposals.ts';
import { Proposing } from './proposing.ts';
import { idList } from '../db/sql-parts.ts';
import { lockRecords, refreshSearch } from './search-conditions.ts';
import { FIELD_COLUMNS, selectedRows } from './sound-rows.ts';

type RecordRow = SoundRecord & { soundId: number; revision: number };

interface Change {
  kind: 'edit' | 'suggestion' | 'recipe' | 'rule' | 'categories' | 'undo';
  summary: string;
  personId: number;
  /** Shared by changes that are undone in one go. */
  runId?: string | undefined;
  undoes?: number;
  /** Whether the CatIDs that it gives are decisions of a person, from which suggestions learn. */
  learns?: boolean;
  /** It takes back what the same person changed before, which needs nobody's review. */
  isOwnUndo?: boolean;
}

/** What was known as edits were decided, and which fields each of them decides. */
interface Knowing {
  asOf: AsOf;
  fieldsOf: (soundId: number) => readonly FieldName[];
}

const fieldsSetBy = (edit: RecordEdit | undefined): FieldName[] =>
  FIELD_NAMES.filter((name) => edit?.set?.[name] !== undefined);

/** Records in one slice of work: more would block the main thread for everybody else. */
const EDITED_AT_ONCE = 50;

/** One edit for all records of a selection, as one change that can be undone as one. Throws EDIT_CONFLICT for one record in which somebody else changed the same. */
export async function editSelection(
  app: AppContext,
  selection: SeenSelection,
  edit: RecordEdit,
  personId: number,
  asOf?: AsOf,
): Promise<ChangeResult> {
  const summary = describeEdit(edit);
  const knowing = asOf && { asOf, fieldsOf: () => fieldsSetBy(edit) };
  const change = { kind: 'edit' as const, summary, personId, learns: true };
  const result = await changeRecords(app, change, knowing, async (apply, inside) => {
    let rows = 0;
    for await (const page of selectedRows(inside.db, selection, EDITED_AT_ONCE)) {
      rows += page.length;
      await apply(
        page.map((row) => row.soundId),
        (record) => applyEdit(record, edit, app.categories),
      );
    }
    if (rows === 0) throw new AppError('NOTHING_SELECTED', 'The selection holds no rows.');
  });
  return toldIfOne(result, selection.kind === 'copies' && selection.copyIds.length === 1);
}

/** Of one record it is said what two changed at once; of many, how many were left out. Throws EDIT_CONFLICT. */
function toldIfOne({ conflicts, ...result }: Changed, isOne: boolean): ChangeResult {
  const [first] = conflicts;
  if (!isOne || !first) return result;
  const message = `${first.person} changed ${fieldLabel(first.field)} meanwhile.`;
  throw new AppError('EDIT_CONFLICT', message, { details: { conflicts } });
}

/**
 * An edit for each row of its own (undefined leaves the sound as it is), asked for page by page, as one change. The first row of a sound decides, unless it passes: then another copy
 * may. What `editsFor` reads it reads by the context that it is given, in the transaction of the change.
 */
export async function editRowByRow(
  app: AppContext,
  selection: SeenSelection,
  change: Change,
  editsFor: (rows: SoundRow[], inside: AppContext) => Promise<(RecordEdit | 'pass' | undefined)[]>,
  asOf?: AsOf,
): Promise<ChangeResult> {
  const met = new Set<number>();
  let edits = new Map<number, RecordEdit>();
  const knowing = asOf && { asOf, fieldsOf: (soundId: number) => fieldsSetBy(edits.get(soundId)) };
  const result = await changeRecords(app, change, knowing, async (apply, inside) => {
    for await (const page of selectedRows(inside.db, selection, EDITED_AT_ONCE)) {
      const rows = page.filter(({ soundId }) => !met.has(soundId));
      const asked = await editsFor(rows, inside);
      edits = new Map();
      for (const [index, { soundId }] of rows.entries()) {
        const edit = asked[index];
        if (edit === 'pass' || met.has(soundId)) continue;
        met.add(soundId);
        if (edit) edits.set(soundId, edit);
      }
      await apply([...edits.keys()], (record) => applyEdit(record, edits.get(record.soundId) ?? {}, app.categories));
    }
  });
  return toldIfOne(result, selection.kind === 'copies' && selection.copyIds.length === 1);
}

/** An edit for every record `r` of which a condition holds, as one change. */
export function editSounds(
  app: AppContext,
  condition: SQL,
  change: Change,
  editFor: (record: SoundRecord) => RecordEdit,
): Promise<ChangeResult> {
  return changeRecords(app, change, undefined, async (apply, { db }) => {
    for (let after = 0; ;) {
      const { rows } = await db.execute<{ sound_id: number }>(
        sql`select sound_id from records r where ${condition} and sound_id > ${after} order by sound_id limit ${EDITED_AT_ONCE}`,
      );
      const ids = rows.map((row) => row.sound_id);
      await apply(ids, (record) => applyEdit(record, editFor(record), app.categories));
      const last = ids.at(-1);
      if (last === undefined) return;
      after = last;
    }
  });
}

/** What some records become, and which of their fields that decides; `leaveOut` is told of those in which somebody else changed the same since. */
interface PreparedEdits {
  next: (record: RecordRow) => SoundRecord;
  fieldsOf: (soundId: number) => readonly FieldName[];
  leaveOut: (soundIds: ReadonlySet<number>) => Promise<void>;
}

/** What some records become, as one change; `prepare` is done in its transaction, with their rows locked. */
export function editEach(
  app: AppContext,
  change: Change,
  soundIds: readonly number[],
  prepare: (db: Queryable) => Promise<PreparedEdits>,
  asOf?: AsOf,
): Promise<Changed> {
  let prepared: PreparedEdits | undefined;
  const knowing = asOf && { asOf, fieldsOf: (soundId: number) => prepared?.fieldsOf(soundId) ?? [] };
  return changeRecords(app, change, knowing, async (apply, { db }) => {
    await lockRecords(db, soundIds);
    prepared = await prepare(db);
    const conflicts = await apply(soundIds, prepared.next);
    if (conflicts.length > 0) await prepared.leaveOut(new Set(conflicts.map(({ soundId }) => soundId)));
  });
}

/** Edits of single rows, as one change. */
export function editRows(
  app: AppContext,
  edits: readonly { copyId: number; edit: RecordEdit }[],
  summary: string,
  personId: number,
  sight: Sight,
  asOf?: AsOf,
): Promise<ChangeResult> {
  const byCopy = new Map(edits.map(({ copyId, edit }) => [copyId, edit]));
  const selection: SeenSelection = { kind: 'copies', copyIds: [...byCopy.keys()], seenBy: sight };
  const change = { kind: 'edit' as const, summary, personId, learns: true };
  const editsFor = (rows: SoundRow[]) => Promise.resolve(rows.map(({ copyId }) => byCopy.get(copyId)));
  return editRowByRow(app, selection, change, editsFor, asOf);
}

function describeEdit(edit: RecordEdit): string {
  const labels = FIELDS.filter((field) => edit.set?.[field.name] !== undefined).map((field) => field.label);
  if (edit.addKeywords?.length) labels.push('Keywords added');
  if (edit.removeKeywords?.length) labels.push('Keywords removed');
  return labels.join(', ') || 'Nothing';
}

/** Returns what was changed by somebody else since, and is left as it is. */
type Apply = (soundIds: readonly number[], next: (record: RecordRow) => SoundRecord) => Promise<EditConflict[]>;

export type Changed = ChangeResult & { conflicts: EditConflict[] };

/**
 * Runs a change in one transaction: `work` calls `apply` with ids and what each record becomes; every record that really differs gets a
 * revision. Nothing is recorded when nothing differs. `work` reads by the context that it is given, in the same transaction, and
 * `atEnd` belongs to it too.
 */
export async function changeRecords(
  app: AppContext,
  change: Change,
  knowing: Knowing | undefined,
  work: (apply: Apply, inside: AppContext) => Promise<void>,
  atEnd: (db: Queryable, changeId: number) => Promise<void> = () => Promise.resolve(),
): Promise<Changed> {
  const touched: number[] = [];
  let proposed: readonly number[] = [];
  const conflicts: EditConflict[] = [];
  const changeId = await app.db.transaction(async (tx) => {
    const { learns = false, isOwnUndo = false, ...recorded } = change;
    const proposing = !isOwnUndo && (await isReviewed(tx, change.personId)) ? new Proposing(tx, change) : undefined;
    const [row] = await tx.insert(changes).values(recorded).returning({ id: changes.id });
    if (!row) throw new AppError('INTERNAL', 'The change could not be recorded.');
    const apply: Apply = async (soundIds, next) => {
      const applied = await applyToRecords(
        tx,
        { id: row.id, learns, personId: change.personId },
        soundIds,
        next,
        knowing,
        proposing,
      );
      touched.push(...applied.touched);
      conflicts.push(...applied.conflicts);
      return applied.conflicts;
    };
    await work(apply, { ...app, db: tx });
    proposed = proposing?.soundIds ?? [];
    if (touched.length > 0) {
      await atEnd(tx, row.id);
      return row.id;
    }
    await tx.delete(changes).where(eq(changes.id, row.id));
    return null;
  });
  const concerned = [...touched, ...proposed];
  if (concerned.length > 0) await app.live.publish(app.db, { type: 'records', soundIds: concerned });
  const leftOut = new Set(conflicts.map(({ soundId }) => soundId)).size;
  const counts = { changed: touched.length, proposed: proposed.length, kept: 0, leftOut };
  return { changeId, ...counts, summary: change.summary, conflicts };
}

async function applyToRecords(
  tx: Transaction,
  change: { id: number; learns: boolean; personId: number },
  soundIds: readonly number[],
  next: (record: RecordRow) => SoundRecord,
  knowing: Knowing | undefined,
  proposing: Proposing | undefined,
): Promise<{ touched: number[]; conflicts: EditConflict[] }> {
  const unique = [...new Set(soundIds)];
  if (unique.length === 0) return { touched: [], conflicts: [] };
  const rows = await tx
    .select()
    .from(records)
    .where(inArray(records.soundId, unique))
    .orderBy(records.soundId)
    .for('update');
  const waits = (await proposing?.take(rows, next)) ?? new Set<number>();
  const wanted = rows.flatMap((row) => {
    if (waits.has(row.soundId)) return [];
    const after = next(row);
    const fields = differingFields(row, after);
    return fields.length === 0 ? [] : [{ row, after, fields }];
  });
  const decided = wanted.map(({ row, after }) => ({ row, after, fields: knowing?.fieldsOf(row.soundId) ?? [] }));
  const conflicts = knowing ? await conflictsOf(tx, decided, knowing.asOf, change.personId) : [];
  const leftOut = new Set(conflicts.map(({ soundId }) => soundId));
  const changed = wanted.filter(({ row }) => !leftOut.has(row.soundId));
  if (changed.length === 0) return { touched: [], conflicts };
  await tx.insert(recordRevisions).values(
    changed.map(({ row, after, fields }) => ({
      soundId: row.soundId,
      revision: row.revision + 1,
      changeId: change.id,
      before: pick(row, fields),
      after: pick(after, fields),
    })),
  );
  await writeRecords(
    tx,
    changed.map(({ row, after }) => ({ ...after, soundId: row.soundId })),
  );
  if (change.learns) await learnFrom(tx, changed);
  const ids = changed.map(({ row }) => row.soundId);
  await markCarrying(
    tx,
    new Map(changed.map(({ row, after }) => [row.soundId, { record: after, revision: row.revision + 1 }] as const)),
  );
  await refreshSearch(tx, ids);
  return { touched: ids, conflicts };
}

/** A copy whose file already says what its record now says is in step, for instance after an undo. */
async function markCarrying(
  tx: Transaction,
  changed: Map<number, { record: SoundRecord; revision: number }>,
): Promise<void> {
  const rows = await tx
    .select({ id: copies.id, soundId: copies.soundId, inFile: copies.inFile })
    .from(copies)
    .where(inArray(copies.soundId, [...changed.keys()]));
  const carrying = rows.filter((row) => {
    const now = changed.get(row.soundId);
    return now && fieldsNotCarried(now.record, row.inFile).length === 0;
  });
  if (carrying.length === 0) return;
  await tx.execute(sql`
    update copies c set carries_revision = r.revision, changed_outside = false from records r
    where r.sound_id = c.sound_id and c.id = any(${idList(carrying.map((row) => row.id))})`);
}

function pick(record: SoundRecord, fields: readonly FieldName[]): Partial<SoundRecord> {
  return Object.fromEntries(fields.map((name) => [name, record[name]]));
}

/** Writes whole records in one statement and raises their revisions. */
async function writeRecords(db: Queryable, rows: readonly (SoundRecord & { soundId: number })[]): Promise<void> {
  const payload = rows.map((row) => ({
    sound_id: row.soundId,
    ...Object.fromEntries(FIELD_NAMES.map((name) => [FIELD_COLUMNS[name], row[name]])),
  }));
  const assignments = FIELD_NAMES.map((name) => sql.raw(`"${FIELD_COLUMNS[name]}" = n."${FIELD_COLUMNS[name]}"`));
  await db.execute(sql`
    update records r set ${sql.join(assignments, sql`, `)}, revision = r.revision + 1, updated_at = now()
    from jsonb_populate_recordset(null::records, ${JSON.stringify(payload)}::jsonb) n where r.sound_id = n.sound_id`);
}
