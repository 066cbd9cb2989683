import { isEmptyValue, type FieldName, type SoundRecord } from '../record/fields.ts';
import { tidyKeywords } from '../record/edit.ts';
import { COMMON_ACRONYMS, toLetterCase } from '../text/letter-case.ts';
import { wordsOf } from '../text/words.ts';
import { splitExtension } from '../naming/name-blocks.ts';
import type { CategoryList } from '../ucs/category-list.ts';
import type { Suggestion } from './suggest-category.ts';
import { suggestFxName } from './suggest-fx-name.ts';
import { isTelling } from '../words/vocabulary.ts';

/** What fields can be suggested for, in the order in which they are shown. */
export const SUGGESTED_FIELDS = [
  'catId',
  'fxName',
  'description',
  'keywords',
  'form',
  'weight',
  'activity',
  'tempo',
  'key',
  'creator',
  'creatorId',
  'library',
  'sourceId',
  'publisher',
] as const satisfies readonly FieldName[];
export type SuggestedField = (typeof SUGGESTED_FIELDS)[number];

/** The fields that the other sounds of a folder can speak for. */
export const NEIGHBOUR_FIELDS = ['creator', 'creatorId', 'library', 'sourceId', 'publisher'] as const;

/** What is known of a sound beside its record. */
export interface SuggestionSources {
  record: SoundRecord;
  fileName: string;
  /** The best category, sure enough to be taken; undefined when there is none. */
  category: Pick<Suggestion, 'catId' | 'category' | 'subCategory'> | undefined;
  /** What was measured; null until then. */
  measured: {
    form: string;
    weight: number | null;
    activity: number | null;
    tempoBpm: number | null;
    key: string | null;
  } | null;
  /** What all other sounds of the folder that say anything agree on. */
  neighbours: Partial<Record<(typeof NEIGHBOUR_FIELDS)[number], string>>;
}

/** Values for the wanted fields of a record that are empty; nothing that somebody filled in is replaced. */
export function suggestRecord(
  { record, fileName, category, measured, neighbours }: SuggestionSources,
  wanted: ReadonlySet<SuggestedField>,
  categories: CategoryList,
): Partial<SoundRecord> {
  const fxName = record.fxName || suggestFxName(fileName, categories);
  const values: Partial<SoundRecord> = {
    ...(category ? { catId: category.catId } : {}),
    fxName,
    // Which take it is says nothing of the sound.
    description: toLetterCase(fxName.replace(/\s\d{1,4}$/, ''), 'sentence', COMMON_ACRONYMS),
    keywords: keywordsOf(fileName, category),
    ...(measured ? { form: measured.form, weight: measured.weight, activity: measured.activity } : {}),
    ...(measured?.tempoBpm ? { tempo: Math.round(measured.tempoBpm * 10) / 10 } : {}),
    // A loom may sound in a key by chance; of music it is worth writing down.
    ...(measured?.key && isMusical(record, category) ? { key: measured.key } : {}),
    ...neighbours,
  };
  return Object.fromEntries(
    SUGGESTED_FIELDS.filter(
      (name) => wanted.has(name) && isEmptyValue(record[name]) && !isEmptyValue(values[name]),
    ).map((name) => [name, values[name]]),
  );
}

function isMusical(record: SoundRecord, category: SuggestionSources['category']): boolean {
  return [record.category, category?.category].includes('MUSICAL');
}

/** A model number, such as HX7 or MK2: capitals and figures in one word. Takes are marked in the same way. */
const MODEL = /(?<![\p{L}\p{N}])(?=[\p{Lu}\d]*\p{Lu})(?=[\p{Lu}\d]*\d)[\p{Lu}\d]{2,8}(?![\p{L}\p{N}])/gu;
const TAKE_MARK = /^(?:T|TK|TAKE|V|CH)\d+$/;

/** The telling words of a name, and those of its category. */
function keywordsOf(fileName: string, category: SuggestionSources['category']): string[] {
  const { base } = splitExtension(fileName);
  const models = (base.match(MODEL) ?? []).filter((word) => !TAKE_MARK.test(word));
  const told = [...wordsOf(base.replace(MODEL, ' ')).filter((word) => isTelling(word, 3)), ...models];
  const named = category
    ? [category.category, category.subCategory].filter((name) => name !== 'MISC' && name !== 'GENERAL')
    : [];
  return tidyKeywords([...told, ...named.map((name) => name.toLowerCase())]);
}
