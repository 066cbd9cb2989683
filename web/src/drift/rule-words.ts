import type { Winner } from '@flagstone/core/record/settle';

/** What each kind of rule says, as it is chosen. */
export const WINNER_WORDS: Record<Winner, string> = {
  record: 'the record wins',
  file: 'the file wins',
  longer: 'the longer one wins',
  newer: 'what was changed later wins',
  both: 'both, one below the other',
};
