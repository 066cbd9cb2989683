/** Quieter than this below the loudest sample, nothing counts as heard, dB; our own choice. */
const FLOOR_DB = -40;
/** Kept before and behind what is heard, so that an attack is whole, seconds. */
const MARGIN_SECONDS = 0.01;

/**
 * The part of a recording in which something is heard, in frames; all of it when it is silent. Whoever records from a microphone presses the buttons some time
 * before and after.
 */
export function heardPart(planar: readonly Float32Array[], sampleRateHz: number): { from: number; to: number } {
  const frames = planar[0]?.length ?? 0;
  let peak = 0;
  for (const samples of planar) for (const sample of samples) peak = Math.max(peak, Math.abs(sample));
  const floor = peak * 10 ** (FLOOR_DB / 20);
  const isHeard = (frame: number): boolean => planar.some((samples) => Math.abs(samples[frame] as number) > floor);
  let [from, to] = [0, frames];
  if (peak === 0) return { from, to };
  while (from < to && !isHeard(from)) from += 1;
  while (to > from && !isHeard(to - 1)) to -= 1;
  const margin = Math.round(MARGIN_SECONDS * sampleRateHz);
  return { from: Math.max(0, from - margin), to: Math.min(frames, to + margin) };
}
