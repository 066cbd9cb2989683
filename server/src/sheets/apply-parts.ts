import {
  PART_FILE_NAMES,
  PART_FILES,
  type EntryLine,
  type HistoryLine,
  type ListLine,
  type MarkLine,
  type PartFile,
  type SheetPart,
  type WordLine,
} from '@flagstone/contract/sheet-parts';
import type { SheetManifest } from '@flagstone/contract/change-sheet';
import { sql } from 'drizzle-orm';
import { bulkInsert } from '../db/bulk-insert.ts';
import { toldRevisions } from '../db/sheets-schema.ts';
import type { Queryable } from '../db/connect.ts';
import { applyEntries, applyLists } from './apply-lists.ts';
import { applyMarks } from './apply-marks.ts';
import { applyWords } from './apply-words.ts';
import { ownHouse } from './house.ts';
import { noteLines, waitingLines, type Parting, type WaitingLine } from './part-lines.ts';

/** Lines that are applied in one transaction: more would hold their rows for long. */
const PAGE = 200;

/** Parts that say nothing where a sheet comes from another data folder of this very house: numbers of lists may mean others there, and the history of a record is that of here. */
const OF_OTHERS: readonly SheetPart[] = ['lists', 'histories'];

const APPLY: { [File in PartFile]: (run: Parting, lines: readonly WaitingLine<never>[]) => Promise<void> } = {
  words: (run, lines: readonly WaitingLine<WordLine>[]) => applyWords(run, lines),
  marks: async (run, lines: readonly WaitingLine<MarkLine>[]) => {
    const soundIds = await applyMarks(run, lines);
    if (soundIds.length > 0) await run.app.live.publish(run.app.db, { type: 'records', soundIds });
  },
  lists: (run, lines: readonly WaitingLine<ListLine>[]) => applyLists(run, lines),
  entries: (run, lines: readonly WaitingLine<EntryLine>[]) => applyEntries(run, lines),
  histories: (run, lines: readonly WaitingLine<HistoryLine>[]) => keepHistories(run, lines),
};

/** The files of a sheet that are taken, in the order in which that is done. */
export async function filesTaken(
  db: Queryable,
  { house }: SheetManifest,
  parts: readonly SheetPart[],
): Promise<PartFile[]> {
  const isOwn = house.id === (await ownHouse(db)).id;
  return PART_FILE_NAMES.filter((file) => {
    const { part } = PART_FILES[file];
    return parts.includes(part) && !(isOwn && OF_OTHERS.includes(part));
  });
}

/**
 * Takes what a sheet brings beside its records, some lines at a time: each time they are kept with a note that they are applied, or not at all, so that one that was cut short goes on
 * where it was. All of it is undone with what the sheet did to records; what another house tells of its history stays.
 */
export async function applyParts(
  run: Parting,
  parts: readonly SheetPart[],
  advance: (lines: number) => Promise<void>,
): Promise<void> {
  for (const file of await filesTaken(run.app.db, run.sheet.manifest, parts)) {
    for (let after = 0; ;) {
      const lines = await waitingLines<never>(run, file, after, PAGE);
      const last = lines.at(-1);
      if (!last) break;
      after = last.line;
      await APPLY[file](run, lines);
      await advance(lines.length);
    }
    if (file === 'entries') await run.app.live.publish(run.app.db, { type: 'pullLists' });
  }
}

async function keepHistories(run: Parting, lines: readonly WaitingLine<HistoryLine>[]): Promise<void> {
  const { id: houseId, name: house } = run.sheet.manifest.house;
  const rows = new Map<string, typeof toldRevisions.$inferInsert>();
  for (const { soundId, said } of lines) {
    if (soundId === null) continue;
    const { line: _line, revision, ...told } = said;
    rows.set(`${soundId} ${revision}`, { soundId, houseId, revision, house, said: told });
  }
  await run.app.db.transaction(async (tx) => {
    if (rows.size > 0)
      await tx.execute(sql`
        ${bulkInsert(toldRevisions, [...rows.values()])} on conflict (sound_id, house_id, revision) do update set house = excluded.house, said = excluded.said`);
    await noteLines(
      tx,
      run,
      'histories',
      lines.map(({ line }) => line),
    );
  });
}
