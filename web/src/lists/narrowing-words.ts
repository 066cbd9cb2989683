import { COPY_STATES } from '@flagstone/core/record/copy-states';
import { fieldLabel } from '@flagstone/core/record/fields';
import { watch } from 'vue';
import type { LocationQuery } from 'vue-router';
import { useCollections } from '../stores/collections.ts';
import { useDriveNames } from '../stores/drive-names.ts';
import { formatRange, formatWhen } from '../ui/format.ts';
import { NARROWINGS, narrowingIn, type Narrowing } from './list-filter.ts';

const STATES: Record<string, string> = {
  ...Object.fromEntries(Object.entries(COPY_STATES).map(([state, { shape, word }]) => [state, `${shape} ${word}`])),
  notInStep: 'Not In step',
  damaged: '⚡ Damaged',
  unproved: '? Never proved',
  alone: 'On one drive only',
};
const FOUND_WORDS: Record<string, string> = {
  new: 'New',
  moved: 'Moved',
  changedOutside: 'Changed outside',
  alreadyHeld: 'Already held',
  same: 'The same',
};

/** Says by what an address narrows a list, part by part. The names of drives and folders are asked for when one of `addresses` needs them. */
export function useNarrowingWords(addresses: () => readonly LocationQuery[]) {
  const collections = useCollections();
  const drives = useDriveNames();
  watch(
    () => addresses().some(({ drive, readFolder }) => Boolean(drive) || Boolean(readFolder)),
    (isNeeded) => void (isNeeded && drives.load()),
    { immediate: true },
  );

  const words: { [Key in keyof Narrowing]: (value: string) => string } = {
    collection: (ids) =>
      ids
        .split(',')
        .map((id) => collections.nameOf(Number(id)))
        .join(', '),
    disagrees: (field) => `≠ Disagree on ${fieldLabel(field as never)}`,
    missing: (field) => `○ Without ${fieldLabel(field as never)}`,
    state: (state) => STATES[state] ?? state,
    drive: (id) => `On ${drives.nameOf(id)}`,
    readFolder: (id) => `In ${drives.folderOf(Number(id))}`,
    length: (range) => `Length ${formatRange(range, 's')}`,
    loudness: (range) => `Loudness ${formatRange(range, 'LUFS')}`,
    found: (found) => `Found: ${FOUND_WORDS[found] ?? found}`,
    since: (since) => `Added since ${formatWhen(since)}`,
  };

  return (query: LocationQuery): { key: keyof Narrowing; text: string }[] => {
    const narrowing = narrowingIn(query);
    return NARROWINGS.filter((key) => narrowing[key] !== '').map((key) => ({ key, text: words[key](narrowing[key]) }));
  };
}
