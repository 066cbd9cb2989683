import { AppError } from '../errors.ts';
import { checkedMarks } from './marks.ts';
import { tidyText } from '../text/tidy-text.ts';
import type { CategoryList } from '../ucs/category-list.ts';
import { FIELDS, type FieldDefinition, type FieldName, type SoundRecord } from './fields.ts';

/** A change to one or many records: fields to set (null empties one), keywords to add and to take away. */
export interface RecordEdit {
  set?: { [Name in FieldName]?: SoundRecord[Name] | null };
  addKeywords?: string[];
  removeKeywords?: string[];
}

/**
 * The record after the edit. A CatID fills Category and SubCategory, a known pair of them fills the CatID; an emptied CatID
 * empties all three. Throws CATEGORY_UNKNOWN or FIELD_INVALID, naming field and value.
 */
export function applyEdit(record: SoundRecord, edit: RecordEdit, categories: CategoryList): SoundRecord {
  const next: SoundRecord = { ...record };
  for (const definition of FIELDS) {
    const value = edit.set?.[definition.name];
    if (value === undefined) continue;
    Object.assign(next, { [definition.name]: checkedValue(definition, value) });
  }
  if (edit.addKeywords || edit.removeKeywords) {
    const removed = new Set((edit.removeKeywords ?? []).map((word) => word.toLowerCase()));
    next.keywords = tidyKeywords([...next.keywords, ...(edit.addKeywords ?? [])]).filter(
      (word) => !removed.has(word.toLowerCase()),
    );
  }
  fillCategory(next, edit, categories);
  return next;
}

function checkedValue(field: FieldDefinition, value: unknown): SoundRecord[FieldName] {
  const fail = (why: string): never => {
    throw new AppError('FIELD_INVALID', `${field.label}: ${why}.`, { details: { field: field.name } });
  };
  if (field.kind === 'list')
    return Array.isArray(value) ? tidyKeywords(value as string[]) : value === null ? [] : fail('a list is needed');
  if (field.kind === 'integer' || field.kind === 'number') {
    if (value === null) return null;
    const [low, high] = field.range ?? [-Infinity, Infinity];
    if (typeof value !== 'number' || !Number.isFinite(value)) return fail('a number is needed');
    if (field.kind === 'integer' && !Number.isInteger(value)) return fail('a whole number is needed');
    if (value < low || value > high) return fail(`${value} is not between ${low} and ${high}`);
    return value;
  }
  if (value === null) return '';
  if (typeof value !== 'string') return fail('text is needed');
  if (field.kind === 'marks') {
    const marks = checkedMarks(field.name as 'slices' | 'syncPoints', value);
    return 'text' in marks ? marks.text : fail(`“${marks.wrong.slice(0, 80)}” is no mark; its frames are needed first`);
  }
  const tidy = tidyText(value, field.kind === 'longText');
  const text = field.name === 'recordedOn' ? tidy.replace(/^(\d{4}-\d\d-\d\d) (\d\d:\d\d:\d\d)$/, '$1T$2') : tidy;
  if (field.choices && text !== '' && !field.choices.includes(text)) {
    return fail(`“${text}” is none of ${field.choices.join(', ')}`);
  }
  return text;
}

/** Keywords trimmed, without empty ones and without repeats that differ only in case; `,` and `;` end a keyword. */
export function tidyKeywords(words: string[]): string[] {
  const seen = new Set<string>();
  return words
    .flatMap((word) => tidyText(word, false).split(/[,;]/))
    .map((word) => word.replace(/\s+/g, ' ').trim())
    .filter((word) => {
      const key = word.toLowerCase();
      if (word === '' || seen.has(key)) return false;
      seen.add(key);
      return true;
    });
}

function fillCategory(next: SoundRecord, edit: RecordEdit, categories: CategoryList): void {
  const set = edit.set ?? {};
  if (set.catId !== undefined) {
    if (set.catId === null || set.catId.trim() === '') {
      Object.assign(next, { catId: '', category: '', subCategory: '' });
      return;
    }
    const found = categories.find(set.catId.trim());
    if (!found) {
      throw new AppError(
        'CATEGORY_UNKNOWN',
        `CatID “${set.catId}” is not in the category list (${categories.source}).`,
      );
    }
    Object.assign(next, { catId: found.catId, category: found.category, subCategory: found.subCategory });
  } else if (set.category !== undefined || set.subCategory !== undefined) {
    next.category = next.category.toUpperCase();
    next.subCategory = next.subCategory.toUpperCase();
    next.catId = categories.findByNames(next.category, next.subCategory)?.catId ?? '';
  }
}
