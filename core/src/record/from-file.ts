import type { CategoryList } from '../ucs/category-list.ts';
import { parseName, splitExtension } from '../ucs/name-blocks.ts';
import { applyEdit } from './edit.ts';
import { emptyRecord, FIELDS, isEmptyValue, type SoundRecord } from './fields.ts';
import { AppError } from '../errors.ts';

/**
 * The first record of a sound: what the file says, and where it is silent what its name says when that is in UCS form. A value that no
 * record may hold (a weight of 9) is left out; it stays in the file until somebody writes.
 */
export function recordFromFile(inFile: Partial<SoundRecord>, fileName: string, categories: CategoryList): SoundRecord {
  const named = parseName(splitExtension(fileName).base, categories)?.blocks ?? {};
  let record = emptyRecord();
  for (const { name } of FIELDS) {
    const value = isEmptyValue(inFile[name]) ? (named as Partial<SoundRecord>)[name] : inFile[name];
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
