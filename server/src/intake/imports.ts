import { AppError } from '@flagstone/core/errors';
import { applyEdit, type RecordEdit } from '@flagstone/core/record/edit';
import {
  differingFields,
  FIELDS,
  type FieldDefinition,
  type FieldName,
  type SoundRecord,
} from '@flagstone/core/record/fields';
import { EXPORT_FACTS } from '@flagstone/contract/exports';
import type { ImportQuery, ImportResult } from '@flagstone/contract/imports';
import type { SoundRow } from '@flagstone/contract/record';
import { sql } from 'drizzle-orm';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import { editRows } from '../records/edits.ts';
import { rowsInOrder } from '../records/sound-rows.ts';
import type { Table } from '../workers/table-files.ts';
import { readTable } from '../workers/table-reader.ts';

const MOST_EXAMPLES = 300;
/** Rows that are looked for in one statement. */
const CHUNK = 2000;

type TableRow = Table['rows'][number];
/** A row of the table with the sound that it is about and what it changes of its record, or why it cannot. */
type ReadRow = { line: number; name: string } & (
  { row: SoundRow; set: NonNullable<RecordEdit['set']>; after: SoundRecord; fields: FieldName[] } | { problem: string }
);

/**
 * Brings a table back: finds the sound of each row by its digest, path or file name, and tells what differs from the records; with `apply`, changes them in one
 * change, which can be undone. A row that cannot be brought back leaves the others alone. Throws TABLE_INVALID when nothing can be read of it.
 */
export async function bringBack(
  app: AppContext,
  bytes: Buffer,
  query: ImportQuery,
  personId: number,
  sight: Sight,
): Promise<ImportResult> {
  const table = await readTable(bytes, query.format);
  const columns = new Map(table.columns.map((name) => [name, columnOf(name)] as const));
  const fields = [...columns].flatMap(([name, column]) =>
    typeof column === 'object' ? [{ name, field: column }] : [],
  );
  if (![...columns.values()].some((column) => column === 'audioDigest' || column === 'path' || column === 'name'))
    throw new AppError('TABLE_INVALID', 'No column tells which sounds these are: audioDigest, path or name is needed.');
  if (fields.length === 0) throw new AppError('TABLE_INVALID', 'No column has the name of a field.');

  const result: ImportResult = {
    rows: table.rows.length,
    changed: 0,
    unchanged: 0,
    problems: 0,
    fields: fields.map(({ field }) => field.name),
    unknown: [...columns].flatMap(([name, column]) => (column === undefined && name !== '' ? [name] : [])),
    applied: query.apply === 'yes',
    examples: [],
  };
  const edits: { copyId: number; edit: RecordEdit }[] = [];
  const met = new Map<number, number>();
  for (let at = 0; at < table.rows.length; at += CHUNK) {
    for (const read of await readRows(app, table.rows.slice(at, at + CHUNK), columns, fields, query, sight)) {
      const earlier = 'row' in read ? met.get(read.row.soundId) : undefined;
      if ('row' in read && earlier === undefined) met.set(read.row.soundId, read.line);
      const problem =
        'problem' in read ? read.problem : earlier === undefined ? null : `Line ${earlier} is about the same sound`;
      const changes = 'row' in read && problem === null ? changesOf(read.row.record, read.after, read.fields) : [];
      if (problem !== null) result.problems += 1;
      else if (changes.length === 0) result.unchanged += 1;
      else if ('row' in read) {
        result.changed += 1;
        edits.push({ copyId: read.row.copyId, edit: { set: read.set } });
      }
      if ((problem !== null || changes.length > 0) && result.examples.length < MOST_EXAMPLES)
        result.examples.push({ line: read.line, name: read.name, changes, problem });
    }
  }
  if (query.apply === 'yes' && edits.length > 0) await editRows(app, edits, 'Table brought back', personId, sight);
  return result;
}

/** What a heading means: a field, a fact by which rows are known, or nothing. */
function columnOf(name: string): FieldDefinition | (typeof EXPORT_FACTS)[number] | undefined {
  const key = name.trim().toLowerCase();
  return (
    FIELDS.find((field) => field.name.toLowerCase() === key || field.label.toLowerCase() === key) ??
    EXPORT_FACTS.find((fact) => fact.toLowerCase() === key)
  );
}

async function readRows(
  app: AppContext,
  rows: readonly TableRow[],
  columns: ReadonlyMap<string, ReturnType<typeof columnOf>>,
  fields: readonly { name: string; field: FieldDefinition }[],
  query: ImportQuery,
  sight: Sight,
): Promise<ReadRow[]> {
  const cell = (row: TableRow, fact: (typeof EXPORT_FACTS)[number]): string =>
    [...columns].flatMap(([name, column]) => (column === fact ? (row.cells.get(name) ?? '') : []))[0]?.trim() ?? '';
  const asked = rows.map((row, at) => ({
    at,
    digest: cell(row, 'audioDigest'),
    path: cell(row, 'path'),
    drive: cell(row, 'drive'),
    name: cell(row, 'name'),
  }));
  const found = await soundsOfRows(app, asked);
  const known = new Map(
    (await rowsInOrder(app.db, 'sounds', [...new Set([...found.values()].flat())], sight)).map((row) => [
      row.soundId,
      row,
    ]),
  );
  return rows.map((row, at): ReadRow => {
    const { name: fileName = '', path = '' } = asked[at] ?? {};
    const told = { line: row.line, name: fileName || path || (asked[at]?.digest ?? '') };
    const ids = found.get(at) ?? [];
    const sound = known.get(ids[0] ?? 0);
    if (!sound) return { ...told, problem: 'No sound has this digest, path or file name' };
    if (ids.length > 1)
      return {
        ...told,
        problem: `${ids.length} sounds have this; a digest or a path with its drive tells which is meant`,
      };
    try {
      const set = Object.fromEntries(
        fields.flatMap(({ name, field }) => {
          const value = row.cells.get(name);
          if (value === undefined || (value.trim() === '' && query.empty === 'keep')) return [];
          return [[field.name, valueOf(field, value)] as const];
        }),
      ) as NonNullable<RecordEdit['set']>;
      const after = applyEdit(sound.record, { set }, app.categories);
      return { line: row.line, name: sound.name, row: sound, set, after, fields: differingFields(sound.record, after) };
    } catch (error) {
      if (error instanceof AppError) return { line: row.line, name: sound.name, problem: error.message };
      throw error;
    }
  });
}

/**
 * The sounds that each row could be about: by digest where it has one, else by path, else by file name. A sound that is still being measured is known by
 * its path alone.
 */
async function soundsOfRows(
  app: AppContext,
  asked: readonly { at: number; digest: string; path: string; drive: string; name: string }[],
): Promise<Map<number, number[]>> {
  const { rows } = await app.db.execute<{ at: number; ids: number[] }>(sql`
    with asked as (select * from jsonb_to_recordset(${JSON.stringify(asked)}::jsonb) as a(at int, digest text, path text, drive text, name text))
    select a.at, array(
      select s.id from sounds s where a.digest <> '' and s.full_digest = a.digest
      union select c.sound_id from copies c join drives d on d.id = c.drive_id
        join sounds p on p.id = c.sound_id
        where (a.digest = '' or (p.full_digest is null and not exists (select from sounds o where o.full_digest = a.digest))) and a.path <> '' and c.name = regexp_replace(a.path, '^.*/', '') and c.folder = regexp_replace(a.path, '/?[^/]*$', '')
          and (a.drive = '' or d.name = a.drive)
      union select c.sound_id from copies c where a.digest = '' and a.path = '' and a.name <> '' and lower(c.name) = lower(a.name)) as ids
    from asked a`);
  return new Map(rows.map(({ at, ids }) => [at, ids.map(Number)]));
}

/** A cell as a value of a field. Throws FIELD_INVALID where a number is needed. */
function valueOf(field: FieldDefinition, text: string): SoundRecord[FieldName] {
  if (field.kind === 'list')
    return text
      .split(/[,;]/)
      .map((word) => word.trim())
      .filter((word) => word !== '');
  if (field.kind !== 'integer' && field.kind !== 'number') return text;
  if (text.trim() === '') return null;
  const number = Number(text.replace(',', '.'));
  if (!Number.isFinite(number)) throw new AppError('FIELD_INVALID', `${field.label}: “${text}” is no number.`);
  return number;
}

function changesOf(
  before: SoundRecord,
  after: SoundRecord,
  fields: readonly FieldName[],
): ImportResult['examples'][number]['changes'] {
  const asText = (value: SoundRecord[FieldName]): string =>
    Array.isArray(value) ? value.join(', ') : String(value ?? '');
  return fields.map((field) => ({ field, before: asText(before[field]), after: asText(after[field]) }));
}
