import { fieldLabel, FIELD_NAMES, type FieldName } from '@flagstone/core/record/fields';
import { z } from 'zod';
import { as, rawEndpoint } from './endpoint.ts';
import { listOrderSchema, selectionSchema } from './selection.ts';

/** Tables, which can be brought back. */
export const TABLE_FORMATS = ['csv', 'tsv', 'xlsx', 'jsonl'] as const;
export type TableFormat = (typeof TABLE_FORMATS)[number];
/** Tables, a report to print, and lists that players open. */
export const EXPORT_FORMATS = [...TABLE_FORMATS, 'pdf', 'm3u8', 'xspf'] as const;
export type ExportFormat = (typeof EXPORT_FORMATS)[number];

/** What can stand in an export beside the fields of the record: by the first three the rows are found again when they are brought back. */
export const EXPORT_FACTS = [
  'audioDigest',
  'path',
  'name',
  'drive',
  'container',
  'durationSeconds',
  'sampleRateHz',
  'bitDepth',
  'channels',
  'channelLayout',
  'loudnessLufs',
  'truePeakDbtp',
  'sizeBytes',
  'state',
  'uses',
] as const;
export const EXPORT_COLUMNS = [...EXPORT_FACTS, ...FIELD_NAMES] as const;
export type ExportColumn = (typeof EXPORT_COLUMNS)[number];

const FACT_LABELS: Record<(typeof EXPORT_FACTS)[number], string> = {
  audioDigest: 'Audio digest',
  path: 'Path',
  name: 'File name',
  drive: 'Drive',
  container: 'Container',
  durationSeconds: 'Length (s)',
  sampleRateHz: 'Sample rate (Hz)',
  bitDepth: 'Bit depth',
  channels: 'Channels',
  channelLayout: 'Layout',
  loudnessLufs: 'Loudness (LUFS)',
  truePeakDbtp: 'True peak (dBTP)',
  sizeBytes: 'Size (bytes)',
  state: 'State',
  uses: 'Times used',
};

/** A column in words, with its unit. */
export function columnLabel(column: ExportColumn): string {
  return column in FACT_LABELS ? FACT_LABELS[column as (typeof EXPORT_FACTS)[number]] : fieldLabel(column as FieldName);
}

/** What a report holds at most: laying out more takes minutes, and nobody reads a thousand pages. */
export const MOST_REPORTED = 5000;
/** For more columns a page has no room. */
export const MOST_REPORT_COLUMNS = 12;

export const exportSchema = z.strictObject({
  selection: selectionSchema,
  format: z.enum(EXPORT_FORMATS),
  columns: z.array(z.enum(EXPORT_COLUMNS)).min(1).max(EXPORT_COLUMNS.length),
  /** The order of the list that it comes from; rows that were selected one by one come in the order in which they are named. */
  order: listOrderSchema.optional(),
  /** Over a report. */
  title: z.string().max(200).default(''),
});
export type ExportRequest = z.infer<typeof exportSchema>;

/** A form has texts only. */
const asJson = z.string().transform((text, context): unknown => {
  try {
    return JSON.parse(text);
  } catch {
    context.addIssue({ code: 'custom', message: 'is not JSON' });
    return z.NEVER;
  }
});

export const exportsRawEndpoints = {
  /** Records as a table, from a form of the page, so that the browser writes it to disk as it comes. `request` is an exportSchema as JSON. */
  exportTable: rawEndpoint('POST', '/export', {
    needs: as('editor', 'selection'),
    audit: 'takes records out',
    body: { as: 'form', most: '4mb', schema: z.object({ request: asJson.pipe(exportSchema) }) },
  }),
};
