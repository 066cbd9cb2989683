import type { FieldThreeWaysSeen } from '@flagstone/contract/contents';
import type { RecordEdit } from '@flagstone/core/record/edit';
import { FIELDS, isEmptyValue, type FieldName } from '@flagstone/core/record/fields';

const kindOf = (name: FieldName) => FIELDS.find((field) => field.name === name)?.kind;

const partsOf = (value: unknown): string[] =>
  Array.isArray(value) ? (value as string[]) : typeof value === 'string' ? value.split('\n') : [];

/** Whether the record of a field that both changed says all that the file says, as after they were put together: only writing is left. */
export function holdsBoth({ field, record, file, standing }: FieldThreeWaysSeen): boolean {
  if (standing !== 'both' || !['longText', 'list'].includes(kindOf(field) ?? '')) return false;
  const said = new Set(partsOf(record));
  return partsOf(file).every((part) => said.has(part));
}

/** What holds both where record and file changed a field: lists merged, long texts one below the other; undefined where only one can stand. */
export function bothOf({ field, record, file, merged }: FieldThreeWaysSeen): unknown {
  if (merged !== undefined) return merged;
  return kindOf(field) === 'longText' && typeof record === 'string' && typeof file === 'string'
    ? `${record}\n${file}`
    : undefined;
}

/** Whether the file lost what it said: programs that do not know a field drop it, so that nobody takes this over unseen. */
export const isEmptied = ({ standing, file }: FieldThreeWaysSeen): boolean =>
  standing !== 'record' && isEmptyValue(file as never);

/** A field, and what is to be taken for it. */
export type Taken = readonly [seen: FieldThreeWaysSeen, value: unknown];

/** What the record can take from the file without anybody choosing: what only the file changed, and lists that merge; never that a field was emptied. */
export const takenAtOnce = (fields: readonly FieldThreeWaysSeen[]): Taken[] =>
  fields.flatMap((each): Taken[] =>
    each.standing !== 'record' && each.merged !== undefined && !isEmptied(each) && !holdsBoth(each)
      ? [[each, each.merged]]
      : [],
  );

/** The edit that puts values into the record; empty ones empty their field. Keywords are added and taken away, so that those that a colleague added since stay. */
export function editTaking(taken: readonly Taken[]): RecordEdit {
  const edit: RecordEdit = {};
  for (const [{ field, record }, value] of taken) {
    if (kindOf(field) === 'list') {
      const [before, after] = [partsOf(record), partsOf(value)];
      edit.addKeywords = after.filter((word) => !before.includes(word));
      edit.removeKeywords = before.filter((word) => !after.includes(word));
    } else edit.set = { ...edit.set, [field]: value === '' ? null : value };
  }
  return edit;
}
