import { FIELD_NAMES } from '@flagstone/core/record/fields';
import { z } from 'zod';
import { selectionSchema } from './selection.ts';

/** Tables, which can be brought back. */
export const TABLE_FORMATS = ['csv', 'tsv', 'xlsx', 'jsonl'] as const;
export type TableFormat = (typeof TABLE_FORMATS)[number];
/** Tables, and lists that players open. */
export const EXPORT_FORMATS = [...TABLE_FORMATS, 'm3u8', 'xspf'] as const;
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

export const exportSchema = z.strictObject({
  selection: selectionSchema,
  format: z.enum(EXPORT_FORMATS),
  columns: z.array(z.enum(EXPORT_COLUMNS)).min(1).max(EXPORT_COLUMNS.length),
});
export type ExportRequest = z.infer<typeof exportSchema>;
