import { AppError } from '@flagstone/core/errors';
import { windowedSource, type ByteSource } from '@flagstone/core/formats/byte-source';
import type { AudioFile } from '@flagstone/core/formats/audio-file';
import { planWrite } from '@flagstone/core/formats/plan-write';
import { plannedSource, type WritePlan } from '@flagstone/core/formats/write-plan';
import type { FieldName, SoundRecord } from '@flagstone/core/record/fields';
import type { SoundRow } from '@flagstone/contract/record';
import { inArray } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import { copies, drives } from '../db/schema.ts';
import { readAudio } from '../disk/read-audio.ts';
import { filesOf } from '../drives/drives.ts';
import type { NewItem } from './plan-item.ts';

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
      const planned = await planWrite(windowedSource(source), row.record);
      return { ...planned, places: planned.plan ? await placesChanged(source, planned.plan, planned.changed) : [] };
    });
    const pick = (record: Partial<SoundRecord>, fields: readonly FieldName[]) =>
      Object.fromEntries(fields.map((name) => [name, record[name] ?? '']));
    return {
      ...base,
      state: write.plan ? 'planned' : 'unchanged',
      before: { name: row.name, ...pick(copy.inFile, write.changed), ...placesAs('before', write.places) },
      after: { revision: row.revision, ...pick(row.record, write.changed), ...placesAs('after', write.places) },
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

interface PlaceChange {
  place: string;
  before: string;
  after: string;
}

/** The key under which an item keeps what single places said and will say. */
const placesAs = (side: 'before' | 'after', places: readonly PlaceChange[]): Record<string, unknown> =>
  places.length === 0 ? {} : { places: Object.fromEntries(places.map((each) => [each.place, each[side]])) };

/**
 * What a write replaces or drops beside the values of fields that it changes: places that say another thing than the place that counts, and texts that are no
 * value of a field, as a genre of no category.
 */
async function placesChanged(
  source: ByteSource,
  plan: WritePlan,
  changed: readonly FieldName[],
): Promise<PlaceChange[]> {
  const [now, then] = [await readAudio(source), await readAudio(plannedSource(source, plan))];
  const [before, after] = [textsIn(now, changed), textsIn(then, [])];
  return [...before].flatMap(([place, text]) => {
    const next = after.get(place) ?? '';
    return next === text ? [] : [{ place, before: text, after: next }];
  });
}

/** The texts of a file by place, without those of some fields. */
function textsIn({ places, unread }: AudioFile, without: readonly FieldName[]): Map<string, string> {
  const texts = new Map(unread.map(({ place, text }) => [String(place), text]));
  for (const { field, place, value } of places) {
    if (without.includes(field)) continue;
    const text = Array.isArray(value) ? value.join(', ') : String(value ?? '');
    const earlier = texts.get(place);
    // One place may hold two fields, as a category with its subcategory.
    texts.set(place, earlier === undefined || earlier === text ? text : `${earlier} / ${text}`);
  }
  return texts;
}
