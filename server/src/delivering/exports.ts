import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Writable } from 'node:stream';
import type { ExportColumn, ExportFormat, ExportRequest } from '@flagstone/contract/exports';
import type { SoundRow } from '@flagstone/contract/record';
import { FIELD_NAMES, type FieldName } from '@flagstone/core/record/fields';
import { stringify } from 'csv-stringify';
import { sql } from 'drizzle-orm';
import type { Worksheet } from 'exceljs';
import type { AppContext } from '../app-context.ts';
import type { SeenSelection } from '../rights/seen.ts';
import { idList } from '../db/sql-parts.ts';
import { recordsReport } from './reports.ts';
import { playlist, type PlaylistEntry } from './playlists.ts';
import { escapeFormula } from '@flagstone/core/text/spreadsheet-text';
import { rowsInListOrder } from '../finding/list-rows.ts';
import { fullPathsOf, selectedRows } from '../records/sound-rows.ts';

export const EXPORT_TYPES: Record<ExportFormat, string> = {
  csv: 'text/csv; charset=utf-8',
  tsv: 'text/tab-separated-values; charset=utf-8',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  jsonl: 'application/x-ndjson; charset=utf-8',
  pdf: 'application/pdf',
  m3u8: 'application/vnd.apple.mpegurl; charset=utf-8',
  xspf: 'application/xspf+xml; charset=utf-8',
};

type Cell = string | number | null;
/** Between the values of a list, in a cell. */
const BETWEEN = ', ';
/** Most rows that a sheet can hold, with its heading (ECMA-376, as spreadsheets limit it). */
const MOST_SHEET_ROWS = 1_048_575;

/**
 * Writes the records of a selection as a table, page by page, so that a million of them need no more memory than a thousand. CSV and TSV are RFC 4180 in UTF-8 with a
 * byte order mark, which spreadsheets need, and texts that a spreadsheet would run are marked; the first row names the columns. JSON Lines keep numbers and lists as they are. Throws REPORT_TOO_LONG.
 */
export async function writeExport(
  app: AppContext,
  { selection, format, columns, title, order }: ExportRequest & { selection: SeenSelection },
  out: Writable,
): Promise<void> {
  const pages = order ? rowsInListOrder(app, selection, order) : selectedRows(app.db, selection);
  if (format === 'm3u8' || format === 'xspf')
    return pipeline(Readable.from(playlist(titledPaths(app, pages), format)), out);
  const rows = exportRows(app, pages, columns);
  if (format === 'xlsx') return writeSheets(rows, columns, out);
  if (format === 'jsonl') {
    const lines = async function* (): AsyncGenerator<string> {
      for await (const row of rows)
        yield `${JSON.stringify(Object.fromEntries(columns.map((column, at) => [column, row[at] ?? null])))}\n`;
    };
    return pipeline(Readable.from(lines()), out);
  }
  const cells = async function* (): AsyncGenerator<Cell[]> {
    for await (const row of rows) yield row.map(asCell);
  };
  if (format === 'pdf') {
    const report = await recordsReport(app, title, columns, cells());
    return pipeline(Readable.from([report]), out);
  }
  const table = stringify({
    header: true,
    columns: [...columns],
    bom: true,
    delimiter: format === 'tsv' ? '\t' : ',',
    record_delimiter: '\r\n',
  });
  const safe = async function* (): AsyncGenerator<Cell[]> {
    for await (const row of cells()) yield row.map((cell) => (typeof cell === 'string' ? escapeFormula(cell) : cell));
  };
  return pipeline(Readable.from(safe()), table, out);
}

async function* titledPaths(app: AppContext, pages: AsyncIterable<SoundRow[]>): AsyncGenerator<PlaylistEntry> {
  for await (const page of pages) {
    const paths = await fullPathsOf(
      app.db,
      page.map(({ copyId }) => copyId),
    );
    for (const { copyId, name, record, facts } of page)
      yield { path: paths.get(copyId) ?? '', title: record.fxName || name, seconds: facts.durationSeconds };
  }
}

/** A value in one cell; lists are joined. */
function asCell(value: Cell | string[]): Cell {
  return Array.isArray(value) ? value.join(BETWEEN) : value;
}

/** As many sheets as are needed. */
async function writeSheets(
  rows: AsyncIterable<(Cell | string[])[]>,
  columns: readonly ExportColumn[],
  out: Writable,
): Promise<void> {
  // Loaded when it is needed: hundreds of modules that no start should wait for.
  const { default: ExcelJS } = await import('exceljs');
  const book = new ExcelJS.stream.xlsx.WorkbookWriter({ stream: out, useStyles: false });
  let sheet: Worksheet | undefined;
  let [left, sheets] = [0, 0];
  for await (const row of rows) {
    if (left === 0) {
      sheet?.commit();
      sheets += 1;
      sheet = book.addWorksheet(`Sounds ${sheets}`);
      sheet.addRow([...columns]).commit();
      left = MOST_SHEET_ROWS;
    }
    sheet?.addRow(row.map(asCell)).commit();
    left -= 1;
  }
  if (!sheet) {
    sheet = book.addWorksheet('Sounds 1');
    sheet.addRow([...columns]).commit();
  }
  sheet.commit();
  await book.commit();
}

async function* exportRows(
  app: AppContext,
  pages: AsyncIterable<SoundRow[]>,
  columns: readonly ExportColumn[],
): AsyncGenerator<(Cell | string[])[]> {
  for await (const page of pages) {
    const digests = columns.includes('audioDigest') ? await digestsOf(app, page) : new Map<number, string>();
    for (const row of page) yield columns.map((column) => valueOf(row, column, digests));
  }
}

/** The audio digests of sounds; those that were only sampled until now have none. */
async function digestsOf(app: AppContext, rows: readonly SoundRow[]): Promise<Map<number, string>> {
  const { rows: found } = await app.db.execute<{ id: number; digest: string }>(sql`
    select id, full_digest as digest from sounds where full_digest is not null and id = any(${idList(rows.map(({ soundId }) => soundId))})`);
  return new Map(found.map(({ id, digest }) => [id, digest]));
}

function valueOf(row: SoundRow, column: ExportColumn, digests: ReadonlyMap<number, string>): Cell | string[] {
  if ((FIELD_NAMES as readonly string[]).includes(column)) return row.record[column as FieldName];
  const facts: Record<Exclude<ExportColumn, FieldName>, Cell> = {
    audioDigest: digests.get(row.soundId) ?? '',
    path: row.folder === '' ? row.name : `${row.folder}/${row.name}`,
    name: row.name,
    drive: row.driveName,
    container: row.facts.container,
    durationSeconds: row.facts.durationSeconds,
    sampleRateHz: row.facts.sampleRateHz,
    bitDepth: row.facts.bitDepth,
    channels: row.facts.channels,
    channelLayout: row.measured?.channelLayout ?? '',
    loudnessLufs: row.measured?.loudnessLufs ?? null,
    truePeakDbtp: row.measured?.truePeakDbtp ?? null,
    sizeBytes: row.sizeBytes,
    state: row.state,
    uses: row.uses,
  };
  return facts[column as Exclude<ExportColumn, FieldName>];
}
