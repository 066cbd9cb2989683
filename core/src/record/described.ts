import { isEmptyValue, type FieldName, type SoundRecord } from './fields.ts';

/** The fields of a record that is described well; each counts one of its merit, as `flagstone_refresh_search` in the database counts them. */
export const DESCRIBING_FIELDS: readonly FieldName[] = [
  'fxName',
  'catId',
  'description',
  'keywords',
  'library',
  'creator',
  'form',
  'licence',
];

/** How many of them are filled. */
export function describedFields(record: SoundRecord): number {
  return DESCRIBING_FIELDS.filter((name) => !isEmptyValue(record[name])).length;
}
