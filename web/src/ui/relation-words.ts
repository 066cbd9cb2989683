import type { RelationKind } from '@flagstone/core/words/thesaurus';

/** How one word is related to another, said of it. */
export const RELATION_WORDS: Record<RelationKind, string> = {
  same: 'means about the same',
  broader: 'broader',
  narrower: 'narrower',
  heard: 'what it sounds like',
};
