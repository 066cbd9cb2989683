import { differingFields, isEmptyValue, type FieldName, type SoundRecord } from './fields.ts';

/**
 * The fields by which a file does not carry a record. Category and SubCategory follow from the CatID, so a file that says the same CatID
 * and is silent on them carries them.
 */
export function fieldsNotCarried(record: SoundRecord, inFile: Partial<SoundRecord>): FieldName[] {
  const sameCatId = record.catId !== '' && record.catId === inFile.catId;
  return differingFields(record, inFile).filter(
    (name) => !(sameCatId && (name === 'category' || name === 'subCategory') && isEmptyValue(inFile[name])),
  );
}
