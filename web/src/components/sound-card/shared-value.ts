import type { SoundRow } from '@flagstone/contract/record';
import type { FieldValues } from '@flagstone/contract/record';
import { FIELDS, sameValue, type FieldName, type SoundRecord } from '@flagstone/core/record/fields';

export interface SharedValue {
  /** The value that all rows have, else undefined. */
  value: SoundRecord[FieldName] | undefined;
  mixed: boolean;
  /** How many different values there are. */
  distinct: number;
}

/** What rows have in common in a field. */
export function sharedValue(rows: readonly SoundRow[], field: FieldName): SharedValue {
  const [first] = rows;
  if (!first) return { value: undefined, mixed: false, distinct: 0 };
  const mixed = rows.some((row) => !sameValue(row.record[field], first.record[field]));
  if (!mixed) return { value: first.record[field], mixed, distinct: 1 };
  return { value: undefined, mixed, distinct: new Set(rows.map((row) => JSON.stringify(row.record[field]))).size };
}

/** What a field says in all sounds whose values were counted. */
export function countedValue({ sounds, fields }: FieldValues, name: FieldName): SharedValue {
  const field = fields[name];
  const definition = FIELDS.find((each) => each.name === name);
  const isNumber = definition?.kind === 'integer' || definition?.kind === 'number';
  if (!field) return { value: definition?.kind === 'list' ? [] : isNumber ? null : '', mixed: false, distinct: 1 };
  const [first] = field.values;
  if (definition?.kind !== 'list' && field.distinct === 1 && first?.times === sounds)
    return { value: isNumber ? Number(first.value) : first.value, mixed: false, distinct: 1 };
  const isPartlyEmpty = definition?.kind !== 'list' && field.filled < sounds;
  return { value: undefined, mixed: true, distinct: field.distinct + (isPartlyEmpty ? 1 : 0) };
}
