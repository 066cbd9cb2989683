import { AppError } from '@flagstone/core/errors';
import { windowedSource } from '@flagstone/core/formats/byte-source';
import { planWrite } from '@flagstone/core/formats/plan-write';
import type { FieldName, SoundRecord } from '@flagstone/core/record/fields';
import type { SoundRow } from '@flagstone/contract/record';
import { inArray } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { copies, drives } from '../db/schema.ts';
import { filesOf } from './drives.ts';
import type { NewItem } from './plans.ts';

/**
 * Plans writing records into files by reading each file's headers now, so that the preview is of the files as they are. Fields are shown
 * with what the file says and what it will say; `revision` pins the record that was seen.
 */
export function planWrites(app: AppContext): (rows: SoundRow[]) => Promise<NewItem[]> {
  return async (rows) => {
    const copyRows = await app.db
      .select()
      .from(copies)
      .where(
        inArray(
          copies.id,
          rows.map((row) => row.copyId),
        ),
      );
    const driveRows = await app.db
      .select()
      .from(drives)
      .where(inArray(drives.id, [...new Set(rows.map((row) => row.driveId))]));
    const copyOf = new Map(copyRows.map((row) => [row.id, row]));
    const driveOf = new Map(driveRows.map((row) => [row.id, row]));
    const items: NewItem[] = [];
    for (const row of rows) {
      const [copy, drive] = [copyOf.get(row.copyId), driveOf.get(row.driveId)];
      if (copy && drive) items.push(await planOne(app, row, copy, drive));
    }
    return items;
  };
}

async function planOne(
  app: AppContext,
  row: SoundRow,
  copy: typeof copies.$inferSelect,
  drive: typeof drives.$inferSelect,
): Promise<NewItem> {
  const base = { copyId: row.copyId, before: { name: row.name }, after: { revision: row.revision } };
  try {
    const files = filesOf(app, drive);
    const write = await files.withSource(copy.folder, copy.name, async (source, stamp) => {
      await files.expected(copy, stamp, row.name);
      return planWrite(windowedSource(source), row.record);
    });
    const pick = (record: Partial<SoundRecord>, fields: readonly FieldName[]) =>
      Object.fromEntries(fields.map((name) => [name, record[name] ?? '']));
    return {
      ...base,
      state: write.plan ? 'planned' : 'unchanged',
      before: { name: row.name, ...pick(copy.inFile, write.changed) },
      after: { revision: row.revision, ...pick(row.record, write.changed) },
      problems:
        write.plan && write.changed.length === 0
          ? [
              {
                code: 'PLACES_UNIFIED',
                severity: 'notice',
                message: 'The places in the file that are empty or disagree get the record’s values.',
              },
            ]
          : [],
    };
  } catch (error) {
    if (!(error instanceof AppError)) throw error;
    return {
      ...base,
      state: 'blocked',
      problems: [{ code: error.code, severity: 'error', message: error.message, remedy: error.remedy }],
    };
  }
}
