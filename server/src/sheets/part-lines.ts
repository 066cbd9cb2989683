import type { PartFile } from '@flagstone/contract/sheet-parts';
import type { SheetWinner } from '@flagstone/contract/sheets';
import { and, eq, inArray, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { bulkInsert } from '../db/bulk-insert.ts';
import type { Queryable } from '../db/connect.ts';
import { sheetPartLines, toldBases, type sheets } from '../db/sheets-schema.ts';
import type { Sight } from '../rights/rights.ts';
import { soundIsSeen } from '../rights/seen.ts';
import { isUndone } from './undone-runs.ts';

/** A sheet whose parts are applied, and for whom. */
export interface Parting {
  app: AppContext;
  sheet: typeof sheets.$inferSelect;
  wins: SheetWinner;
  /** Who applies it. */
  personId: number;
  sight: Sight;
}

export interface WaitingLine<Said> {
  line: number;
  /** The sound that is meant; null where none is. */
  soundId: number | null;
  said: Said;
}

/** Lines of a part that are not applied yet, after one of them: those of no sound, and those of sounds that were found here and are seen. Of several about one sound the first counts. */
export async function waitingLines<Said>(
  { app, sheet, sight }: Parting,
  file: PartFile,
  after: number,
  limit: number,
): Promise<WaitingLine<Said>[]> {
  const { rows } = await app.db.execute<{ line: number; sound_id: number | null; said: Said }>(sql`
    select p.line, i.sound_id, p.said from sheet_part_lines p left join sheet_items i on i.sheet_id = p.sheet_id and i.line = p.of_line
    where p.sheet_id = ${sheet.id}::uuid and p.file = ${file} and p.applied_at is null and p.line > ${after}
      and (p.of_line is null or (i.sound_id is not null and ${soundIsSeen(sight, sql`i.sound_id`)}
        and not exists (select from sheet_items e where e.sheet_id = p.sheet_id and e.sound_id = i.sound_id and e.line < i.line)))
    order by p.line limit ${limit}`);
  return rows.map(({ line, sound_id: soundId, said }) => ({ line, soundId, said }));
}

/** Notes that lines of a part are applied. */
export async function noteLines(
  db: Queryable,
  { sheet }: Parting,
  file: PartFile,
  lines: readonly number[],
): Promise<void> {
  if (lines.length === 0) return;
  await db
    .update(sheetPartLines)
    .set({ appliedAt: sql`now()` })
    .where(
      and(
        eq(sheetPartLines.sheetId, sheet.id),
        eq(sheetPartLines.file, file),
        inArray(sheetPartLines.line, [...lines]),
      ),
    );
}

/** What was last agreed on with the house of a sheet, by what is meant; what was undone was not agreed on. */
export async function toldBefore<Said>(
  db: Queryable,
  { sheet }: Parting,
  whats: readonly string[],
): Promise<Map<string, Said>> {
  if (whats.length === 0) return new Map();
  const { rows } = await db.execute<{ what: string; said: Said }>(sql`
    select what, said from told_bases b where house_id = ${sheet.manifest.house.id}::uuid
    and what in (select jsonb_array_elements_text(${JSON.stringify(whats)}::jsonb)) and not ${isUndone(sql`b.run_id`)}`);
  return new Map(rows.map(({ what, said }) => [what, said]));
}

/** Keeps what the house of a sheet says now: the next sheet is compared with it. */
export async function keepTold(
  db: Queryable,
  { sheet }: Parting,
  told: ReadonlyMap<string, Record<string, unknown>>,
): Promise<void> {
  if (told.size === 0) return;
  const { runId, manifest } = sheet;
  const rows = [...told].map(([what, said]) => ({ houseId: manifest.house.id, what, said, runId }));
  await db.execute(sql`
    ${bulkInsert(toldBases, rows)} on conflict (house_id, what) do update set said = excluded.said, run_id = excluded.run_id`);
}

/** What changes and acts of a sheet are called. */
export const summaryOf = ({ sheet }: Parting): string =>
  `Change sheet of ${sheet.manifest.house.name || 'another house'}`;
