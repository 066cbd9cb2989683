/** What of a file's format says how much of a recording it keeps. */
export interface Quality {
  codec: string;
  sampleRateHz: number;
  /** Bits of a sample; 0 for coded audio. */
  bitDepth: number;
  channels: number;
}

/** Codecs that give back every sample, in small letters. */
const LOSSLESS: readonly string[] = ['pcm', 'ieee float', 'flac', 'alac'];

/**
 * Which of two forms of a recording keeps more of it: above 0 for the first one, below 0 for the second, 0 where neither does. First what loses nothing, then more channels, a
 * higher rate, more bits (common practice). A file that was made louder, or made from a lossy one, says nothing of that here.
 */
export function compareQuality(one: Quality, other: Quality): number {
  const [a, b] = [ranksOf(one), ranksOf(other)];
  for (const [index, rank] of a.entries()) {
    const difference = rank - (b[index] ?? 0);
    if (difference !== 0) return difference;
  }
  return 0;
}

/** How one form of a recording compares with the one that is on show. */
export function qualityBeside(one: Quality, shown: Quality): 'better' | 'worse' | 'alike' {
  const by = compareQuality(one, shown);
  return by > 0 ? 'better' : by < 0 ? 'worse' : 'alike';
}

function ranksOf({ codec, sampleRateHz, bitDepth, channels }: Quality): number[] {
  const isLossless = LOSSLESS.includes(codec.toLowerCase());
  return [isLossless ? 1 : 0, channels, sampleRateHz, isLossless ? bitDepth : 0];
}
