import type { FieldValues, SoundRow } from '@flagstone/contract/record';
import { FIELDS, type FieldName, type SoundRecord } from '@flagstone/core/record/fields';

export interface SharedValue {
  /** The value that all rows have, else undefined. */
  value: SoundRecord[FieldName] | undefined;
  mixed: boolean;
  /** How many different values there are. */
  distinct: number;
}

/** Values of a field that are told, as many as the server tells. */
const MOST_VALUES = 12;

/** What rows say in each field, counted here, as `countValues` counts it for rows that are not loaded. */
export function valuesIn(rows: readonly SoundRow[]): FieldValues {
  const fields: FieldValues['fields'] = {};
  for (const { name } of FIELDS) {
    const times = new Map<string, number>();
    let filled = 0;
    for (const { record } of rows) {
      const value = record[name];
      const said = Array.isArray(value) ? value : value === null || value === '' ? [] : [String(value)];
      filled += said.length;
      for (const each of said) times.set(each, (times.get(each) ?? 0) + 1);
    }
    if (filled === 0) continue;
    const values = [...times]
      .map(([value, count]) => ({ value, times: count }))
      .sort((one, other) => other.times - one.times || (one.value < other.value ? -1 : 1));
    fields[name] = { distinct: times.size, filled, values: values.slice(0, MOST_VALUES) };
  }
  return { sounds: rows.length, fields };
}

/** What sounds whose values were counted have in common in a field. */
export function sharedValue({ sounds, fields }: FieldValues, name: FieldName): SharedValue {
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
