import type { Selection } from '@flagstone/contract/selection';
import type { Sight } from '../rights/rights.ts';
import type { SeenSelection } from '../rights/seen.ts';

/** A selection as whoever asks sees it; their own favourites and ratings are meant in its filter, whatever the request says. */
export function seenSelection(selection: Selection, person: number, seenBy: Sight): SeenSelection {
  if (selection.kind === 'copies' || selection.filter === undefined) return { ...selection, seenBy };
  return { ...selection, filter: { ...selection.filter, person: String(person) }, seenBy };
}
