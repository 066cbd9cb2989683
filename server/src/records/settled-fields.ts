import type { SettlingRow } from '@flagstone/contract/settling';
import type { FieldName, SoundRecord } from '@flagstone/core/record/fields';
import type { Settlement } from '@flagstone/core/record/settle';
import type { FieldThreeWays } from '@flagstone/core/record/three-way';

/** Letters of a value that a preview shows. */
const MOST_SHOWN = 2000;

/** What becomes of each field that the other side changed, as a preview shows it. */
export function settledFields(
  fields: readonly Pick<FieldThreeWays, 'field' | 'record' | 'file' | 'standing'>[],
  settlement: Settlement,
): SettlingRow['fields'] {
  const outcomeOf = (field: FieldName) =>
    field in settlement.set ? 'taken' : settlement.open.includes(field) ? 'open' : 'kept';
  return fields
    .filter(({ standing }) => standing !== 'record')
    .map(({ field, record, file }) => ({
      field,
      record: shown(record),
      file: shown(file),
      outcome: outcomeOf(field),
      becomes: shown(settlement.set[field] ?? record),
    }));
}

function shown(value: SoundRecord[FieldName]): string {
  return (Array.isArray(value) ? value.join(', ') : String(value ?? '')).slice(0, MOST_SHOWN);
}
