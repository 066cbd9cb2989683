import type { SoundRow } from '@flagstone/contract/record';
import type { SortKey } from '@flagstone/contract/selection';
import type { FieldName } from '@flagstone/core/record/fields';
import { meanRating } from '../ui/mean-rating.ts';
import { missingFields } from './missing-fields.ts';
import { formatChannels, formatKilohertz, formatLength } from '../ui/format.ts';

/** A column of the table of sounds. `field` makes it editable in place. */
export interface Column {
  key: string;
  label: string;
  width: number;
  sort?: SortKey;
  field?: FieldName;
  align?: 'right';
  mono?: boolean;
  text: (row: SoundRow) => string;
}

export const COLUMNS: readonly Column[] = [
  { key: 'name', label: 'Name', width: 220, sort: 'name', mono: true, text: (row) => row.name },
  {
    key: 'catId',
    label: 'CatID',
    width: 92,
    sort: 'catId',
    field: 'catId',
    mono: true,
    text: (row) => row.record.catId,
  },
  { key: 'fxName', label: 'FXName', width: 158, sort: 'fxName', field: 'fxName', text: (row) => row.record.fxName },
  {
    key: 'length',
    label: 'Length',
    width: 64,
    sort: 'length',
    align: 'right',
    mono: true,
    text: (row) => formatLength(row.facts.durationSeconds),
  },
  {
    key: 'channels',
    label: 'Ch.',
    width: 62,
    sort: 'channels',
    text: (row) => formatChannels(row.facts.channels, row.measured?.channelLayout),
  },
  {
    key: 'loudness',
    label: 'LUFS',
    width: 56,
    sort: 'loudness',
    align: 'right',
    mono: true,
    text: (row) => row.measured?.loudnessLufs?.toFixed(1).replace('-', '−') ?? '',
  },
  {
    key: 'rating',
    label: 'Rating',
    width: 92,
    sort: 'rating',
    // The person's own is drawn by the table, which knows who that is.
    text: (row) => {
      const mean = meanRating(row);
      return mean === null ? (row.record.rating === null ? '' : `${row.record.rating}`) : `${mean}`;
    },
  },
  { key: 'state', label: 'State', width: 84, sort: 'state', text: () => '' },
  { key: 'missing', label: 'Missing', width: 130, text: (row) => missingFields(row).join(', ') },
  {
    key: 'folder',
    label: 'Folder',
    width: 220,
    sort: 'folder',
    text: (row) => `${row.driveName} / ${row.folder.replaceAll('/', ' / ')}`,
  },
  {
    key: 'description',
    label: 'Description',
    width: 240,
    sort: 'description',
    field: 'description',
    text: (row) => row.record.description,
  },
  {
    key: 'keywords',
    label: 'Keywords',
    width: 180,
    sort: 'keywords',
    field: 'keywords',
    text: (row) => row.record.keywords.join(', '),
  },
  {
    key: 'creatorId',
    label: 'CreatorID',
    width: 84,
    sort: 'creatorId',
    field: 'creatorId',
    mono: true,
    text: (row) => row.record.creatorId,
  },
  {
    key: 'sourceId',
    label: 'SourceID',
    width: 90,
    sort: 'sourceId',
    field: 'sourceId',
    mono: true,
    text: (row) => row.record.sourceId,
  },
  {
    key: 'library',
    label: 'Library',
    width: 150,
    sort: 'library',
    field: 'library',
    text: (row) => row.record.library,
  },
  {
    key: 'sampleRate',
    label: 'kHz',
    width: 52,
    sort: 'sampleRate',
    align: 'right',
    mono: true,
    text: (row) => formatKilohertz(row.facts.sampleRateHz),
  },
  {
    key: 'bitDepth',
    label: 'Bits',
    width: 46,
    sort: 'bitDepth',
    align: 'right',
    mono: true,
    text: (row) => (row.facts.bitDepth > 0 ? String(row.facts.bitDepth) : '–'),
  },
  {
    key: 'uses',
    label: 'Used',
    width: 56,
    sort: 'uses',
    align: 'right',
    mono: true,
    text: (row) => (row.uses === 0 ? '' : `${row.uses}×`),
  },
  { key: 'tags', label: 'Tags', width: 130, text: (row) => tagsOf(row).join(', ') },
  { key: 'category', label: 'Category', width: 130, sort: 'catId', text: (row) => row.record.category },
  { key: 'subCategory', label: 'SubCategory', width: 130, sort: 'catId', text: (row) => row.record.subCategory },
  { key: 'creator', label: 'Creator', width: 140, field: 'creator', text: (row) => row.record.creator },
  { key: 'publisher', label: 'Publisher', width: 140, field: 'publisher', text: (row) => row.record.publisher },
  { key: 'licence', label: 'Licence', width: 140, field: 'licence', text: (row) => row.record.licence },
  { key: 'form', label: 'Form', width: 70, text: (row) => row.record.form },
  { key: 'microphone', label: 'Microphone', width: 140, field: 'microphone', text: (row) => row.record.microphone },
  { key: 'location', label: 'Location', width: 140, field: 'location', text: (row) => row.record.location },
  { key: 'notes', label: 'Notes', width: 180, field: 'notes', text: (row) => row.record.notes },
];

/** Columns that a layout shows only when somebody chooses them. */
export const HIDDEN_AT_FIRST: readonly string[] = [
  'uses',
  'tags',
  'category',
  'subCategory',
  'creator',
  'publisher',
  'licence',
  'form',
  'microphone',
  'location',
  'notes',
];

/** What anybody tagged it with, each once. */
function tagsOf(row: SoundRow): string[] {
  return [...new Set(row.marks.flatMap(({ tags }) => tags))].sort();
}
