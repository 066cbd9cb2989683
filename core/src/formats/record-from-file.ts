import { GENRE_PLACES, type UnreadPlace } from './field-places.ts';
import type { CategoryList } from '../ucs/category-list.ts';
import { parseName, splitExtension } from '../naming/name-blocks.ts';
import { applyEdit } from '../record/edit.ts';
import { emptyRecord, FIELDS, isEmptyValue, type SoundRecord } from '../record/fields.ts';
import { AppError } from '../errors.ts';

/**
 * The first record of a sound: what the file says, and where it is silent what its name says when that is in UCS form. A value that no
 * record may hold (a weight of 9) is left out; it stays in the file until somebody writes. A genre that is no category is proposed as VendorCategory, where
 * it is seen, searched and used by recipes.
 */
export function recordFromFile(
  inFile: Partial<SoundRecord>,
  fileName: string,
  categories: CategoryList,
  unread: readonly UnreadPlace[] = [],
): SoundRecord {
  const named = parseName(splitExtension(fileName).base, categories)?.blocks ?? {};
  let record = emptyRecord();
  for (const { name } of FIELDS) {
    const told = name === 'vendorCategory' ? genreOf(unread) : undefined;
    const value = isEmptyValue(inFile[name]) ? ((named as Partial<SoundRecord>)[name] ?? told) : inFile[name];
    if (value === undefined || isEmptyValue(value)) continue;
    if (name === 'category' || name === 'subCategory') continue;
    try {
      record = applyEdit(record, { set: { [name]: value } }, categories);
    } catch (error) {
      if (!(error instanceof AppError)) throw error;
      if (error.code === 'CATEGORY_UNKNOWN') record.catId = String(value);
    }
  }
  if (record.category === '')
    Object.assign(record, { category: inFile.category ?? '', subCategory: inFile.subCategory ?? '' });
  return record;
}

/** A genre that is no category, which a write would replace; without the number of ID3v1's list that may stand before it. */
function genreOf(unread: readonly UnreadPlace[]): string | undefined {
  const text = unread.find(({ place }) => GENRE_PLACES.includes(place))?.text.replace(/^(\(\d+\))+/, '');
  return text !== undefined && /\p{L}/u.test(text) ? text : undefined;
}
