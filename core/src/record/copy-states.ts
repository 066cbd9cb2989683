/** How a copy stands to the record of its sound, in the order in which states are listed: the one home of their names, shapes and words. */
export const COPY_STATES = {
  inStep: { shape: '■', word: 'In step', explains: 'The file carries the record.', needsWork: false },
  behind: { shape: '◣', word: 'Behind', explains: 'The record is newer than the file: write it.', needsWork: true },
  ahead: { shape: '◥', word: 'Ahead', explains: 'The file was changed outside Flagstone.', needsWork: true },
  split: { shape: '◆', word: 'Split', explains: 'Both the record and the file were changed.', needsWork: true },
  away: { shape: '□', word: 'Away', explains: 'Its drive is not mounted.', needsWork: false },
  gone: { shape: '✕', word: 'Gone', explains: 'The drive is here, the file is not.', needsWork: false },
} as const;

export type CopyState = keyof typeof COPY_STATES;

export const COPY_STATE_NAMES = Object.keys(COPY_STATES) as [CopyState, ...CopyState[]];

/** Those of files that are there and do not carry their record. */
export const NOT_IN_STEP = COPY_STATE_NAMES.filter((name) => COPY_STATES[name].needsWork);

/** What the search line calls a state: its name in small letters. */
export const searchedState = (state: CopyState): string => state.toLowerCase();

/** The state that the search line calls so; undefined for another word. */
export const stateSearched = (word: string): CopyState | undefined =>
  COPY_STATE_NAMES.find((name) => searchedState(name) === word);

/** What is kept of a copy, from which its state follows. Whether its drive is away is asked of the drive. */
export interface CopyFacts {
  gone: boolean;
  changedOutside: boolean;
  /** The revision of the record that the file carries. */
  carriesRevision: number;
}

/** The state of a copy whose drive is here, as `flagstone_state` in the database has it. */
export function copyState(
  { gone, changedOutside, carriesRevision }: CopyFacts,
  revision: number,
): Exclude<CopyState, 'away'> {
  if (gone) return 'gone';
  const isBehind = carriesRevision < revision;
  if (changedOutside) return isBehind ? 'split' : 'ahead';
  return isBehind ? 'behind' : 'inStep';
}
