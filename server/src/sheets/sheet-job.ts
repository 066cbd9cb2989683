import { AppError } from '@flagstone/core/errors';
import type { Job } from '@flagstone/contract/jobs';
import type { Plan } from '@flagstone/contract/plans';
import { sheetPartsSchema, type SheetPart } from '@flagstone/contract/sheet-parts';
import { sheetWinnerSchema, type SheetWinner } from '@flagstone/contract/sheets';
import { eq, sql } from 'drizzle-orm';
import { z } from 'zod';
import type { AppContext } from '../app-context.ts';
import { sheets } from '../db/sheets-schema.ts';
import type { JobRun } from '../jobs/job-queue.ts';
import { makePlanOfNames } from '../plans/plans.ts';
import { rightsOf } from '../rights/person-rights.ts';
import { sightAs, type Sight } from '../rights/rights.ts';
import { filesTaken } from './apply-parts.ts';
import { applySheet, beginApplying } from './apply-sheet.ts';
import { matchSheet } from './match-sheet.ts';
import { firstCopies, itemRows, newNameOf } from './sheet-items.ts';

const payloadSchema = z.object({
  sheetId: z.uuid(),
  apply: z
    .strictObject({ wins: sheetWinnerSchema, onlyLine: z.number().optional(), parts: sheetPartsSchema.default([]) })
    .nullable(),
});
const PAGE = 200;

/** Compares a sheet with what is held here, or applies it. */
export async function sheetJob(app: AppContext, run: JobRun): Promise<void> {
  const { sheetId, apply } = payloadSchema.parse(run.job.payload);
  const { personId } = run.job;
  // As they may now: whoever asked may have lost rights since.
  const sight = sightAs(await rightsOf(app.db, personId), 'librarian');
  await run.setTotal(await linesLeft(app, sheetId, apply));
  if (!apply) return compare(app, sheetId, sight, (done) => run.advance({ done }));
  try {
    const changed = await applySheet(app, sheetId, { ...apply, personId, sight }, async ({ done, problems }) => {
      for (const { line, message } of problems) run.note(new AppError('FIELD_INVALID', message), `line ${line}`);
      await run.advance({ done: done - problems.length, failed: problems.length });
    });
    run.setResult({ changed });
  } catch (error) {
    // What is through stays; the rest can be asked for again.
    await app.db.update(sheets).set({ state: 'ready' }).where(eq(sheets.id, sheetId));
    throw error;
  }
}

/** Looks for the sounds of a sheet, and says when that is through. */
export async function compare(
  app: AppContext,
  sheetId: string,
  sight: Sight,
  advance: (lines: number) => Promise<void>,
): Promise<void> {
  await matchSheet(app, sheetId, sight, advance);
  await app.db.update(sheets).set({ state: 'ready' }).where(eq(sheets.id, sheetId));
}

async function linesLeft(
  app: AppContext,
  sheetId: string,
  apply: { onlyLine?: number | undefined; parts: readonly SheetPart[] } | null,
): Promise<number> {
  if (apply?.onlyLine !== undefined) return 1;
  const waits = apply ? sql`sound_id is not null and applied_at is null` : sql`match is null`;
  const [sheet] = await app.db.select({ manifest: sheets.manifest }).from(sheets).where(eq(sheets.id, sheetId));
  const files = sheet && apply ? await filesTaken(app.db, sheet.manifest, apply.parts) : [];
  const { rows } = await app.db.execute<{ lines: number }>(sql`
    select ((select count(*) from sheet_items where sheet_id = ${sheetId}::uuid and ${waits}) + (
      select count(*) from sheet_part_lines p left join sheet_items i on i.sheet_id = p.sheet_id and i.line = p.of_line
      where p.sheet_id = ${sheetId}::uuid and p.applied_at is null and (p.of_line is null or i.sound_id is not null)
        and p.file in (select jsonb_array_elements_text(${JSON.stringify(files)}::jsonb))))::int as lines`);
  return rows[0]?.lines ?? 0;
}

/** Queues the comparing of a sheet. */
export function queueComparing(app: AppContext, sheetId: string, personId: number): Promise<Job> {
  return queue(app, 'Compare a change sheet', sheetId, null, personId);
}

/** Queues the applying of a sheet. Throws NOT_FOUND, CONFLICT. */
export async function queueApplying(
  app: AppContext,
  sheetId: string,
  apply: { wins: SheetWinner; onlyLine?: number | undefined; parts: readonly SheetPart[] },
  personId: number,
): Promise<Job> {
  await app.db.transaction((tx) => beginApplying(tx, sheetId, apply.wins));
  return queue(app, 'Apply a change sheet', sheetId, apply, personId);
}

function queue(app: AppContext, title: string, sheetId: string, apply: object | null, personId: number): Promise<Job> {
  const job = {
    kind: 'sheet' as const,
    title,
    payload: { sheetId, apply },
    lanes: [`sheet ${sheetId}`],
    collectionIds: [],
  };
  return app.jobs.add(job, personId);
}

/** Plans the names that the house of a sheet gave the files, of every copy that was found. Throws NOTHING_SELECTED where all have them. */
export async function planSheetNames(app: AppContext, sheetId: string, personId: number, sight: Sight): Promise<Plan> {
  const names = new Map<number, string>();
  for (let after = 0; ;) {
    const rows = await itemRows(app.db, sheetId, after, PAGE, 'matched');
    const copyOf = await firstCopies(
      app.db,
      rows.flatMap(({ soundId }) => soundId ?? []),
      sight,
    );
    for (const row of rows) {
      const copy = copyOf.get(row.soundId ?? 0);
      const name = copy && newNameOf(row.entry, copy.name);
      if (copy && name) names.set(copy.id, name);
    }
    const last = rows.at(-1);
    if (!last || rows.length < PAGE) break;
    after = last.line;
  }
  if (names.size === 0) throw new AppError('NOTHING_SELECTED', 'All files have the names that the sheet gives them.');
  return makePlanOfNames(app, names, personId, sight);
}
