import type { SoundRow } from '@flagstone/contract/record';
import type { SortKey } from '@flagstone/contract/selection';
import type { SoundList } from '../lists/use-sound-list.ts';

/** By what rows are put together, when the list is sorted by it, and what a group is called. */
const GROUPS: Partial<Record<SortKey, { of: (row: SoundRow) => string; none: string }>> = {
  library: { of: ({ record }) => record.library, none: 'No library' },
  folder: { of: ({ folder }) => folder, none: 'Not in a folder' },
};

/** The heading over a row that begins a group: what its rows have in common; undefined over the others, and while the list is sorted by something else. */
export function headingAt(list: SoundList, index: number): string | undefined {
  const [first] = list.sortKeys.value;
  const group = first && GROUPS[first.key];
  const row = list.rows.value[index];
  if (!group || !row) return undefined;
  const before = list.rows.value[index - 1];
  const own = group.of(row);
  // As lists are sorted: without regard to capitals.
  return before && group.of(before).toLowerCase() === own.toLowerCase() ? undefined : own || group.none;
}
