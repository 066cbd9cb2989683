import type { MarkInput } from '@flagstone/contract/marks';
import type { SoundRow } from '@flagstone/contract/record';
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

  async function mark(what: Omit<MarkInput, 'selection'>, words: string): Promise<void> {
    const selection = list.selection.value;
    if (!selection) return;
    const result = await showingErrors(() => call('markSounds', { body: { selection, ...what } }));
    if (result && result.sounds > 1) tell(`${words}: ${counted(result.sounds, 'sound')}`);
  }

  const rate = (rating: number | null): Promise<void> =>
    mark({ rating }, rating === null ? 'Rating taken back' : `Rated ${'★'.repeat(rating)}`);
  function turnFavourite(): Promise<void> {
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
