import type { Batch } from '@flagstone/contract/intake';

/** How many files of a batch are in no row of it, beside those that could not be read. A folder that was read last by an earlier version has its sounds of other formats counted alone. */
export function leftOutCount({ counts, otherAudio }: Pick<Batch, 'counts' | 'otherAudio'>): number {
  return counts.leftOut || Object.values(otherAudio).reduce((sum, count) => sum + count, 0);
}
