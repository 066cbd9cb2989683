/**
 * The record of a sound: its descriptive metadata. This table is the one place that lists the fields; the database columns, the
 * API, the card and the readers and writers of formats follow it. To add a field, see docs/architecture.md.
 */
export interface SoundRecord {
  fxName: string;
  description: string;
  keywords: string[];
  notes: string;
  category: string;
  subCategory: string;
  catId: string;
  userCategory: string;
  vendorCategory: string;
  userData: string;
  library: string;
  sourceId: string;
  creator: string;
  creatorId: string;
  publisher: string;
  copyright: string;
  licence: string;
  licenceUrl: string;
  /** ISO 8601 date, or date and time, of the recording. */
  recordedOn: string;
  location: string;
  microphone: string;
  project: string;
  /** single, series, bed or loop; empty when unknown. */
  form: string;
  /** 1 (light) to 5 (heavy); null when unknown. */
  weight: number | null;
  /** 1 (calm) to 5 (busy); null when unknown. */
  activity: number | null;
  rating: number | null;
  /** Beats per minute. */
  tempo: number | null;
  key: string;
  composer: string;
  /** Marked parts, `FROM TO NAME` a line, in frames (audio/marks.ts). */
  slices: string;
  /** Frames that have to meet the picture, `AT NAME` a line. */
  syncPoints: string;
}

export type FieldName = keyof SoundRecord;
export type FieldKind = 'text' | 'longText' | 'list' | 'integer' | 'number' | 'choice' | 'category' | 'marks';

export interface FieldDefinition {
  name: FieldName;
  label: string;
  kind: FieldKind;
  group: 'Name' | 'Description' | 'Origin' | 'Rights' | 'Sound' | 'Music' | 'Marks';
  choices?: readonly string[];
  range?: readonly [number, number];
}

export const FORMS = ['single', 'series', 'bed', 'loop'] as const;

export const FIELDS: readonly FieldDefinition[] = [
  { name: 'catId', label: 'CatID', kind: 'category', group: 'Name' },
  { name: 'category', label: 'Category', kind: 'category', group: 'Name' },
  { name: 'subCategory', label: 'SubCategory', kind: 'category', group: 'Name' },
  { name: 'userCategory', label: 'UserCategory', kind: 'text', group: 'Name' },
  { name: 'vendorCategory', label: 'VendorCategory', kind: 'text', group: 'Name' },
  { name: 'fxName', label: 'FXName', kind: 'text', group: 'Name' },
  { name: 'creatorId', label: 'CreatorID', kind: 'text', group: 'Name' },
  { name: 'sourceId', label: 'SourceID', kind: 'text', group: 'Name' },
  { name: 'userData', label: 'UserData', kind: 'text', group: 'Name' },
  { name: 'description', label: 'Description', kind: 'longText', group: 'Description' },
  { name: 'keywords', label: 'Keywords', kind: 'list', group: 'Description' },
  { name: 'notes', label: 'Notes', kind: 'longText', group: 'Description' },
  { name: 'library', label: 'Library', kind: 'text', group: 'Origin' },
  { name: 'creator', label: 'Creator', kind: 'text', group: 'Origin' },
  { name: 'publisher', label: 'Publisher', kind: 'text', group: 'Origin' },
  { name: 'project', label: 'Project', kind: 'text', group: 'Origin' },
  { name: 'recordedOn', label: 'Recorded on', kind: 'text', group: 'Origin' },
  { name: 'location', label: 'Location', kind: 'text', group: 'Origin' },
  { name: 'microphone', label: 'Microphone', kind: 'text', group: 'Origin' },
  { name: 'copyright', label: 'Copyright', kind: 'text', group: 'Rights' },
  { name: 'licence', label: 'Licence', kind: 'text', group: 'Rights' },
  { name: 'licenceUrl', label: 'Licence address', kind: 'text', group: 'Rights' },
  { name: 'form', label: 'Form', kind: 'choice', group: 'Sound', choices: FORMS },
  { name: 'weight', label: 'Weight', kind: 'integer', group: 'Sound', range: [1, 5] },
  { name: 'activity', label: 'Activity', kind: 'integer', group: 'Sound', range: [1, 5] },
  { name: 'rating', label: 'Rating', kind: 'integer', group: 'Sound', range: [1, 5] },
  { name: 'tempo', label: 'Tempo (BPM)', kind: 'number', group: 'Music', range: [1, 999] },
  { name: 'key', label: 'Key', kind: 'text', group: 'Music' },
  { name: 'composer', label: 'Composer', kind: 'text', group: 'Music' },
  { name: 'slices', label: 'Slices', kind: 'marks', group: 'Marks' },
  { name: 'syncPoints', label: 'Sync points', kind: 'marks', group: 'Marks' },
];

export const FIELD_NAMES: readonly FieldName[] = FIELDS.map((field) => field.name);

/** What a field is called on screens. */
export function fieldLabel(name: FieldName): string {
  return FIELDS.find((field) => field.name === name)?.label ?? name;
}

/** A record in which nothing is known. */
export function emptyRecord(): SoundRecord {
  return {
    fxName: '',
    description: '',
    keywords: [],
    notes: '',
    category: '',
    subCategory: '',
    catId: '',
    userCategory: '',
    vendorCategory: '',
    userData: '',
    library: '',
    sourceId: '',
    creator: '',
    creatorId: '',
    publisher: '',
    copyright: '',
    licence: '',
    licenceUrl: '',
    recordedOn: '',
    location: '',
    microphone: '',
    project: '',
    form: '',
    weight: null,
    activity: null,
    rating: null,
    tempo: null,
    key: '',
    composer: '',
    slices: '',
    syncPoints: '',
  };
}

/** Whether a field holds nothing. */
export function isEmptyValue(value: SoundRecord[FieldName] | undefined): boolean {
  return value === undefined || value === null || value === '' || (Array.isArray(value) && value.length === 0);
}

/** Whether two values of a field are the same, lists item by item. */
export function sameValue(a: SoundRecord[FieldName] | undefined, b: SoundRecord[FieldName] | undefined): boolean {
  if (isEmptyValue(a) && isEmptyValue(b)) return true;
  if (Array.isArray(a) && Array.isArray(b)) return a.length === b.length && a.every((item, index) => item === b[index]);
  return a === b;
}

/** The fields in which two records differ. */
export function differingFields(a: Partial<SoundRecord>, b: Partial<SoundRecord>): FieldName[] {
  return FIELD_NAMES.filter((name) => !sameValue(a[name], b[name]));
}

/** A record reduced to the fields that hold something. */
export function filledFields(record: Partial<SoundRecord>): Partial<SoundRecord> {
  return Object.fromEntries(
    FIELD_NAMES.filter((name) => !isEmptyValue(record[name])).map((name) => [name, record[name]]),
  );
}
