import type { Sheet, SheetItem, SheetPartsOverview, WORD_STANDINGS } from '@flagstone/contract/sheets';
import type { SheetPart } from '@flagstone/contract/sheet-parts';
import type { RelationKind } from '@flagstone/core/words/thesaurus';
import { counted } from '../ui/format.ts';
import { RELATION_WORDS } from '../ui/relation-words.ts';

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

/** What a sheet may bring beside records. */
export const PART_NAMES: Record<SheetPart, string> = {
  marks: 'Marks',
  lists: 'Pull lists',
  words: 'Related words',
  histories: 'Histories',
};

/** What that tells the other house. */
export const PART_SENT: Record<SheetPart, string> = {
  marks: 'ratings, favourites, tags and notes, by whom',
  lists: 'with their entries, parts and settings, as far as the sounds are in the sheet',
  words: 'all that was added to the thesaurus, or taken away',
  histories: 'who changed the records, when, from what to what',
};

/** How much a sheet brings of a part, and how that stands here; null where it brings nothing. */
export function partInWords(part: SheetPart, { marks, lists, words, histories }: SheetPartsOverview): string | null {
  const held = (count: number): string => `${count.toLocaleString('en')} of sounds held here`;
  switch (part) {
    case 'marks':
      return marks.total === 0 ? null : `${counted(marks.total, 'mark')}, ${held(marks.held)}`;
    case 'lists':
      return lists.total === 0 ? null : counted(lists.total, 'list');
    case 'words': {
      const { same, ...others } = words.counts;
      const differing = Object.values(others).reduce((sum, count) => sum + count, 0);
      if (same + differing === 0) return null;
      return `${counted(same + differing, 'relation')}, ${differing.toLocaleString('en')} not the same here`;
    }
    case 'histories':
      return histories.revisions === 0 ? null : `${counted(histories.revisions, 'revision')}, ${held(histories.held)}`;
  }
}

/** What becomes of a relation of words. */
export const WORD_SIGNS: Record<(typeof WORD_STANDINGS)[number], string> = {
  new: '+ new here',
  same: '● the same here',
  theirs: '▸ taken from the sheet',
  ours: '◂ stays as it is here',
  both: '◆ both houses say something',
};

/** What a relation says of its second word. */
export const wordInWords = ({ kind, hidden }: { kind: RelationKind; hidden: boolean }): string =>
  hidden ? 'not related' : RELATION_WORDS[kind];
