import type { SoundRow } from '@flagstone/contract/record';
import { fieldLabel, isEmptyValue } from '@flagstone/core/record/fields';
import { REQUIRED_BLOCKS } from '@flagstone/core/naming/name-blocks';

/** What a record still lacks before its sound can be named and filed, in words. */
export function missingFields({ record }: Pick<SoundRow, 'record'>): string[] {
  return REQUIRED_BLOCKS.filter((block) => isEmptyValue(record[block])).map(fieldLabel);
}
