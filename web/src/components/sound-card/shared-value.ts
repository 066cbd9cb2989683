import type { SoundRow } from '@flagstone/contract/record';
import { sameValue, type FieldName, type SoundRecord } from '@flagstone/core/record/fields';

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
