import { COPY_STATE_NAMES, searchedState } from '../record/copy-states.ts';
import { FIELD_NAMES, FIELDS, FORMS, type FieldName } from '../record/fields.ts';

/** What a field of the search line takes: words, a number or range of them, one of some values, or a time. */
export type SearchFieldKind = 'text' | 'number' | 'choice' | 'when';

/** A field that the search line knows. */
export interface SearchField {
  name: string;
  kind: SearchFieldKind;
  label: string;
  /** Other words for it. */
  aliases: readonly string[];
  /** Of numbers: the unit that may follow. */
  unit?: string;
  choices?: readonly string[];
  /** The field of the record that it looks into. */
  field?: FieldName;
  example: string;
}

const IS = [
  'favourite',
  'loved',
  'rated',
  'used',
  'filed',
  'clipped',
  'silent',
  'pulled',
  'cut',
  'cutshort',
  'sliced',
  'damaged',
  'doubled',
] as const;

/** Fields of the record that are not looked into by their own name. */
const OTHERWISE: readonly FieldName[] = ['weight', 'activity', 'rating', 'tempo', 'form', 'slices', 'syncPoints'];

const RECORD_FIELDS: SearchField[] = FIELD_NAMES.filter((name) => !OTHERWISE.includes(name)).map((name) => ({
  name: name.toLowerCase(),
  kind: 'text',
  label: FIELDS.find((field) => field.name === name)?.label ?? name,
  aliases: name === 'keywords' ? ['keyword'] : name === 'fxName' ? ['fx', 'title'] : [],
  field: name,
  example: `${name.toLowerCase()}:word`,
}));

/** Every field of the search line; the SQL, the chips and the completion all come from this table. */
export const SEARCH_FIELDS: readonly SearchField[] = [
  ...RECORD_FIELDS,
  { name: 'name', kind: 'text', label: 'File name', aliases: ['file'], example: 'name:take' },
  { name: 'folder', kind: 'text', label: 'Folder', aliases: ['path'], example: 'folder:geese' },
  {
    name: 'in',
    kind: 'text',
    label: 'In folder',
    aliases: ['below'],
    example: 'in:"Mill Race/geese"',
  },
  { name: 'infile', kind: 'text', label: 'What the file says', aliases: [], example: 'infile:recorder' },
  { name: 'drive', kind: 'text', label: 'Drive', aliases: [], example: 'drive:"Mill Race"' },
  { name: 'container', kind: 'text', label: 'Container', aliases: ['format'], example: 'container:flac' },
  { name: 'length', kind: 'number', label: 'Length', aliases: ['duration'], unit: 's', example: 'length:2..10' },
  { name: 'rate', kind: 'number', label: 'Sample rate', aliases: ['samplerate'], unit: 'Hz', example: 'rate:>=96000' },
  { name: 'depth', kind: 'number', label: 'Bit depth', aliases: ['bits'], unit: 'bit', example: 'depth:24' },
  { name: 'channels', kind: 'number', label: 'Channels', aliases: ['channel', 'ch'], example: 'channels:6' },
  { name: 'loudness', kind: 'number', label: 'Loudness', aliases: ['lufs'], unit: 'LUFS', example: 'loudness:<-30' },
  { name: 'peak', kind: 'number', label: 'True peak', aliases: ['dbtp'], unit: 'dBTP', example: 'peak:>-1' },
  { name: 'rating', kind: 'number', label: 'Rating', aliases: ['stars'], example: 'rating:>=3' },
  { name: 'mine', kind: 'number', label: 'My rating', aliases: ['myrating'], example: 'mine:>=4' },
  { name: 'uses', kind: 'number', label: 'Times used', aliases: [], example: 'uses:0' },
  { name: 'tag', kind: 'text', label: 'Tag', aliases: ['tags'], example: 'tag:reel3' },
  { name: 'list', kind: 'text', label: 'In a pull list', aliases: ['pull'], example: 'list:"reel 2"' },
  { name: 'weight', kind: 'number', label: 'Weight', aliases: [], example: 'weight:4..5' },
  { name: 'activity', kind: 'number', label: 'Activity', aliases: [], example: 'activity:1' },
  { name: 'tempo', kind: 'number', label: 'Tempo', aliases: ['bpm'], unit: 'BPM', example: 'tempo:90..120' },
  { name: 'copies', kind: 'number', label: 'Copies', aliases: [], example: 'copies:>1' },
  { name: 'form', kind: 'choice', label: 'Form', aliases: [], choices: FORMS, example: 'form:bed' },
  {
    name: 'state',
    kind: 'choice',
    label: 'State',
    aliases: [],
    choices: COPY_STATE_NAMES.map(searchedState),
    example: 'state:behind',
  },
  { name: 'is', kind: 'choice', label: 'Is', aliases: [], choices: IS, example: 'is:clipped' },
  { name: 'layout', kind: 'text', label: 'Layout', aliases: [], example: 'layout:5.1' },
  { name: 'added', kind: 'when', label: 'Added', aliases: ['since'], example: 'added:<7d' },
  { name: 'used', kind: 'when', label: 'Pulled or copied out', aliases: [], example: 'used:<90d' },
];

const BY_NAME = new Map(
  SEARCH_FIELDS.flatMap((field) => [field.name, ...field.aliases].map((name) => [name, field] as const)),
);

/** The field of a name or one of its other names, in any case. */
export function searchField(name: string): SearchField | undefined {
  return BY_NAME.get(name.toLowerCase());
}

/** Fields whose name begins so, for completion. */
export function searchFieldsLike(begun: string): SearchField[] {
  const key = begun.toLowerCase();
  return SEARCH_FIELDS.filter(({ name, aliases }) => [name, ...aliases].some((each) => each.startsWith(key)));
}
