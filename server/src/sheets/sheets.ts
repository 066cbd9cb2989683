import { AppError } from '@flagstone/core/errors';
import { PART_FILES, type PartFile } from '@flagstone/contract/sheet-parts';
import type { Sheet, SheetItem, SheetWinner } from '@flagstone/contract/sheets';
import { and, desc, eq, sql, type SQL } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { bulkInsert } from '../db/bulk-insert.ts';
import { inPages } from '../db/in-pages.ts';
import type { Queryable } from '../db/connect.ts';
import { people } from '../db/schema.ts';
import { sheetItems, sheetPartLines, sheets } from '../db/sheets-schema.ts';
import type { Sight } from '../rights/rights.ts';
import { signedBy } from './house.ts';
import { withSheet, type PartLine } from './read-sheet.ts';
import { itemRows, shownItems, type ItemsShown } from './sheet-items.ts';
import { isUndone } from './undone-runs.ts';

/** Lines that are kept in one statement, and the most that a sheet may have. */
const PAGE = 500;
const MOST_LINES = 2_000_000;
const MOST_PART_LINES = 10_000_000;
/** Each may become a guest here, and everybody's page knows all people. */
const MOST_PEOPLE = 500;

/**
 * Takes a sheet in: proves its digests and signature, and keeps its lines, all of them or none. Returns its id; nothing of the catalogue is changed. Throws SHEET_INVALID,
 * SHEET_TOO_NEW, SHEET_TAMPERED, TOO_LARGE.
 */
export function receiveSheet(app: AppContext, file: string, personId: number): Promise<string> {
  return withSheet(file, async ({ manifest, manifestBytes, signature, entries, parts }) => {
    if (manifest.sounds > MOST_LINES)
      throw new AppError('TOO_LARGE', `The sheet has ${manifest.sounds} sounds; ${MOST_LINES} are allowed.`);
    const signed = await signedBy(app.db, manifest, manifestBytes, signature);
    return app.db.transaction(async (tx) => {
      const [row] = await tx
        .insert(sheets)
        .values({ manifest, signedBy: signed, state: 'comparing', personId })
        .returning({ id: sheets.id });
      if (!row) throw new AppError('INTERNAL', 'The sheet could not be recorded.');
      let lines = 0;
      for await (const page of inPages(entries(), PAGE)) {
        lines += page.length;
        if (lines > MOST_LINES) throw new AppError('TOO_LARGE', `The sheet has more than ${MOST_LINES} lines.`);
        const rows = page.map(({ line, entry }) => ({ sheetId: row.id, line, entry }));
        await tx.execute(bulkInsert(sheetItems, rows));
      }
      if (lines !== manifest.sounds)
        throw new AppError('SHEET_TAMPERED', `The sheet has ${lines} lines; its manifest says ${manifest.sounds}.`);
      const names = new Set<string>();
      for (const { file, lines: partLines } of parts) await keepPart(tx, row.id, file, partLines(), names);
      return row.id;
    });
  });
}

/** Keeps the lines of a part, and gathers the names of the people who would be guests here. Throws TOO_LARGE. */
async function keepPart(
  tx: Queryable,
  sheetId: string,
  file: PartFile,
  lines: AsyncIterable<PartLine>,
  names: Set<string>,
): Promise<void> {
  for await (const page of inPages(lines, PAGE)) {
    if ((page.at(-1)?.line ?? 0) > MOST_PART_LINES)
      throw new AppError(
        'TOO_LARGE',
        `The sheet has more than ${MOST_PART_LINES} lines in “${PART_FILES[file].name}”.`,
      );
    if (file !== 'histories')
      for (const { said } of page) if (typeof said['person'] === 'string') names.add(said['person']);
    if (names.size > MOST_PEOPLE)
      throw new AppError('TOO_LARGE', `The sheet has marks and lists of more than ${MOST_PEOPLE} people.`);
    await tx.execute(
      bulkInsert(
        sheetPartLines,
        page.map((each) => ({ sheetId, file, ...each })),
      ),
    );
  }
}

/** Whose sheets somebody sees: their own; administrators see all. */
export const sheetsOf = (personId: number, isAdministrator: boolean): SQL =>
  isAdministrator ? sql`true` : sql`${sheets.personId} = ${personId}`;

/** Sheets that were received, the latest first. */
export async function listSheets(db: Queryable, whose: SQL): Promise<Sheet[]> {
  const rows = await db
    .select({ sheet: sheets, person: people.name, undone: sql<boolean>`${isUndone(sql`${sheets.runId}`)}` })
    .from(sheets)
    .innerJoin(people, eq(people.id, sheets.personId))
    .where(whose)
    .orderBy(desc(sheets.createdAt))
    .limit(100);
  const counts = await countsOf(
    db,
    rows.map(({ sheet }) => sheet.id),
  );
  return rows.map(({ sheet: { id, manifest, signedBy: signed, state, wins, createdAt }, person, undone }) => ({
    id,
    manifest,
    signedBy: signed,
    state: undone && state === 'applied' ? 'ready' : state,
    wins,
    person,
    receivedAt: createdAt.toISOString(),
    counts: { ...(counts.get(id) ?? NO_LINES), ...(undone && state !== 'applying' ? { applied: 0 } : {}) },
  }));
}

const NO_LINES = { total: 0, compared: 0, certain: 0, probable: 0, several: 0, none: 0, applied: 0 };

async function countsOf(db: Queryable, ids: readonly string[]): Promise<Map<string, Sheet['counts']>> {
  if (ids.length === 0) return new Map();
  const { rows } = await db.execute<Sheet['counts'] & { id: string }>(sql`
    select sheet_id as id, count(*)::int as total, count(match)::int as compared, count(*) filter (where certain)::int as certain,
      count(*) filter (where sound_id is not null and not certain)::int as probable, count(*) filter (where candidates > 1)::int as several,
      count(*) filter (where match = 'none')::int as none, count(applied_at)::int as applied
    from sheet_items where sheet_id = any(${`{${ids.join(',')}}`}::uuid[]) group by 1`);
  return new Map(rows.map(({ id, ...counts }) => [id, counts]));
}

/** One sheet. Throws NOT_FOUND. */
export async function getSheet(db: Queryable, id: string, whose: SQL): Promise<Sheet> {
  const [sheet] = await listSheets(db, sql`${sheets.id} = ${id}::uuid and ${whose}`);
  if (!sheet) throw new AppError('NOT_FOUND', 'There is no such change sheet.');
  return sheet;
}

/** One page of the lines of a sheet, each with what its record here would become. Throws NOT_FOUND. */
export async function listSheetItems(
  app: AppContext,
  id: string,
  { after, limit, show, wins }: { after: number; limit: number; show: ItemsShown; wins: SheetWinner },
  whose: SQL,
  sight: Sight,
): Promise<{ items: SheetItem[]; next: number | null }> {
  const sheet = await getSheet(app.db, id, whose);
  const rows = await itemRows(app.db, id, after, limit, show);
  const items = await shownItems(app, sheet, rows, wins, sight);
  return { items, next: rows.length < limit ? null : (rows.at(-1)?.line ?? null) };
}

/** Forgets a sheet; what it changed stays. Throws NOT_FOUND, and CONFLICT while it is being applied. */
export async function removeSheet(db: Queryable, id: string, whose: SQL): Promise<void> {
  const { state } = await getSheet(db, id, whose);
  if (state === 'applying') throw new AppError('CONFLICT', 'The sheet is being applied.');
  await db.delete(sheets).where(and(eq(sheets.id, id), whose));
}
