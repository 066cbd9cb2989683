import { emptyRecord, FIELD_NAMES, type FieldName, type SoundRecord } from '@flagstone/core/record/fields';
import { agreedByHistories, type RecordChange } from '@flagstone/core/record/agreed';
import { settle, type Settlement, type SettlingRule } from '@flagstone/core/record/settle';
import { threeWays } from '@flagstone/core/record/three-way';
import { legalName } from '@flagstone/core/naming/given-name';
import type { SheetEntry } from '@flagstone/contract/change-sheet';
import type { Sheet, SheetItem, SheetWinner } from '@flagstone/contract/sheets';
import { and, asc, eq, gt, inArray, sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Queryable } from '../db/connect.ts';
import { idList } from '../db/sql-parts.ts';
import { records } from '../db/schema.ts';
import { sheetItems } from '../db/sheets-schema.ts';
import { whyRefused } from '../records/refused-edit.ts';
import { settledFields } from '../records/settled-fields.ts';
import { fullPathsOf } from '../records/sound-rows.ts';
import { copyIsSeen } from '../rights/seen.ts';
import type { Sight } from '../rights/rights.ts';
import { isUndone } from './undone-runs.ts';

/** With “theirs” the sheet wins where both houses changed a field; otherwise that stays open, and the record as it is. */
const RULES: Record<SheetWinner, readonly SettlingRule[]> = { ours: [], theirs: [{ field: 'any', wins: 'file' }] };

type ItemRow = typeof sheetItems.$inferSelect;

/** A line of a sheet with what the record here would become. */
export interface ComparedItem {
  row: ItemRow;
  record: SoundRecord;
  settlement: Settlement;
  fields: ReturnType<typeof threeWays>;
}

/** The lines among `rows` that were found here, each compared with its record and with what both houses last agreed on. */
export async function comparedItems(
  db: Queryable,
  houseId: string,
  rows: readonly ItemRow[],
  wins: SheetWinner,
): Promise<ComparedItem[]> {
  const ids = rows.flatMap(({ soundId }) => soundId ?? []);
  if (ids.length === 0) return [];
  const known = await db.select().from(records).where(inArray(records.soundId, ids));
  const recordOf = new Map(
    known.map((row) => [
      row.soundId,
      Object.fromEntries(FIELD_NAMES.map((name) => [name, row[name]])) as unknown as SoundRecord,
    ]),
  );
  const agreedOf = await lastAgreed(db, houseId, ids);
  const histories = await bothHistories(
    db,
    rows.filter(({ soundId }) => !('sheet' in (agreedOf.get(soundId ?? 0) ?? {}))),
  );
  return rows.flatMap((row) => {
    const record = recordOf.get(row.soundId ?? 0);
    if (!record) return [];
    const agreed = agreedOf.get(row.soundId ?? 0) ?? {};
    const { ours = [], theirs = [] } = histories.get(row.line) ?? {};
    const base =
      'sheet' in agreed
        ? { ...emptyRecord(), ...agreed.sheet }
        : { ...record, ...agreed.first, ...agreedByHistories(record, row.entry.record, ours, theirs) };
    // Each side says when it was changed in no way that both clocks agree on.
    const fields = threeWays(record, row.entry.record, base);
    const timed = fields.map((each) => ({ ...each, recordChangedMs: undefined, fileChangedMs: undefined }));
    return [{ row, record, fields, settlement: settle(timed, RULES[wins]) }];
  });
}

type Agreed = { sheet: Partial<SoundRecord> } | { first?: Partial<SoundRecord> };

/** What both houses last agreed on, as it is known here: what the last sheet said that was applied and stands, else what the record said when its file was first read. */
async function lastAgreed(db: Queryable, houseId: string, soundIds: readonly number[]): Promise<Map<number, Agreed>> {
  const { rows } = await db.execute<{
    sound_id: number;
    sheet: Partial<SoundRecord> | null;
    first: Partial<SoundRecord> | null;
  }>(sql`
    select i.id as sound_id, b.record as sheet, (
      select jsonb_object_agg(k.field, k.value) from (
        select distinct on (e.key) e.key as field, e.value from record_revisions v cross join lateral jsonb_each(v.before) e
        where v.sound_id = i.id and v.revision > 1 order by e.key, v.revision) k) as first
    from unnest(${idList(soundIds)}) i(id)
    left join sheet_bases b on b.sound_id = i.id and b.house_id = ${houseId}::uuid and not ${isUndone(sql`b.run_id`)}`);
  return new Map(rows.map(({ sound_id: id, sheet, first }) => [id, sheet ? { sheet } : { first: first ?? {} }]));
}

/** The histories of records here and in the house of a sheet that brings them, by the lines of the sheet, each from the newest change to the oldest. */
async function bothHistories(
  db: Queryable,
  rows: readonly ItemRow[],
): Promise<Map<number, { ours: RecordChange[]; theirs: RecordChange[] }>> {
  const [first] = rows;
  if (!first) return new Map();
  const lines = idList(rows.map(({ line }) => line));
  const { rows: found } = await db.execute<{ line: number; ours: RecordChange[] | null; theirs: RecordChange[] }>(sql`
    select i.line, (select jsonb_agg(jsonb_build_object('before', v.before, 'after', v.after) order by v.revision desc) from record_revisions v
        where v.sound_id = i.sound_id) as ours,
      jsonb_agg(jsonb_build_object('before', p.said -> 'before', 'after', p.said -> 'after') order by (p.said ->> 'revision')::int desc) as theirs
    from sheet_items i join sheet_part_lines p on p.sheet_id = i.sheet_id and p.of_line = i.line and p.file = 'histories'
    where i.sheet_id = ${first.sheetId}::uuid and i.line = any(${lines}) group by i.line, i.sound_id`);
  return new Map(found.map(({ line, ours, theirs }) => [line, { ours: ours ?? [], theirs }]));
}

/** Why a record cannot take what a sheet says; null when it can. */
export const problemOf = (app: AppContext, { record, settlement }: ComparedItem): string | null =>
  whyRefused(app, record, settlement.set);

/** Which lines of a sheet are shown. */
export type ItemsShown = 'all' | 'matched' | 'several' | 'none';

const SHOWN: Record<ItemsShown, ReturnType<typeof sql>> = {
  all: sql`true`,
  matched: sql`${sheetItems.soundId} is not null`,
  several: sql`${sheetItems.candidates} > 1`,
  none: sql`${sheetItems.match} = 'none'`,
};

/** One page of the lines of a sheet after one of them. */
export function itemRows(
  db: Queryable,
  sheetId: string,
  after: number,
  limit: number,
  show: ItemsShown = 'all',
): Promise<ItemRow[]> {
  return db
    .select()
    .from(sheetItems)
    .where(and(eq(sheetItems.sheetId, sheetId), gt(sheetItems.line, after), SHOWN[show]))
    .orderBy(asc(sheetItems.line))
    .limit(limit);
}

/** Lines as they are shown: what was found, what the record would become, what the file would be called. */
export async function shownItems(
  app: AppContext,
  { manifest, counts }: Pick<Sheet, 'manifest' | 'counts'>,
  rows: readonly ItemRow[],
  wins: SheetWinner,
  sight: Sight,
): Promise<SheetItem[]> {
  const houseId = manifest.house.id;
  const comparedOf = new Map((await comparedItems(app.db, houseId, rows, wins)).map((each) => [each.row.line, each]));
  const copyOf = await firstCopies(
    app.db,
    rows.flatMap(({ soundId }) => soundId ?? []),
    sight,
  );
  const paths = await fullPathsOf(
    app.db,
    [...copyOf.values()].map(({ id }) => id),
  );
  return rows.map((row) => {
    const compared = comparedOf.get(row.line);
    const copy = copyOf.get(row.soundId ?? 0);
    return {
      line: row.line,
      theirName: row.entry.names.now[0] ?? '',
      match: row.match ?? 'none',
      certain: row.certain,
      candidates: row.candidates,
      soundId: row.soundId,
      copyId: copy?.id ?? null,
      path: copy ? (paths.get(copy.id) ?? null) : null,
      fields: compared ? settledFields(compared.fields, compared.settlement) : [],
      newName: copy ? newNameOf(row.entry, copy.name) : null,
      problem: compared ? problemOf(app, compared) : null,
      // Of a sheet that was undone nothing is applied, until it is applied anew.
      applied: row.appliedAt !== null && counts.applied > 0,
    };
  });
}

/** Fields that a line changes, in the order of the record. */
export const changedFields = ({ fields }: SheetItem): FieldName[] =>
  fields.filter(({ outcome }) => outcome === 'taken').map(({ field }) => field);

interface FirstCopy {
  id: number;
  name: string;
}

/** The first copy of each sound that is there, among those that somebody sees. */
export async function firstCopies(
  db: Queryable,
  soundIds: readonly number[],
  sight: Sight,
): Promise<Map<number, FirstCopy>> {
  if (soundIds.length === 0) return new Map();
  const { rows } = await db.execute<FirstCopy & { sound_id: number } & Record<string, unknown>>(sql`
    select distinct on (c.sound_id) c.sound_id, c.id, c.name from copies c
    where c.sound_id = any(${idList(soundIds)}) and not c.gone and ${copyIsSeen(sight)} order by c.sound_id, c.id`);
  return new Map(rows.map(({ sound_id: soundId, id, name }) => [soundId, { id, name }]));
}

/** What a file is to be called after a sheet, with the extension that it has here; null where it has that name, or the sheet has none that could be given. */
export function newNameOf(entry: SheetEntry, name: string): string | null {
  const given = legalName(entry.names.now[0] ?? '', name);
  return given === undefined || given === name ? null : given;
}
