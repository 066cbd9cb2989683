import { DRIFT_STATES, type DriftState } from '@flagstone/contract/drift';
import { COPY_STATES } from '@flagstone/core/record/copy-states';

/** A column of the matrix: how it is marked, what it says and which list its numbers open. */
export interface DriftColumn {
  state: DriftState;
  shape: string;
  word: string;
  explains: string;
  /** Somebody should look at it. */
  needsWork: boolean;
  opens: 'catalogue' | 'intake';
}

type OtherState = 'unreadable' | 'damaged' | 'unproved' | 'preparing';

const OTHERS: Record<OtherState, Omit<DriftColumn, 'state'>> = {
  unreadable: {
    shape: '!',
    word: 'Unreadable',
    explains: 'Files that are no audio that can be read: their batch says why.',
    needsWork: true,
    opens: 'intake',
  },
  damaged: {
    shape: '⚡',
    word: 'Damaged',
    explains: 'Files that do not hold their audio any more, though nobody changed them.',
    needsWork: true,
    opens: 'catalogue',
  },
  unproved: {
    shape: '?',
    word: 'Never proved',
    explains: 'Files that were never read as a whole, to prove that they hold their audio.',
    needsWork: false,
    opens: 'catalogue',
  },
  preparing: {
    shape: '…',
    word: 'In Intake',
    explains: 'Of sounds in preparation, which are not held against their record yet.',
    needsWork: false,
    opens: 'intake',
  },
};

const isOther = (state: DriftState): state is OtherState => state in OTHERS;

/** The columns of the matrix of drift, in their order. */
export const DRIFT_COLUMNS: readonly DriftColumn[] = DRIFT_STATES.map((state) =>
  isOther(state)
    ? { state, ...OTHERS[state] }
    : {
        state,
        ...COPY_STATES[state],
        needsWork: COPY_STATES[state].needsWork || state === 'gone',
        opens: 'catalogue',
      },
);
