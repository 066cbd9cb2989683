import { AppError } from '@flagstone/core/errors';
import { settle, type Settlement, type SettlingRule } from '@flagstone/core/record/settle';
import type { ChangeResult } from '@flagstone/contract/changes';
import type { AsOf, SoundRow } from '@flagstone/contract/record';
import type { NewSettlingRule, SettlingRow, SettlingRuleKept } from '@flagstone/contract/settling';
import { and, asc, eq, isNull } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { settlingRules } from '../db/drift-schema.ts';
import { people } from '../db/schema.ts';
import { whyRefused } from '../records/refused-edit.ts';
import { snapshotNow } from '../records/edit-conflicts.ts';
import { editRowByRow } from '../records/edits.ts';
import { settledFields } from '../records/settled-fields.ts';
import { selectedRows } from '../records/sound-rows.ts';
import { threeWaysOfCopies, type CopyThreeWays } from '../records/three-ways.ts';
import type { SeenSelection } from '../rights/seen.ts';

/** Rows that a page of a preview holds, and copies that are compared at once. */
const PREVIEW_ROWS = 100;
const COMPARED_AT_ONCE = 250;

/** All rules, those for every copy first. */
export async function listSettlingRules(db: Queryable): Promise<SettlingRuleKept[]> {
  const rows = await db
    .select({ rule: settlingRules, person: people.name })
    .from(settlingRules)
    .innerJoin(people, eq(people.id, settlingRules.personId))
    .orderBy(asc(settlingRules.id));
  return rows.map(({ rule: { personId: _, ...rule }, person }) => ({ ...rule, person }));
}

/** Keeps a rule, in a transaction that holds the table; the one for the same field of the same copies is replaced. */
export async function keepSettlingRule(
  db: Queryable,
  rule: NewSettlingRule,
  personId: number,
): Promise<SettlingRuleKept[]> {
  const { driveId, collectionId, field } = settlingRules;
  const isOfSame = and(
    rule.driveId === null ? isNull(driveId) : eq(driveId, rule.driveId),
    rule.collectionId === null ? isNull(collectionId) : eq(collectionId, rule.collectionId),
    eq(field, rule.field),
  );
  const replaced = await db
    .update(settlingRules)
    .set({ wins: rule.wins, personId })
    .where(isOfSame)
    .returning({ id: settlingRules.id });
  if (replaced.length === 0) await db.insert(settlingRules).values({ ...rule, personId });
  return listSettlingRules(db);
}

/** Forgets a rule; what it settled stays. Throws NOT_FOUND. */
export async function removeSettlingRule(db: Queryable, id: number): Promise<SettlingRuleKept[]> {
  const removed = await db.delete(settlingRules).where(eq(settlingRules.id, id)).returning({ id: settlingRules.id });
  if (removed.length === 0) throw new AppError('NOT_FOUND', 'There is no such rule.');
  return listSettlingRules(db);
}

/** The rules for a copy, those of its drive first, then of its collection, then of all: `settle` takes the first for the very field, else the first for any. */
export function rulesFor(
  rules: readonly SettlingRuleKept[],
  { driveId, collectionId }: Pick<SoundRow, 'driveId' | 'collectionId'>,
): SettlingRule[] {
  const ofDrive = rules.filter((rule) => rule.driveId === driveId);
  const ofCollection = rules.filter((rule) => rule.collectionId !== null && rule.collectionId === collectionId);
  const ofAll = rules.filter((rule) => rule.driveId === null && rule.collectionId === null);
  return [...ofDrive, ...ofCollection, ...ofAll];
}

interface Compared extends CopyThreeWays {
  row: SoundRow;
  settlement: Settlement;
}

/** The copies among rows whose files were changed since they carried the record, each with what the rules make of it. */
async function compared(
  db: Queryable,
  rows: readonly SoundRow[],
  rules: readonly SettlingRuleKept[],
): Promise<Compared[]> {
  const ways = await threeWaysOfCopies(
    db,
    rows.map(({ copyId }) => copyId),
  );
  return rows.flatMap((row) => {
    const found = ways.get(row.copyId);
    if (!found?.copy.changedOutside && found?.copy.carriesRevision !== 0) return [];
    const fields = found.fields.map((each) => ({
      ...each,
      recordChangedMs: each.changedBy ? Date.parse(each.changedBy.at) : undefined,
      fileChangedMs: found.copy.mtimeMs,
    }));
    if (fields.every(({ standing }) => standing === 'record')) return [];
    return [{ ...found, row, settlement: settle(fields, rulesFor(rules, row)) }];
  });
}

const problemWith = (app: AppContext, { record, settlement }: Compared): string | null =>
  whyRefused(app, record, settlement.set);

/** The next copies of a selection whose files were changed, with what would become of each field; stops looking when `signal` is aborted. */
export async function previewSettling(
  app: AppContext,
  selection: SeenSelection,
  afterCopyId: number,
  signal?: AbortSignal,
): Promise<{ rows: SettlingRow[]; next: number | null; snapshot: string }> {
  const snapshot = await snapshotNow(app.db);
  const rules = await listSettlingRules(app.db);
  const rows: SettlingRow[] = [];
  for await (const page of selectedRows(app.db, selection, COMPARED_AT_ONCE, afterCopyId)) {
    if (signal?.aborted) break;
    for (const each of await compared(app.db, page, rules)) {
      rows.push(shownRow(app, each));
      if (rows.length >= PREVIEW_ROWS) return { rows, next: each.row.copyId, snapshot };
    }
  }
  return { rows, next: null, snapshot };
}

function shownRow(app: AppContext, each: Compared): SettlingRow {
  const { row, settlement } = each;
  return {
    copyId: row.copyId,
    name: row.name,
    folder: row.folder,
    driveName: row.driveName,
    fields: settledFields(each.fields, settlement),
    problem: problemWith(app, each),
  };
}

/** How many copies of a selection were changed, how many records would take something, and in how many somebody has to choose; stops when `signal` is aborted. */
export async function countSettling(app: AppContext, selection: SeenSelection, signal?: AbortSignal) {
  const rules = await listSettlingRules(app.db);
  const counts = { copies: 0, taken: 0, open: 0, problems: 0 };
  // Of a sound with several such copies the first one that says something decides.
  const met = new Set<number>();
  for await (const page of selectedRows(app.db, selection, COMPARED_AT_ONCE)) {
    if (signal?.aborted) return counts;
    for (const each of await compared(app.db, page, rules)) {
      counts.copies += 1;
      if (each.settlement.open.length > 0) counts.open += 1;
      if (Object.keys(each.settlement.set).length === 0) continue;
      if (problemWith(app, each) !== null) counts.problems += 1;
      else if (!met.has(each.row.soundId)) {
        met.add(each.row.soundId);
        counts.taken += 1;
      }
    }
  }
  return counts;
}

/**
 * Has the records of a selection take what the rules say, as one change that can be undone as one. What somebody has to choose, and records that cannot take it, stay as
 * they are. Of a sound with several such copies the first one that says something decides.
 */
export async function runSettling(
  app: AppContext,
  selection: SeenSelection,
  personId: number,
  asOf?: AsOf,
): Promise<ChangeResult> {
  const rules = await listSettlingRules(app.db);
  const change = { kind: 'edit' as const, summary: 'Taken from the files', personId };
  return editRowByRow(
    app,
    selection,
    change,
    async (rows, inside) => {
      const found = new Map((await compared(inside.db, rows, rules)).map((each) => [each.row.copyId, each]));
      return rows.map(({ copyId }) => {
        const each = found.get(copyId);
        const isSettled = each && Object.keys(each.settlement.set).length > 0 && problemWith(app, each) === null;
        return isSettled ? { set: each.settlement.set } : 'pass';
      });
    },
    asOf,
  );
}
