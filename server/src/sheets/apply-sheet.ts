import { randomUUID } from 'node:crypto';
import { AppError } from '@flagstone/core/errors';
import { applyEdit } from '@flagstone/core/record/edit';
import type { SheetPart } from '@flagstone/contract/sheet-parts';
import type { SheetWinner } from '@flagstone/contract/sheets';
import { and, eq, gt, inArray, isNull, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { bulkInsert } from '../db/bulk-insert.ts';
import type { Queryable } from '../db/connect.ts';
import { sheetBases, sheetItems, sheetPartLines, sheets } from '../db/sheets-schema.ts';
import { editEach } from '../records/edits.ts';
import type { Sight } from '../rights/rights.ts';
import { applyParts } from './apply-parts.ts';
import { rememberHouse } from './house.ts';
import { comparedItems, firstCopies, problemOf, type ComparedItem } from './sheet-items.ts';
import { wasUndone } from './undone-runs.ts';

/** Sounds that are changed in one transaction: more would hold them for long. */
const PAGE = 50;

type SheetRow = typeof sheets.$inferSelect;

interface Applying {
  wins: SheetWinner;
  /** That sound alone. */
  onlyLine?: number | undefined;
  /** What is taken beside the records. */
  parts: readonly SheetPart[];
  personId: number;
  sight: Sight;
}

/** Begins to apply a sheet; one that was applied before and undone is applied anew. Throws NOT_FOUND, and CONFLICT for one that is not compared yet or being applied. */
export async function beginApplying(db: Queryable, id: string, wins: SheetWinner): Promise<void> {
  const [sheet] = await db.select().from(sheets).where(eq(sheets.id, id)).for('update');
  if (!sheet) throw new AppError('NOT_FOUND', 'There is no such change sheet.');
  if (sheet.state !== 'ready' && sheet.state !== 'applied')
    throw new AppError(
      'CONFLICT',
      sheet.state === 'comparing' ? 'The sheet is still being compared.' : 'The sheet is being applied already.',
    );
  const isAnew = await wasUndone(db, sheet.runId);
  const anew = isAnew ? { runId: randomUUID() } : {};
  if (isAnew) {
    await db.update(sheetItems).set({ appliedAt: null }).where(eq(sheetItems.sheetId, id));
    await db.update(sheetPartLines).set({ appliedAt: null }).where(eq(sheetPartLines.sheetId, id));
  }
  await db
    .update(sheets)
    .set({ state: 'applying', wins, ...anew })
    .where(eq(sheets.id, id));
}

/**
 * Has the records take what a sheet says of them, some at a time: each time the records, what was agreed on and the lines that are applied are kept together or not at all, so
 * that one that was cut short goes on where it was; then what it brings beside them. All of it is undone as one. Of several lines about one sound the first counts. Records that cannot take what it
 * says, and those that are not seen any more, stay as they are; the former are told. Returns how many records changed.
 */
export async function applySheet(
  app: AppContext,
  id: string,
  { wins, onlyLine, parts, personId, sight }: Applying,
  advance: (step: { done: number; problems: { line: number; message: string }[] }) => Promise<void>,
): Promise<number> {
  const [sheet] = await app.db.select().from(sheets).where(eq(sheets.id, id));
  if (!sheet) throw new AppError('NOT_FOUND', 'There is no such change sheet.');
  await rememberHouse(app.db, sheet.manifest);
  let changed = 0;
  for (let after = 0; ;) {
    const waits = and(
      eq(sheetItems.sheetId, id),
      gt(sheetItems.line, after),
      isNull(sheetItems.appliedAt),
      sql`${sheetItems.soundId} is not null`,
      sql`not exists (select from sheet_items e where e.sheet_id = ${id}::uuid and e.sound_id = ${sheetItems.soundId} and e.line < ${sheetItems.line})`,
      ...(onlyLine === undefined ? [] : [eq(sheetItems.line, onlyLine)]),
    );
    const rows = await app.db.select().from(sheetItems).where(waits).orderBy(sheetItems.line).limit(PAGE);
    const last = rows.at(-1);
    if (!last) break;
    after = last.line;
    const page = await applyPage(app, sheet, rows, wins, personId, sight);
    changed += page.changed;
    await advance({ done: rows.length, problems: page.problems });
  }
  if (onlyLine === undefined)
    await applyParts({ app, sheet, wins, personId, sight }, parts, (done) => advance({ done, problems: [] }));
  await app.db
    .update(sheets)
    .set({ state: onlyLine === undefined ? 'applied' : 'ready' })
    .where(eq(sheets.id, id));
  return changed;
}

async function applyPage(
  app: AppContext,
  sheet: SheetRow,
  rows: (typeof sheetItems.$inferSelect)[],
  wins: SheetWinner,
  personId: number,
  sight: Sight,
): Promise<{ changed: number; problems: { line: number; message: string }[] }> {
  const { house } = sheet.manifest;
  const problems: { line: number; message: string }[] = [];
  // Rights may have been taken since it was compared.
  const seen = await firstCopies(
    app.db,
    rows.flatMap(({ soundId }) => soundId ?? []),
    sight,
  );
  const summary = `Change sheet of ${house.name || 'another house'}`;
  const change = { kind: 'edit' as const, summary, personId, runId: sheet.runId };
  const result = await editEach(app, change, [...seen.keys()], async (db) => {
    const taken = new Map<number, ComparedItem>();
    for (const each of await comparedItems(db, house.id, rows, wins)) {
      const soundId = each.row.soundId ?? 0;
      if (!seen.has(soundId)) continue;
      const problem = problemOf(app, each);
      if (problem === null) taken.set(soundId, each);
      else problems.push({ line: each.row.line, message: problem });
    }
    await noteApplied(db, sheet, [...taken.values()]);
    return {
      next: (record) => applyEdit(record, { set: taken.get(record.soundId)?.settlement.set ?? {} }, app.categories),
      // Nobody said which state of the records they knew: the comparison was made anew, with the records locked.
      fieldsOf: () => [],
      leaveOut: () => Promise.resolve(),
    };
  });
  return { changed: result.changed, problems };
}

/** Notes the lines that are applied, and what the sheet said there: the next sheet of that house is compared with it. */
async function noteApplied(
  db: Queryable,
  { id, runId, manifest }: SheetRow,
  items: readonly ComparedItem[],
): Promise<void> {
  if (items.length === 0) return;
  const lines = items.map(({ row }) => row.line);
  await db
    .update(sheetItems)
    .set({ appliedAt: sql`now()` })
    .where(and(eq(sheetItems.sheetId, id), inArray(sheetItems.line, lines)));
  const houseId = manifest.house.id;
  const rows = items.map(({ row }) => ({ houseId, soundId: row.soundId ?? 0, runId, record: row.entry.record }));
  await db.execute(sql`
    ${bulkInsert(sheetBases, rows)} on conflict (house_id, sound_id) do update set record = excluded.record, run_id = excluded.run_id`);
}
