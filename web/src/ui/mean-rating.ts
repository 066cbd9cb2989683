import type { SoundRow } from '@flagstone/contract/record';

/** The mean of what people gave a sound, to a tenth; null when nobody did. */
export function meanRating({ marks }: Pick<SoundRow, 'marks'>): number | null {
  const given = marks.flatMap(({ rating }) => rating ?? []);
  return given.length === 0 ? null : Math.round((10 * given.reduce((sum, each) => sum + each, 0)) / given.length) / 10;
}
