import type { TableFormat } from '@flagstone/contract/exports';
import { AppError } from '@flagstone/core/errors';
import { CsvError, parse } from 'csv-parse/sync';
import ExcelJS from 'exceljs';
import { z } from 'zod';
import { unescapeFormula } from '@flagstone/core/text/spreadsheet-text';

/** A table that was read: the names of its columns and its rows, each with the line or row of the file where it stands. */
export interface Table {
  columns: string[];
  rows: { line: number; cells: Map<string, string> }[];
}

/** So many cells a table may have: a million rows of some columns. */
export const MOST_CELLS = 5_000_000;

/** Reads a table of one of the formats that are exported. Throws TABLE_INVALID, saying where. Only in a process of its own (table-reader.ts). */
export async function parseTable(bytes: Buffer, format: TableFormat): Promise<Table> {
  if (format === 'xlsx') return readSheets(bytes);
  if (format === 'jsonl') return readJsonLines(bytes.toString('utf8'));
  return readDelimited(bytes, format === 'tsv' ? '\t' : ',');
}

function readDelimited(bytes: Buffer, delimiter: string): Table {
  try {
    // With `info` each record comes with its place, which the package's types leave out.
    const records = parse(bytes, {
      bom: true,
      delimiter,
      info: true,
      skip_empty_lines: true,
      relax_column_count: true,
    }) as unknown as { record: string[]; info: { lines: number } }[];
    const [head, ...rows] = records;
    const columns = head?.record.map((name) => name.trim()) ?? [];
    return {
      columns,
      rows: rows.map(({ record, info }) => ({
        line: info.lines,
        cells: cellsOf(columns, record.map(unescapeFormula)),
      })),
    };
  } catch (error) {
    if (error instanceof CsvError)
      throw new AppError('TABLE_INVALID', `The table cannot be read: ${error.message}.`, { cause: error });
    throw error;
  }
}

function cellsOf(columns: readonly string[], values: readonly string[]): Map<string, string> {
  return new Map(columns.flatMap((name, at) => (values[at] === undefined ? [] : [[name, values[at]]])));
}

async function readSheets(bytes: Buffer): Promise<Table> {
  const book = new ExcelJS.Workbook();
  try {
    await book.xlsx.load(bytes as unknown as ArrayBuffer);
  } catch (cause) {
    throw new AppError('TABLE_INVALID', 'The file is no XLSX workbook, or a damaged one.', { cause });
  }
  const table: Table = { columns: [], rows: [] };
  let cells = 0;
  for (const sheet of book.worksheets) {
    const columns: string[] = [];
    sheet.eachRow((row, line) => {
      cells += row.cellCount;
      if (cells > MOST_CELLS) throw new AppError('TABLE_INVALID', `The table has more than ${MOST_CELLS} cells.`);
      const values = Array.from({ length: row.cellCount }, (_, at) => row.getCell(at + 1).text);
      if (columns.length === 0) columns.push(...values.map((name) => name.trim()));
      else table.rows.push({ line, cells: cellsOf(columns, values) });
    });
    table.columns.push(...columns.filter((name) => !table.columns.includes(name)));
  }
  return table;
}

const lineSchema = z.record(z.string(), z.union([z.string(), z.number(), z.null(), z.array(z.string())]));

function readJsonLines(text: string): Table {
  const rows: Table['rows'] = [];
  const columns = new Set<string>();
  for (const [index, line] of text
    .replace(/^\ufeff/, '')
    .split('\n')
    .entries()) {
    if (line.trim() === '') continue;
    let read: z.infer<typeof lineSchema>;
    try {
      read = lineSchema.parse(JSON.parse(line));
    } catch (cause) {
      throw new AppError('TABLE_INVALID', `Line ${index + 1} is no JSON object of texts, numbers and lists of texts.`, {
        cause,
      });
    }
    for (const name of Object.keys(read)) columns.add(name);
    const cells = Object.entries(read).map(
      ([name, value]) => [name, Array.isArray(value) ? value.join(', ') : String(value ?? '')] as const,
    );
    rows.push({ line: index + 1, cells: new Map(cells) });
  }
  return { columns: [...columns], rows };
}
