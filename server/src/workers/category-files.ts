import path from 'node:path';
import { AppError } from '@flagstone/core/errors';
import { categoriesFromRows, type Category } from '@flagstone/core/ucs/category-list';
import { CsvError, parse } from 'csv-parse/sync';
import ExcelJS from 'exceljs';

/**
 * Only in a process of its own (table-reader.ts): the categories in a file, by its extension: a sheet (.xlsx) or separated text (.csv, .tsv, .txt). Throws LIST_INVALID, saying what is wrong
 * and in which row.
 */
export async function parseCategories(fileName: string, bytes: Uint8Array): Promise<Category[]> {
  const extension = path.extname(fileName).toLowerCase();
  if (extension === '.xlsx') return categoriesFromRows(await rowsOfSheet(bytes));
  if (['.csv', '.tsv', '.txt'].includes(extension)) return categoriesFromRows(rowsOfText(bytes));
  throw new AppError('LIST_INVALID', `“${fileName}” is no CSV, TSV or XLSX file.`);
}

async function rowsOfSheet(bytes: Uint8Array): Promise<string[][]> {
  const workbook = new ExcelJS.Workbook();
  // Its types ask for an older Buffer than Node.js has.
  await workbook.xlsx.load(Buffer.from(bytes) as unknown as ExcelJS.Buffer).catch((cause: unknown) => {
    throw new AppError('LIST_INVALID', 'The XLSX file cannot be read.', { cause });
  });
  const sheets = workbook.worksheets.map((sheet) => {
    const rows: string[][] = [];
    sheet.eachRow({ includeEmpty: true }, (row) => {
      const cells: string[] = [];
      row.eachCell({ includeEmpty: true }, (cell) => void cells.push(cell.text));
      rows.push(cells);
    });
    return rows;
  });
  const hasHeader = (rows: string[][]): boolean =>
    rows.some((row) => row.some((cell) => cell.toLowerCase().replace(/[^a-z]/g, '') === 'catid'));
  return sheets.find(hasHeader) ?? sheets[0] ?? [];
}

function rowsOfText(bytes: Uint8Array): string[][] {
  const text = textOf(bytes).replace(/^\ufeff/, '');
  try {
    // Rows that are shorter than the heading, and quotes within a cell, are what people have.
    return parse(text, { delimiter: delimiterOf(text), relax_column_count: true, relax_quotes: true });
  } catch (error) {
    if (error instanceof CsvError)
      throw new AppError('LIST_INVALID', `The list cannot be read: ${error.message}.`, { cause: error });
    throw error;
  }
}

/** Above the heading may stand titles and notes. */
const HEADING_WITHIN_LINES = 50;

/** What stands between the cells of a list: of the usual signs the one that its heading, which names the CatID, has most of. */
export function delimiterOf(text: string): string {
  const lines = text.split(/\r\n|\r|\n/, HEADING_WITHIN_LINES);
  const heading = lines.find((line) => /cat.?id/i.test(line)) ?? lines[0] ?? '';
  const outsideQuotes = heading.replace(/"(?:[^"]|"")*"/g, '');
  const times = (sign: string): number => outsideQuotes.split(sign).length - 1;
  return [',', ';', '\t', '|'].reduce((best, sign) => (times(sign) > times(best) ? sign : best));
}

/** UTF-8, else what spreadsheets on Windows write. */
function textOf(bytes: Uint8Array): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    // Not valid UTF-8: every byte is a character of the other encoding.
    return new TextDecoder('windows-1252').decode(bytes);
  }
}
