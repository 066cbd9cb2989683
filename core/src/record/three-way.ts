import { emptyRecord, FIELD_NAMES, isEmptyValue, sameValue, type FieldName, type SoundRecord } from './fields.ts';

type Value = SoundRecord[FieldName];

/** Who changed a field since record and file last agreed: the record, the file (outside), or both, to different values. */
export type ThreeWayStanding = 'record' | 'file' | 'both';

/** A field in which record and file differ, with what both last agreed on; a value is empty where nothing was said. */
export interface FieldThreeWays {
  field: FieldName;
  base: Value;
  record: Value;
  file: Value;
  standing: ThreeWayStanding;
  /** What follows from the three by itself; undefined where somebody has to choose. */
  merged: Value | undefined;
}

/**
 * Compares a record with what a file says, field by field, against what both last agreed on. Where they never agreed, whoever says something counts, and two who say
 * different things have both changed it. A category goes by its CatID: a file that is silent on the names of a CatID says them.
 */
export function threeWays(
  record: SoundRecord,
  inFile: Partial<SoundRecord>,
  agreed: SoundRecord | undefined,
): FieldThreeWays[] {
  const base = agreed ?? emptyRecord();
  const file = withCategoryNames({ ...emptyRecord(), ...inFile }, [record, base]);
  const differing = FIELD_NAMES.filter((field) => !sameValue(record[field], file[field]));
  // Category and SubCategory follow from the CatID.
  const own = differing.filter((field) => !isOfCategory(field) || !differing.includes('catId'));
  return own.map((field) => {
    const [was, ours, theirs] = [base[field], record[field], file[field]];
    const standing = sameValue(was, theirs) ? 'record' : sameValue(was, ours) ? 'file' : 'both';
    const merged = standing === 'record' ? ours : standing === 'file' ? theirs : mergedLists(was, ours, theirs);
    return { field, base: was, record: ours, file: theirs, standing, merged };
  });
}

const isOfCategory = (field: FieldName): boolean => field === 'category' || field === 'subCategory';

function withCategoryNames(file: SoundRecord, known: readonly SoundRecord[]): SoundRecord {
  if (file.catId === '' || !isEmptyValue(file.category) || !isEmptyValue(file.subCategory)) return file;
  const same = known.find(({ catId }) => catId === file.catId);
  return same ? { ...file, category: same.category, subCategory: same.subCategory } : file;
}

function mergedLists(base: Value, ours: Value, theirs: Value): string[] | undefined {
  return Array.isArray(base) && Array.isArray(ours) && Array.isArray(theirs)
    ? mergeLists(base, ours, theirs)
    : undefined;
}

/**
 * Merges two lists that came from one: what either added is there, what either took away is not, each entry once. Entries stand in the order of `ours`, then in that of
 * `theirs`.
 */
export function mergeLists(base: readonly string[], ours: readonly string[], theirs: readonly string[]): string[] {
  const [before, own, other] = [new Set(base), new Set(ours), new Set(theirs)];
  const stays = (word: string): boolean => !before.has(word) || (own.has(word) && other.has(word));
  return [...new Set([...ours, ...theirs])].filter(stays);
}
