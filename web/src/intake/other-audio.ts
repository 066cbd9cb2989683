import type { Batch } from '@flagstone/contract/intake';

/** How many files of a batch's folder are audio of formats that are not taken up. */
export function otherAudioOf({ otherAudio }: Batch): number {
  return Object.values(otherAudio).reduce((sum, count) => sum + count, 0);
}
