import type { Sheet, SheetItem } from '@flagstone/contract/sheets';
import { counted } from '../ui/format.ts';

/** How far a sheet is. */
export function stateInWords({ state, counts }: Pick<Sheet, 'state' | 'counts'>): string {
  switch (state) {
    case 'comparing':
      return `being compared, ${counts.compared.toLocaleString('en')} of ${counts.total.toLocaleString('en')}`;
    case 'ready':
      return `${counted(counts.certain + counts.probable, 'sound')} found here, not applied`;
    case 'applying':
      return `being applied, ${counts.applied.toLocaleString('en')} so far`;
    case 'applied':
      return `applied to ${counted(counts.applied, 'sound')}`;
  }
}

/** Who stands behind a sheet. */
export const SIGNED_BY: Record<Sheet['signedBy'], string> = {
  known: '✓ signed by the key that is known of this house',
  new: '▲ signed by a key that was not seen before: make sure that it is theirs, once',
  nobody: '▲ not signed: anybody could have made it',
};

/** How a sound was found, and how sure that is. */
export function matchInWords({
  match,
  certain,
  candidates,
}: Pick<SheetItem, 'match' | 'certain' | 'candidates'>): string {
  if (candidates > 1) return `◆ ${candidates} could be meant`;
  if (match === 'none') return '○ not held here';
  if (match === 'digest') return certain ? '■ the same audio' : '◇ the same audio, by its samples';
  if (match === 'fingerprint')
    return certain ? '■ the same recording in another form' : '◇ probable: the same recording in another form';
  return '◇ probable: name, length, rate and channels agree';
}
