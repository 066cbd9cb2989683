import { PROOF_SHARES } from '@flagstone/contract/proof';

const WORDS: Record<(typeof PROOF_SHARES)[number], string> = {
  100: 'As fast as it goes',
  50: 'Half of the time',
  25: 'A quarter of the time',
  10: 'A tenth of the time',
};

/** How much of the time long work on a disk takes, the rest being left to others. */
export const PACES = PROOF_SHARES.map((value) => ({ value, label: WORDS[value] }));
