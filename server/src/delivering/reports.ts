import { columnLabel, MOST_REPORT_COLUMNS, MOST_REPORTED, type ExportColumn } from '@flagstone/contract/exports';
import { AppError } from '@flagstone/core/errors';
import { FIELDS } from '@flagstone/core/record/fields';
import { tryOutInWords } from '@flagstone/core/audio/try-out/try-out';
import type { AppContext } from '../app-context.ts';
import type { Sight } from '../rights/rights.ts';
import { entriesOf, pullList } from './pull-lists.ts';
import type { Report } from '../workers/report-worker.ts';

/** Facts that are texts; the others are numbers and short words. */
const WIDE: readonly ExportColumn[] = ['audioDigest', 'path', 'name', 'drive'];

/** The records of a selection as a report, a PDF file. Throws REPORT_TOO_LONG for more rows or columns than pages can sensibly hold. */
export async function recordsReport(
  app: AppContext,
  title: string,
  columns: readonly ExportColumn[],
  rows: AsyncIterable<(string | number | null)[]>,
): Promise<Uint8Array> {
  if (columns.length > MOST_REPORT_COLUMNS)
    throw new AppError('REPORT_TOO_LONG', `A page has room for ${MOST_REPORT_COLUMNS} columns, not ${columns.length}.`);
  const texts: string[][] = [];
  for await (const row of rows) {
    if (texts.length === MOST_REPORTED)
      throw new AppError('REPORT_TOO_LONG', `A report holds ${MOST_REPORTED.toLocaleString('en')} sounds at most.`);
    texts.push(row.map(inWords));
  }
  return app.workers.makeReport({
    title: title || 'Sounds',
    about: countInWords(texts.length),
    columns: columns.map((column) => ({ label: columnLabel(column), width: widthOf(column) })),
    rows: texts,
    made: today(),
  });
}

/** A pull list to be printed: each sound with its part, comment, and where its first copy lies. Throws NOT_FOUND. */
export async function pullListReport(
  app: AppContext,
  listId: number,
  sight: Sight,
): Promise<{ name: string; pdf: Uint8Array }> {
  const list = await pullList(app, listId);
  const entries = await entriesOf(app, listId, sight);
  const seconds = entries.map(({ row, part }) =>
    part ? (part.to - part.from) / row.facts.sampleRateHz : row.facts.durationSeconds,
  );
  const total = seconds.reduce((sum, each) => sum + each, 0);
  const report: Report = {
    title: list.name,
    about: [
      ...(list.show === '' ? [] : [`Show: ${list.show}`]),
      ...(list.scene === '' ? [] : [`Scene: ${list.scene}`]),
      countInWords(entries.length),
      `${clock(total)} in all`,
    ].join('  ·  '),
    columns: [
      { label: 'No.', width: 'narrow' },
      { label: 'Sound', width: 'wide' },
      { label: 'Part', width: 'narrow' },
      { label: 'Length', width: 'narrow' },
      { label: 'Channels', width: 'narrow' },
      { label: 'Comment', width: 'wide' },
      { label: 'Where', width: 'wide' },
    ],
    rows: entries.map(({ row, part, tryOut, comment }, index) => [
      String(index + 1),
      row.record.fxName === '' ? row.name : `${row.record.fxName} (${row.name})`,
      part ? `from ${clock(part.from / row.facts.sampleRateHz)}` : 'whole',
      clock(seconds[index] ?? 0),
      String(row.facts.channels),
      [comment, ...(tryOut ? [`Tried out: ${tryOutInWords(tryOut) || 'as it is'}`] : [])]
        .filter((text) => text !== '')
        .join(' — '),
      [row.driveName, row.folder].filter((text) => text !== '').join('/'),
    ]),
    made: today(),
  };
  return { name: list.name, pdf: await app.workers.makeReport(report) };
}

function widthOf(column: ExportColumn): 'narrow' | 'wide' {
  const field = FIELDS.find(({ name }) => name === column);
  if (!field) return WIDE.includes(column) ? 'wide' : 'narrow';
  return ['integer', 'number', 'choice'].includes(field.kind) ? 'narrow' : 'wide';
}

function inWords(value: string | number | null): string {
  if (value === null) return '';
  return typeof value === 'number' ? String(Math.round(value * 100) / 100) : value;
}

function countInWords(count: number): string {
  return count === 1 ? '1 sound' : `${count.toLocaleString('en')} sounds`;
}

/** Minutes, seconds and tenths. */
function clock(seconds: number): string {
  const tenths = Math.round(seconds * 10);
  return `${Math.floor(tenths / 600)}:${String(Math.floor(tenths / 10) % 60).padStart(2, '0')}.${tenths % 10}`;
}

function today(): string {
  return new Date().toISOString().slice(0, 10);
}
