import type { MarkInput } from '@flagstone/contract/marks';
import type { SoundRow } from '@flagstone/contract/record';
import type { Selection } from '@flagstone/contract/selection';
import { call } from '../api/client.ts';
import { useSession } from '../stores/session.ts';
import { counted } from '../ui/format.ts';
import { showingErrors, tell } from '../ui/use-errors.ts';
import { useKeys } from '../ui/use-keys.ts';
import type { SoundList } from './use-sound-list.ts';

/** What the person thinks of a sound; nothing where it was never said. */
export function ownMark(row: SoundRow, personId: number) {
  return row.marks.find((mark) => mark.personId === personId);
}

/** Marks of the selection of a list, with keys: Alt and a digit rates, Alt+0 takes the rating back, b makes a favourite and takes it back. */
export function useSoundMarks(list: SoundList) {
  const session = useSession();

  /** Marks a selection, by default the list's; false when it failed or nothing is selected. */
  async function mark(
    what: Omit<MarkInput, 'selection'>,
    words: string,
    selection: Selection | undefined = list.selection.value,
  ): Promise<boolean> {
    if (!selection) return false;
    const result = await showingErrors(() => call('markSounds', { body: { selection, ...what } }));
    if (result && result.sounds > 1) tell(`${words}: ${counted(result.sounds, 'sound')}`);
    return result !== undefined;
  }

  const rate = (rating: number | null): Promise<boolean> =>
    mark({ rating }, rating === null ? 'Rating taken back' : `Rated ${'★'.repeat(rating)}`);
  function turnFavourite(): Promise<boolean> {
    const row = list.currentRow.value ?? list.cardRows.value[0];
    const favourite = !(row && ownMark(row, session.personId)?.favourite);
    return mark({ favourite }, favourite ? 'Favourites' : 'No favourites any more');
  }

  useKeys('marks', {
    ...Object.fromEntries([1, 2, 3, 4, 5].map((stars) => [`Alt+${stars}`, () => void rate(stars)])),
    'Alt+0': () => void rate(null),
    b: () => void turnFavourite(),
  });
  return { mark, rate, turnFavourite };
}
