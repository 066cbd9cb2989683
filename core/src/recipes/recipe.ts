import { AppError } from '../errors.ts';
import { tidyKeywords } from '../record/edit.ts';
import {
  FIELD_NAMES,
  FIELDS,
  fieldLabel,
  isEmptyValue,
  sameValue,
  type FieldName,
  type SoundRecord,
} from '../record/fields.ts';
import { suggestFxName } from '../suggest/suggest-fx-name.ts';
import type { CategoryList } from '../ucs/category-list.ts';
import { legalText, splitExtension } from '../naming/name-blocks.ts';
import { readName, type KnownCodes } from '../naming/read-name.ts';
import { expandAbbreviations } from '../text/abbreviations.ts';
import { CASE_WORDS, COMMON_ACRONYMS, toLetterCase, type LetterCase } from '../text/letter-case.ts';
import { findListed, type ListedName, type ListedNames } from './listed-names.ts';
import type { Spelling } from '../words/spelling.ts';
import { transliterate } from '../text/transliterate.ts';
import { wordsOf } from '../text/words.ts';

/** How a value comes to the one that is there: instead of it, only where nothing is, or behind or before it. */
export const PUT_HOW = ['replace', 'ifEmpty', 'append', 'prepend'] as const;
export type PutHow = (typeof PUT_HOW)[number];

/** Where a value can come from, beside the fields. */
export const BESIDE_FIELDS = ['fileName', 'folder', 'inFile'] as const;
export type PutSource = FieldName | (typeof BESIDE_FIELDS)[number];

/** What changes the text of fields as it stands there, with nothing else to say. */
export const TIDYINGS = ['trim', 'stripNumbers', 'separators', 'legal', 'transliterate', 'expand'] as const;
export type Tidying = (typeof TIDYINGS)[number];

/** One step of a recipe. */
export type RecipeStep =
  | {
      do: 'replace';
      fields: FieldName[];
      find: string;
      by: string;
      how: 'plain' | 'word' | 'pattern';
      matchCase: boolean;
    }
  | { do: 'case'; fields: FieldName[]; to: LetterCase; keptWhole: string[] }
  | { do: 'tidy'; fields: FieldName[]; how: Tidying }
  | {
      do: 'put';
      to: FieldName;
      from: PutSource;
      level: number;
      /** Of what the file says: the place in it, as `INFO ISFT`, or a field as the file has it. */
      place?: string | undefined;
      how: PutHow;
      between: string;
    }
  | { do: 'set'; to: FieldName; value: string; how: PutHow; between: string }
  | { do: 'number'; to: FieldName; start: number; digits: number; between: string }
  | { do: 'nameToKeywords' }
  | { do: 'keyword'; find: string; by: string }
  | { do: 'readName'; how: 'replace' | 'ifEmpty' }
  | { do: 'lookUp'; field: FieldName }
  | { do: 'spell'; fields: FieldName[] };

/** Fields whose values are text or lists of text; only these take steps. */
export const TEXT_FIELDS: readonly FieldName[] = FIELDS.filter(
  ({ kind }) => kind === 'text' || kind === 'longText' || kind === 'list',
).map(({ name }) => name);

/** What a step can know of a row beside its record. */
export interface RecipeRow {
  record: SoundRecord;
  fileName: string;
  /** Folders from the drive's root down. */
  folder: string;
  /** What the file says, by field and by the places that no field takes; needed where a step asks for it. */
  inFile?: Readonly<Record<string, string>>;
  /** Its place among the rows that the recipe runs on, from 0. */
  index: number;
}

/** What steps look things up in, beside the category list. */
export interface RecipeSources {
  categories: CategoryList;
  /** The lists of names, by the field that they are for. */
  names?: ListedNames;
  spelling?: Spelling;
}

/** What a recipe makes of a row. */
export interface RecipeOutcome {
  /** The changed fields only. */
  set: Partial<SoundRecord>;
  /** What a person should know of it: repairs of a name, words that look misspelt, names that are on no list. */
  notes: string[];
}

/** Words that say nothing as keywords. */
const NO_KEYWORDS = new Set(
  'a an and at by for from in into of off on onto or the to with take tk wav aif aiff flac mp'.split(' '),
);
const MOST_LENGTH = 10_000;

/**
 * A recipe made ready to run: checks its steps once and returns what gives the changed fields of a row. Throws RECIPE_INVALID, naming the step. A
 * pattern may take very long on some texts: run it where it can be stopped.
 */
export function prepareRecipe(steps: readonly RecipeStep[], sources: RecipeSources): (row: RecipeRow) => RecipeOutcome {
  const run = steps.map((step, index) => {
    try {
      return prepareStep(step, sources);
    } catch (error) {
      const why = error instanceof Error ? error.message : String(error);
      throw new AppError('RECIPE_INVALID', `Step ${index + 1}: ${why}`, { cause: error });
    }
  });
  return (row) => {
    const record = { ...row.record };
    const notes: string[] = [];
    for (const step of run) step(record, row, (text) => notes.push(text));
    const changed = FIELD_NAMES.filter((name) => !sameValue(record[name], row.record[name]));
    return { set: Object.fromEntries(changed.map((name) => [name, record[name]])), notes };
  };
}

type RunStep = (record: SoundRecord, row: RecipeRow, note: (text: string) => void) => void;

function prepareStep(step: RecipeStep, sources: RecipeSources): RunStep {
  switch (step.do) {
    case 'replace':
      return inFields(step.fields, replacer(step));
    case 'case':
      return inFields(step.fields, (text) => toLetterCase(text, step.to, [...COMMON_ACRONYMS, ...step.keptWhole]));
    case 'tidy':
      return inFields(step.fields, TIDY[step.how]);
    case 'put': {
      const to = textField(step.to);
      if (step.from === 'inFile' && !step.place) throw new Error('say which place of the file');
      return (record, row) => put(record, to, sourceOf(step, record, row, sources.categories), step.how, step.between);
    }
    case 'set': {
      const to = textField(step.to);
      return (record) => put(record, to, step.value, step.how, step.between);
    }
    case 'number': {
      const to = textField(step.to);
      return (record, { index }) =>
        put(record, to, String(step.start + index).padStart(step.digits, '0'), 'append', step.between);
    }
    case 'nameToKeywords':
      return (record, { fileName }) => {
        const words = wordsOf(splitExtension(fileName).base).filter(
          (word) => word.length > 1 && !NO_KEYWORDS.has(word),
        );
        record.keywords = tidyKeywords([...record.keywords, ...words]);
      };
    case 'keyword': {
      const wanted = step.find.trim().toLowerCase();
      if (wanted === '') throw new Error('say which keyword');
      return (record) => {
        if (!record.keywords.some((word) => word.toLowerCase() === wanted)) return;
        record.keywords = tidyKeywords(record.keywords.map((word) => (word.toLowerCase() === wanted ? step.by : word)));
      };
    }
    case 'readName':
      return nameReader(step.how, sources);
    case 'lookUp':
      return lookUp(textField(step.field), sources.names?.[step.field] ?? []);
    case 'spell':
      return spell(step.fields, sources.spelling);
  }
}

/** Fills the fields behind the blocks of a name in UCS form, or nearly so; repairs are noted. */
function nameReader(how: PutHow, { categories, names }: RecipeSources): RunStep {
  const codesOf = (field: FieldName): ReadonlySet<string> =>
    new Set((names?.[field] ?? []).map(({ code }) => code.toLowerCase()).filter((code) => code !== ''));
  const codes: KnownCodes = { creatorIds: codesOf('creator'), sourceIds: codesOf('library') };
  return (record, { fileName }, note) => {
    const read = readName(splitExtension(fileName).base, categories, codes);
    if (!read) return;
    for (const [block, text] of Object.entries(read.blocks)) put(record, block as FieldName, text, how, '');
    for (const { message } of read.repairs) note(message);
  };
}

/** Gives a name its spelling on the list, and its code where that is missing. */
function lookUp(field: FieldName, list: readonly ListedName[]): RunStep {
  return (record, _row, note) => {
    const said = String(record[field] ?? '');
    const codeField = list.find((each) => each.codeField !== undefined)?.codeField;
    const code = codeField === undefined ? '' : String(record[codeField] ?? '');
    if (said === '' && code === '') return;
    const found = findListed(list, said, code);
    if (!found) return note(`“${said || code}” is not on the list of ${fieldLabel(field)}.`);
    Object.assign(record, { [field]: found.name });
    if (codeField !== undefined && code === '' && found.code !== '') Object.assign(record, { [codeField]: found.code });
  };
}

function spell(fields: readonly FieldName[], spelling: Spelling | undefined): RunStep {
  if (fields.length === 0) throw new Error('choose at least one field');
  const names = fields.map(textField);
  return (record, _row, note) => {
    for (const name of names) {
      const value = record[name];
      const text = Array.isArray(value) ? value.join(', ') : String(value ?? '');
      for (const { word, likely } of spelling?.hints(text) ?? [])
        note(`${fieldLabel(name)}: “${word}” may be “${likely}”.`);
    }
  };
}

const TIDY: Record<Tidying, (text: string) => string> = {
  trim: (text) => text.replace(/[ \t]+/g, ' ').trim(),
  // Numbers and takes at the beginning, and the take at the end: “03 - door T07”.
  stripNumbers: (text) =>
    text
      .replace(/^(?:\d+[\s._-]+)+/, '')
      .replace(/(?:[\s._-]+(?:take|tk|t)?[\s._-]?\d{1,4})$/i, '')
      .trim(),
  separators: (text) => text.replace(/\s*_+\s*/g, ', ').replace(/^, |, $/g, ''),
  legal: legalText,
  transliterate,
  expand: expandAbbreviations,
};

function textField(name: FieldName): FieldName {
  if (!TEXT_FIELDS.includes(name)) throw new Error(`${fieldLabel(name)} is no text`);
  return name;
}

/** Runs a change of text on fields, on lists word by word. */
function inFields(fields: readonly FieldName[], change: (text: string) => string): RunStep {
  if (fields.length === 0) throw new Error('choose at least one field');
  const names = fields.map(textField);
  return (record) => {
    for (const name of names) {
      const value = record[name];
      if (Array.isArray(value)) Object.assign(record, { [name]: tidyKeywords(value.map(change)) });
      else if (typeof value === 'string' && value !== '') Object.assign(record, { [name]: change(value) });
    }
  };
}

function replacer({ find, by, how, matchCase }: Extract<RecipeStep, { do: 'replace' }>): (text: string) => string {
  if (find === '') throw new Error('say what to find');
  const flags = `gu${matchCase ? '' : 'i'}`;
  if (how === 'pattern') {
    const pattern = new RegExp(find, flags);
    return (text) => afterRemoval(text.replace(pattern, by), by);
  }
  const plain = find.replace(/[.*+?^${}()|[\]\\/]/g, '\\$&');
  const pattern = new RegExp(how === 'word' ? `(?<![\\p{L}\\p{N}])${plain}(?![\\p{L}\\p{N}])` : plain, flags);
  return (text) =>
    afterRemoval(
      text.replace(pattern, () => by),
      by,
    );
}

/** Where something was removed, no two spaces stay behind. */
function afterRemoval(text: string, by: string): string {
  return by === '' ? text.replace(/ {2,}/g, ' ').trim() : text;
}

function sourceOf(
  { from, level, place = '' }: Extract<RecipeStep, { do: 'put' }>,
  record: SoundRecord,
  { fileName, folder, inFile = {} }: RecipeRow,
  categories: CategoryList,
): string {
  if (from === 'fileName') return suggestFxName(fileName, categories);
  if (from === 'folder') return folder.split('/').filter(Boolean).at(-level) ?? '';
  if (from === 'inFile') return Object.hasOwn(inFile, place) ? (inFile[place] ?? '') : '';
  const value = record[from];
  return Array.isArray(value) ? value.join(', ') : String(value ?? '');
}

function put(record: SoundRecord, to: FieldName, text: string, how: PutHow, between: string): void {
  if (text === '') return;
  const now = record[to];
  if (how === 'ifEmpty' && !isEmptyValue(now)) return;
  if (Array.isArray(now)) {
    const words = tidyKeywords(text.split(/[,;]/));
    record.keywords =
      how === 'append'
        ? tidyKeywords([...now, ...words])
        : how === 'prepend'
          ? tidyKeywords([...words, ...now])
          : words;
    return;
  }
  const before = String(now ?? '');
  const isBeside = (how === 'append' || how === 'prepend') && before !== '';
  const next = !isBeside ? text : how === 'append' ? before + between + text : text + between + before;
  Object.assign(record, { [to]: next.slice(0, MOST_LENGTH) });
}

/** A step in words, for lists and the history. */
export function stepInWords(step: RecipeStep): string {
  const fields = 'fields' in step ? step.fields.map(fieldLabel).join(', ') : '';
  switch (step.do) {
    case 'replace':
      return step.by === ''
        ? `Remove “${step.find}” from ${fields}`
        : `“${step.find}” becomes “${step.by}” in ${fields}`;
    case 'case':
      return `${CASE_WORDS[step.to]} in ${fields}`;
    case 'tidy':
      return `${TIDY_WORDS[step.how]} in ${fields}`;
    case 'put': {
      const from =
        step.from === 'fileName'
          ? 'the file name'
          : step.from === 'folder'
            ? `folder ${step.level} above`
            : step.from === 'inFile'
              ? `what the file says at ${placeInWords(step.place ?? '')}`
              : fieldLabel(step.from);
      return `${fieldLabel(step.to)} ${PUT_WORDS[step.how]} ${from}`;
    }
    case 'set':
      return `${fieldLabel(step.to)} ${PUT_WORDS[step.how]} “${step.value}”`;
    case 'number':
      return `${fieldLabel(step.to)} numbered from ${step.start}`;
    case 'nameToKeywords':
      return 'Words of the name become keywords';
    case 'keyword':
      return step.by === '' ? `Keyword “${step.find}” removed` : `Keyword “${step.find}” becomes “${step.by}”`;
    case 'readName':
      return step.how === 'ifEmpty' ? 'Blocks of the name fill empty fields' : 'Blocks of the name become fields';
    case 'lookUp':
      return `${fieldLabel(step.field)} as on its list`;
    case 'spell':
      return `Hints on spelling in ${fields}`;
  }
}

/** A place of a file as people are told it: a field by its label, any other as it is called. */
export function placeInWords(place: string): string {
  return FIELDS.find(({ name }) => name === place)?.label ?? place;
}

export const TIDY_WORDS: Record<Tidying, string> = {
  trim: 'No needless spaces',
  stripNumbers: 'No track numbers and takes',
  separators: 'Underscores become commas',
  legal: 'No characters that names refuse',
  transliterate: 'Only plain letters',
  expand: 'Abbreviations written out',
};
export const PUT_WORDS: Record<PutHow, string> = {
  replace: 'is',
  ifEmpty: 'is, where empty,',
  append: 'is followed by',
  prepend: 'is preceded by',
};
